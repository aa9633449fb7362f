/* SPDX-License-Identifier: MIT */
#include "wave/wave.h"

#include "analysis/explain.h"
#include "sim/medium.h"
#include "sim/sampler.h"
#include "zeugma/link.h"

#define PS 1e12

enum { MARGIN_BITS = 12 /* idle, before and behind: more than a character */ };

const char *zg_wave_part_name(enum zg_wave_part part)
{
    static const char *const names[] = { "start", "data", "parity", "stop", "idle" };
    return names[part];
}

const char *const zg_wave_errors[] = { "framing", "parity", "overrun", "break", NULL };

char *zg_wave_errors_text(uint8_t errors)
{
    GString *text = g_string_new(NULL);

    for (unsigned i = 0; zg_wave_errors[i]; i++)
        if (errors >> i & 1U)
            g_string_append_printf(text, "%s%s", text->len > 0 ? ", " : "", zg_wave_errors[i]);
    return g_string_free(text, FALSE);
}

static void free_signal(void *data)
{
    struct zg_wave_signal *signal = data;

    g_free(signal->name);
    g_array_unref(signal->edges);
    g_free(signal);
}

static void clear_character(void *data)
{
    g_free(((struct zg_wave_character *)data)->what);
}

static struct zg_wave_signal *add_signal(struct zg_wave *wave, const char *name, bool high)
{
    struct zg_wave_signal *signal = g_new(struct zg_wave_signal, 1);

    *signal = (struct zg_wave_signal){ g_strdup(name), high, g_array_new(FALSE, FALSE, sizeof(double)) };
    g_ptr_array_add(wave->signals, signal);
    return signal;
}

static void set_level(struct zg_wave_signal *signal, double at_s, bool high)
{
    if ((signal->edges->len % 2 == 0) != (signal->high == high))
        g_array_append_val(signal->edges, at_s);
}

