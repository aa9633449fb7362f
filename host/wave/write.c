/* SPDX-License-Identifier: MIT */
#include "wave/write.h"

#include <math.h>

#include "wave/vector.h"

/* --- value change dump */

/* Something that changes. */
struct change {
    uint64_t at;
    unsigned order; /* as they were found */
    char *text;
};

struct dump {
    double scale_s;
    GArray *changes;
};

static void add_change(struct dump *dump, double at_s, char *text)
{
    const struct change change = { (uint64_t)(at_s / dump->scale_s + 0.5), dump->changes->len, text };
    g_array_append_val(dump->changes, change);
}

static void clear_change(void *data)
{
    g_free(((struct change *)data)->text);
}

static int by_time(const void *a, const void *b)
{
    const struct change *left = a, *right = b;
    const int times = (left->at > right->at) - (left->at < right->at);
    return times != 0 ? times : (left->order > right->order) - (left->order < right->order);
}

/* 1, 10 or 100 of a unit, as text. */
static double time_scale(double resolution_s, char **text)
{
    static const char *const units[] = { "ps", "ns", "us", "ms", "s" };
    const int power = (int)CLAMP(floor(log10(resolution_s * (1 + 1e-9))), -12, 0);

    *text = g_strdup_printf("%u %s",
                            (power + 12) % 3 == 0   ? 1U
                            : (power + 12) % 3 == 1 ? 10U
                                                    : 100U,
                            units[(power + 12) / 3]);
    return pow(10, power);
}

/* Of the variables behind the signals. */
enum { CHARACTER = 'c', FRAME = 'n', FRAME_MOST = 32 };

static char id_of(guint signal)
{
    return (char)('!' + signal);
}

static void add_signal_changes(struct dump *dump, const struct zg_wave *wave)
{
    for (guint i = 0; i < wave->signals->len; i++) {
        const struct zg_wave_signal *signal = zg_wave_signal(wave, i);
        add_change(dump, 0, g_strdup_printf("%d%c", signal->high, id_of(i)));
        for (guint k = 0; k < signal->edges->len; k++)
            add_change(dump, g_array_index(signal->edges, double, k),
                       g_strdup_printf("%d%c", signal->high != (k % 2 == 0), id_of(i)));
    }
}

static void add_other_changes(struct dump *dump, const struct zg_wave *wave)
{
    add_change(dump, 0, g_strdup_printf("bx %c", CHARACTER));
    add_change(dump, 0, g_strdup_printf("b0 %c", FRAME));
    for (guint i = 0; i < wave->characters->len; i++) {
        const struct zg_wave_character *character = zg_wave_character(wave, i);
        const bool is_followed =
            i + 1 < wave->characters->len && zg_wave_character(wave, i + 1)->from_s <= character->to_s;
        g_autofree char *vector = zgi_vcd_byte(character->byte);
        add_change(dump, character->from_s, g_strdup_printf("%s %c", vector, CHARACTER));
        if (!is_followed)
            add_change(dump, character->to_s, g_strdup_printf("bx %c", CHARACTER));
    }
    if (!wave->name)
        return;
    g_autofree char *name = zgi_vcd_text(wave->name, FRAME_MOST);
    add_change(dump, wave->frame_from_s, g_strdup_printf("%s %c", name, FRAME));
    add_change(dump, wave->frame_to_s, g_strdup_printf("b0 %c", FRAME));
}

char *zg_wave_vcd(const struct zg_wave *wave)
{
    const double carrier_s = wave->line->carrier_hz > 0 ? 0.5 / wave->line->carrier_hz : wave->bit_s;
    struct dump dump = { .changes = g_array_new(FALSE, FALSE, sizeof(struct change)) };
    g_autofree char *scale = NULL, *format = zg_line_text(wave->line);
    uint64_t at = 0;

    dump.scale_s = time_scale(fmin(wave->bit_s, carrier_s) / 10000, &scale);
    GString *text = g_string_new(NULL);
    g_string_append_printf(text, "$comment %s, %s at %" G_GUINT64_FORMAT " baud $end\n",
                           wave->name ? wave->name : "bytes", format, wave->line->baud);
    g_string_append_printf(text, "$timescale %s $end\n$scope module line $end\n", scale);
    for (guint i = 0; i < wave->signals->len; i++)
        g_string_append_printf(text, "$var wire 1 %c %s $end\n", id_of(i), zg_wave_signal(wave, i)->name);
    g_string_append_printf(text,
                           "$var reg 8 %c character [7:0] $end\n"
                           "$var reg %d %c frame [%d:0] $end\n$upscope $end\n$enddefinitions $end\n",
                           CHARACTER, 8 * FRAME_MOST, FRAME, 8 * FRAME_MOST - 1);
    g_array_set_clear_func(dump.changes, clear_change);
    add_signal_changes(&dump, wave);
    add_other_changes(&dump, wave);
    g_array_sort(dump.changes, by_time);
    for (guint i = 0; i < dump.changes->len; i++) {
        const struct change *change = &g_array_index(dump.changes, struct change, i);
        if (i == 0 || change->at != at)
            g_string_append_printf(text, "#%" G_GUINT64_FORMAT "\n", change->at);
        at = change->at;
        g_string_append_printf(text, "%s\n", change->text);
    }
    g_string_append_printf(text, "#%" G_GUINT64_FORMAT "\n", (uint64_t)(wave->end_s / dump.scale_s + 0.5));
    g_array_unref(dump.changes);
    return g_string_free(text, FALSE);
}

/* --- edges */

char *zg_wave_csv(const struct zg_wave *wave)
{
    GString *text = g_string_new("seconds");
    const bool is_one = wave->signals->len == 1;
    guint next[4] = { 0 };
    double at_s = 0;

    for (guint i = 0; i < wave->signals->len; i++)
        g_string_append_printf(text, ",%s", is_one ? "level" : zg_wave_signal(wave, i)->name);
    while (at_s < HUGE_VAL) {
        g_string_append_printf(text, "\n%.12g", at_s);
        double later_s = HUGE_VAL;
        for (guint i = 0; i < wave->signals->len; i++) {
            const struct zg_wave_signal *signal = zg_wave_signal(wave, i);
            while (next[i] < signal->edges->len && g_array_index(signal->edges, double, next[i]) <= at_s)
                next[i]++;
            if (next[i] < signal->edges->len)
                later_s = fmin(later_s, g_array_index(signal->edges, double, next[i]));
            g_string_append_printf(text, ",%d", signal->high != (next[i] % 2 == 1));
        }
        at_s = later_s;
    }
    g_string_append_c(text, '\n');
    return g_string_free(text, FALSE);
}

/* --- JSON */

static void signals_to_json(const struct zg_wave *wave, struct zg_json *json)
{
    zg_json_open(json, "signals", '{');
    for (guint i = 0; i < wave->signals->len; i++) {
        const struct zg_wave_signal *signal = zg_wave_signal(wave, i);
        zg_json_open(json, signal->name, '{');
        zg_json_unsigned(json, "level", signal->high);
        zg_json_open(json, "edges_s", '[');
        for (guint k = 0; k < signal->edges->len; k++)
            zg_json_double(json, NULL, g_array_index(signal->edges, double, k));
        zg_json_close(json, ']');
        zg_json_close(json, '}');
    }
    zg_json_close(json, '}');
}

static void character_to_json(const struct zg_wave *wave, const struct zg_wave_character *character,
                              struct zg_json *json)
{
    zg_json_open(json, NULL, '{');
    zg_json_double(json, "from_s", character->from_s);
    zg_json_double(json, "to_s", character->to_s);
    zg_json_hex(json, "character", &character->byte, 1);
    if (*character->what)
        zg_json_string(json, "what", character->what);
    zg_json_open(json, "bits", '[');
    for (unsigned i = 0; i < character->bits; i++) {
        const struct zg_wave_bit *bit = zg_wave_bit(wave, character->first_bit + i);
        zg_json_open(json, NULL, '{');
        zg_json_string(json, "part", zg_wave_part_name(bit->part));
        zg_json_unsigned(json, "level", bit->high);
        if (bit->part == ZG_WAVE_DATA || bit->part == ZG_WAVE_PARITY)
            zg_json_unsigned(json, "value", bit->one);
        zg_json_double(json, "from_s", bit->from_s);
        zg_json_double(json, "to_s", bit->to_s);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
    zg_json_close(json, '}');
}

void zg_wave_errors_to_json(uint8_t errors, struct zg_json *json)
{
    zg_json_open(json, "errors", '[');
    for (unsigned i = 0; zg_wave_errors[i]; i++)
        if (errors >> i & 1U)
            zg_json_string(json, NULL, zg_wave_errors[i]);
    zg_json_close(json, ']');
}

static void other_to_json(const struct zg_wave *wave, struct zg_json *json)
{
    zg_json_open(json, "other", '{');
    zg_json_double(json, "ppm", wave->other_ppm);
    zg_json_open(json, "characters", '[');
    for (guint i = 0; i < wave->reads->len; i++) {
        const struct zg_wave_read *read = &g_array_index(wave->reads, struct zg_wave_read, i);
        zg_json_open(json, NULL, '{');
        zg_json_double(json, "at_s", read->at_s);
        zg_json_hex(json, "character", &read->byte, 1);
        zg_wave_errors_to_json(read->errors, json);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
    zg_json_open(json, "samples", '[');
    for (guint i = 0; i < wave->samples->len; i++) {
        const struct zg_wave_sample *sample = &g_array_index(wave->samples, struct zg_wave_sample, i);
        zg_json_open(json, NULL, '{');
        zg_json_double(json, "at_s", sample->at_s);
        zg_json_unsigned(json, "level", sample->high);
        zg_json_bool(json, "misread", sample->wrong);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
    zg_json_close(json, '}');
}

void zg_wave_to_json(const struct zg_wave *wave, struct zg_json *json)
{
    g_autofree char *format = zg_line_text(wave->line);

    if (wave->name)
        zg_json_string(json, "message", wave->name);
    zg_json_string(json, "format", format);
    zg_json_unsigned(json, "baud", wave->line->baud);
    zg_json_double(json, "from_s", wave->frame_from_s);
    zg_json_double(json, "to_s", wave->frame_to_s);
    signals_to_json(wave, json);
    zg_json_open(json, "characters", '[');
    for (guint i = 0; i < wave->characters->len; i++)
        character_to_json(wave, zg_wave_character(wave, i), json);
    zg_json_close(json, ']');
    if (wave->has_other)
        other_to_json(wave, json);
}