guint zg_wave_edges_until(const struct zg_wave_signal *signal, double at_s)
{
    guint low = 0, high = signal->edges->len;

    while (low < high) {
        const guint middle = (low + high) / 2;
        if (g_array_index(signal->edges, double, middle) <= at_s)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

bool zg_wave_level(const struct zg_wave_signal *signal, double at_s)
{
    return signal->high != (zg_wave_edges_until(signal, at_s) % 2 == 1);
}

/* --- an asynchronous line */

static double add_bit(struct zg_wave *wave, enum zg_wave_part part, double from_s, double bits, bool high, bool one)
{
    const struct zg_wave_bit bit = { part, from_s, from_s + bits * wave->bit_s, high, one };

    g_array_append_val(wave->bits, bit);
    return bit.to_s;
}

/* What a bit is, by its place. */
static enum zg_wave_part part_of(const struct zg_uart_format *format, unsigned place)
{
    return place == 0                            ? ZG_WAVE_START
           : place <= format->data_bits          ? ZG_WAVE_DATA
           : place < zg_uart_before_stop(format) ? ZG_WAVE_PARITY
                                                 : ZG_WAVE_STOP;
}

static double add_async(struct zg_wave *wave, uint8_t byte, double from_s)
{
    const struct zg_uart_format format = zg_line_format(wave->line);
    const unsigned before = zg_uart_before_stop(&format);
    const uint16_t active = zg_uart_bits(&format, byte);

    for (unsigned i = 0; i < before; i++) {
        const bool is_active = (active >> i & 1U) != 0;
        from_s = add_bit(wave, part_of(&format, i), from_s, 1, is_active == format.idle_low, !is_active);
    }
    const bool stop_active = format.stop_opposite;
    from_s = add_bit(wave, ZG_WAVE_STOP, from_s, format.half_stops / 2.0, stop_active == format.idle_low, !stop_active);
    return stop_active ? add_bit(wave, ZG_WAVE_IDLE, from_s, 1, !format.idle_low, true) : from_s;
}

/* Low stretches as pulses of the carrier, high for half of each period; and as what takes it off again sees them. */
static void modulate(struct zg_wave *wave, const struct zg_wave_signal *plain)
{
    const double period_s = 1 / wave->line->carrier_hz;
    struct zg_wave_signal *modulated = add_signal(wave, "modulated", false),
                          *demodulated = add_signal(wave, "demodulated", true);

    for (guint i = 0; i + 1 < plain->edges->len; i += 2) {
        const double from_s = g_array_index(plain->edges, double, i), to_s = g_array_index(plain->edges, double, i + 1);
        const unsigned pulses = zg_medium_pulses(to_s - from_s, period_s);
        for (unsigned k = 0; k < pulses; k++) {
            set_level(modulated, from_s + k * period_s, true);
            set_level(modulated, from_s + (k + 0.5) * period_s, false);
        }
        set_level(demodulated, from_s, false);
        set_level(demodulated, from_s + pulses * period_s, true);
    }
}

static void draw_levels(struct zg_wave *wave)
{
    struct zg_wave_signal *plain = add_signal(wave, "line", !wave->line->idle_low);

    for (guint i = 0; i < wave->bits->len; i++)
        set_level(plain, zg_wave_bit(wave, i)->from_s, zg_wave_bit(wave, i)->high);
    set_level(plain, wave->frame_to_s, plain->high);
    if (wave->line->carrier_hz > 0) {
        modulate(wave, plain);
        g_ptr_array_remove(wave->signals, plain);
    }
}

/* --- a clocked pair */

static double add_clocked(struct zg_wave *wave, uint8_t byte, double from_s)
{
    for (unsigned i = 0; i < 8; i++) {
        const bool one = (byte >> (wave->line->pair.lsb_first ? i : 7 - i) & 1U) != 0;
        from_s = add_bit(wave, ZG_WAVE_DATA, from_s, 1, one, one);
    }
    return from_s;
}

/* The clock's edge away from its idle level is that of the sample, or the one before it. */
static void draw_pair(struct zg_wave *wave)
{
    const struct zg_pair *pair = &wave->line->pair;
    const bool samples_first = pair->samples_rising != pair->idle_high;
    struct zg_wave_signal *clock = add_signal(wave, "clock", pair->idle_high), *data = add_signal(wave, "data", false);

    for (guint i = 0; i < wave->bits->len; i++) {
        const struct zg_wave_bit *bit = zg_wave_bit(wave, i);
        const double middle_s = bit->from_s + wave->bit_s / 2;
        const bool last = i % 8 == 7;
        set_level(data, bit->from_s, bit->high);
        set_level(clock, samples_first ? middle_s : bit->from_s, !pair->idle_high);
        set_level(clock, samples_first ? bit->to_s : middle_s, pair->idle_high);
        if (last)
            set_level(data, bit->to_s, false);
    }
}

/* --- drawing */

static struct zg_wave *new_wave(const struct zg_line *line, double bit_s, const char *name)
{
    struct zg_wave *wave = g_new0(struct zg_wave, 1);

    wave->line = line;
    wave->name = g_strdup(name);
    wave->bit_s = bit_s;
    wave->signals = g_ptr_array_new_with_free_func(free_signal);
    wave->bits = g_array_new(FALSE, FALSE, sizeof(struct zg_wave_bit));
    wave->characters = g_array_new(FALSE, FALSE, sizeof(struct zg_wave_character));
    g_array_set_clear_func(wave->characters, clear_character);
    wave->reads = g_array_new(FALSE, FALSE, sizeof(struct zg_wave_read));
    wave->samples = g_array_new(FALSE, FALSE, sizeof(struct zg_wave_sample));
    return wave;
}

struct zg_wave *zg_wave_draw(const struct zg_line *line, const uint8_t *bytes, size_t count, const char *name,
                             const GPtrArray *explained)
{
    struct zg_wave *wave = new_wave(line, 1 / (double)line->baud, name);

    double at_s = wave->frame_from_s = MARGIN_BITS * wave->bit_s;
    for (size_t i = 0; i < count; i++) {
        const struct zg_explained *is = explained ? g_ptr_array_index(explained, i) : NULL;
        struct zg_wave_character character = {
            .from_s = at_s, .byte = bytes[i], .first_bit = wave->bits->len, .what = g_strdup(is ? is->what : "")
        };
        at_s = (line->is_clocked ? add_clocked : add_async)(wave, bytes[i], at_s);
        character.to_s = wave->frame_to_s = at_s;
        character.bits = wave->bits->len - character.first_bit;
        g_array_append_val(wave->characters, character);
        at_s += line->is_clocked ? (double)line->pair.byte_gap_ns * 1e-9 : 0;
    }
    (line->is_clocked ? draw_pair : draw_levels)(wave);
    wave->end_s = wave->frame_to_s + MARGIN_BITS * wave->bit_s;
    return wave;
}

struct zg_wave *zg_wave_of_trace(const struct zg_line *line, const struct zg_trace *trace,
                                 const struct zg_receiving *receiving, const struct zg_received *received)
{
    const struct zg_uart_format *format = &receiving->format;
    const unsigned before = zg_uart_before_stop(format);
    struct zg_wave *wave = new_wave(line, 1 / receiving->baud, NULL);
    const double origin_s = (double)received->from_ps / PS - MARGIN_BITS * wave->bit_s;
    const double until_s = (double)received->to_ps / PS + MARGIN_BITS * wave->bit_s;
    struct zg_trace_reader reader = zg_trace_read(trace);
    enum zg_trace_level level, now = trace->first;
    struct zg_wave_signal *signal = NULL;
    int64_t at_ps;

    while (zg_trace_next(&reader, &at_ps, &level) && (double)at_ps / PS < until_s) {
        if ((double)at_ps / PS >= origin_s) {
            if (!signal)
                signal = add_signal(wave, trace->name, now == ZG_LEVEL_IS_HIGH);
            set_level(signal, (double)at_ps / PS - origin_s, level == ZG_LEVEL_IS_HIGH);
        }
        now = level;
    }
    if (!signal)
        signal = add_signal(wave, trace->name, now == ZG_LEVEL_IS_HIGH);
    struct zg_wave_character character = { .from_s = MARGIN_BITS * wave->bit_s,
                                           .byte = received->byte,
                                           .bits = before + 1,
                                           .what = zg_wave_errors_text(received->errors) };
    double from_s = wave->frame_from_s = character.from_s;
    for (unsigned i = 0; i <= before; i++) {
        const bool high = zg_wave_level(signal, from_s + wave->bit_s / 2);
        from_s = add_bit(wave, part_of(format, i), from_s, i == before ? format->half_stops / 2.0 : 1, high,
                         high != format->idle_low);
    }
    character.to_s = wave->frame_to_s = from_s;
    wave->end_s = from_s + MARGIN_BITS * wave->bit_s;
    g_array_append_val(wave->characters, character);
    return wave;
}

void zg_wave_free(struct zg_wave *wave)
{
    if (!wave)
        return;
    g_ptr_array_unref(wave->signals);
    g_array_unref(wave->bits);
    g_array_unref(wave->characters);
    g_array_unref(wave->reads);
    g_array_unref(wave->samples);
    g_free(wave->name);
    g_free(wave);
}

/* --- the other end */

/* The bit that was sent at a moment, or NULL. */
static const struct zg_wave_bit *bit_at(const struct zg_wave *wave, double at_s, guint *from)
{
    while (*from < wave->bits->len && zg_wave_bit(wave, *from)->to_s <= at_s)
        (*from)++;
    return *from < wave->bits->len && zg_wave_bit(wave, *from)->from_s <= at_s ? zg_wave_bit(wave, *from) : NULL;
}

/* The samples of a character that was read, of its start bit to its first stop bit. They are wrong where the majority
 * of a bit's is not what the same bit of the character was that began there. */
static void add_samples(struct zg_wave *wave, const struct zg_sampler *sampler, const struct zg_sampled *sampled,
                        guint *near)
{
    const struct zg_wave_signal *seen = zg_wave_signal(wave, wave->signals->len - 1);
    const unsigned before = zg_uart_before_stop(&sampler->format);
    const struct zg_wave_bit *began = bit_at(wave, sampled->edge_ps / PS, near);
    const bool aligned = began && began->part == ZG_WAVE_START;
    const guint first = *near;

    for (unsigned bit = 0; bit <= before; bit++) {
        struct zg_wave_sample samples[3];
        unsigned high = 0;
        for (unsigned k = 0; k < 3; k++) {
            const double ticks = bit * sampler->samples + sampler->samples / 2 - 1 + k;
            samples[k].at_s = (sampled->edge_ps + ticks * sampler->tick_ps) / PS;
            samples[k].high = zg_wave_level(seen, samples[k].at_s);
            samples[k].middle = k == 1;
            high += samples[k].high;
        }
        for (unsigned k = 0; k < 3; k++) {
            samples[k].wrong = !aligned || (high >= 2) != zg_wave_bit(wave, first + bit)->high;
            g_array_append_val(wave->samples, samples[k]);
        }
    }
}

void zg_wave_add_other(struct zg_wave *wave, double ppm)
{
    const struct zg_wave_signal *seen = zg_wave_signal(wave, wave->signals->len - 1);
    struct zg_sampler sampler = { .format = zg_line_format(wave->line), .samples = 16 };
    struct zg_levels levels = { 0 };
    struct zg_sampled sampled;
    guint near = 0;

    wave->has_other = true;
    wave->other_ppm = ppm;
    sampler.tick_ps = wave->bit_s * PS / (1 + ppm * 1e-6) / sampler.samples;
    for (guint i = 0; i < seen->edges->len; i++)
        zg_levels_change(&levels, g_array_index(seen->edges, double, i) * PS);
    while (zg_sampler_read(&sampler, &levels, (wave->end_s + 20 * wave->bit_s) * PS, &sampled)) {
        const struct zg_wave_read read = { sampled.at_ps / PS, sampled.byte, sampled.errors };
        g_array_append_val(wave->reads, read);
        add_samples(wave, &sampler, &sampled, &near);
    }
    zg_levels_free(&levels);
}
