/* SPDX-License-Identifier: MIT */
#include "wave/receive.h"

#include "sim/sampler.h"
#include "zeugma/link.h"

enum { SAMPLES = 32 /* a bit */ };
#define PS 1e12

/* --- characters */

static bool is_active(const struct zg_receiving *as, enum zg_trace_level level)
{
    return level != ZG_LEVEL_IS_NONE && (level == ZG_LEVEL_IS_HIGH) == as->format.idle_low;
}

static struct zg_received received_of(const struct zg_receiving *as, const struct zg_sampled *sampled)
{
    const double bits = zg_uart_before_stop(&as->format) + as->format.half_stops / 2.0;

    return (struct zg_received){ (int64_t)(sampled->change_ps + 0.5),
                                 (int64_t)(sampled->change_ps + bits * PS / as->baud + 0.5), sampled->byte,
                                 sampled->errors };
}

/* Reads on from `from_ps`, where the wire is idle, or active if it begins so. Ends when `each` says so. */
static void run(const struct zg_trace *trace, const struct zg_receiving *as, int64_t from_ps,
                bool (*each)(void *data, const struct zg_received *received), void *data)
{
    const double bit_ps = PS / as->baud, end_ps = (double)trace->end_ps + (as->is_whole ? 20 * bit_ps : 0);
    struct zg_sampler sampler = { .format = as->format, .samples = SAMPLES, .tick_ps = bit_ps / SAMPLES };
    struct zg_trace_reader reader = zg_trace_read(trace);
    struct zg_levels levels = { 0 };
    bool active = is_active(as, trace->first), more = true;
    enum zg_trace_level level;
    struct zg_sampled sampled;
    double due_ps = -1;
    int64_t at_ps;

    sampler.active = active && from_ps == 0;
    sampler.next = zg_sampler_tick(&sampler, (double)from_ps);
    if (active) /* levels begin idle */
        zg_levels_change(&levels, -1);
    while (more) {
        more = zg_trace_next(&reader, &at_ps, &level);
        const double known_ps = more ? (double)at_ps : end_ps;
        while (known_ps > due_ps && zg_sampler_read(&sampler, &levels, known_ps, &sampled)) {
            const struct zg_received received = received_of(as, &sampled);
            if (!each(data, &received)) {
                more = false;
                break;
            }
        }
        if (known_ps > due_ps)
            due_ps = zg_sampler_due(&sampler);
        if (more && is_active(as, level) != active) {
            active = !active;
            zg_levels_change(&levels, (double)at_ps);
        }
    }
    zg_levels_free(&levels);
}

/* How it goes from the first edge up to the first pause, or the first stretch of a plan's stream. */
struct trial {
    int64_t pause_ps, last_ps;
    bool sound, told;
    struct zg_frame_reader *reader; /* NULL: no plan */
};

static void judge(const struct zg_stretch *stretch, void *data)
{
    struct trial *trial = data;

    if (!trial->told)
        trial->sound = stretch->kind != ZG_STRETCH_SKIPPED;
    trial->told = true;
}

static bool try_one(void *data, const struct zg_received *received)
{
    struct trial *trial = data;

    if (trial->last_ps > 0 && received->from_ps - trial->last_ps >= trial->pause_ps)
        return false;
    trial->sound = received->errors == 0;
    trial->last_ps = received->to_ps;
    if (trial->sound && trial->reader)
        zg_frame_reader_feed(trial->reader, &received->byte, 1);
    return trial->sound && !trial->told;
}

/* Where the first pause of a character's time begins; 0, if there is none in it. */
static int64_t first_pause(const struct zg_trace *trace, const struct zg_receiving *as, int64_t pause_ps)
{
    struct zg_trace_reader reader = zg_trace_read(trace);
    bool active = is_active(as, trace->first);
    int64_t at_ps, from_ps = 0;
    enum zg_trace_level level;

    while (zg_trace_next(&reader, &at_ps, &level)) {
        if (is_active(as, level) == active)
            continue;
        if (!active && at_ps - from_ps >= pause_ps)
            return from_ps;
        active = !active;
        from_ps = at_ps;
    }
    return 0;
}

/* From where it is read. */
static int64_t beginning(const struct zg_trace *trace, const struct zg_receiving *as, const struct zg_plan *plan)
{
    const int64_t pause_ps = (int64_t)(zg_uart_half_bits(&as->format) * PS / as->baud / 2);
    const int64_t pause_from_ps = first_pause(trace, as, pause_ps);
    struct trial trial = { .pause_ps = pause_ps, .sound = true };

    if (is_active(as, trace->first) || pause_from_ps == 0)
        return pause_from_ps;
    trial.reader = plan ? zg_frame_reader_new(plan, judge, &trial) : NULL;
    run(trace, as, 0, try_one, &trial);
    if (trial.reader) {
        zg_frame_reader_end(trial.reader);
        zg_frame_reader_free(trial.reader);
    }
    return trial.sound ? 0 : pause_from_ps;
}

struct passing {
    zg_received_function *each;
    void *data;
};

static bool pass(void *data, const struct zg_received *received)
{
    const struct passing *passing = data;
    passing->each(passing->data, received);
    return true;
}

/* --- a clocked pair */

/* The level of a wire at moments that do not go back. */
struct level {
    struct zg_trace_reader reader;
    enum zg_trace_level now, next;
    int64_t next_ps;
    bool more;
};

static struct level level_of(const struct zg_trace *trace)
{
    struct level level = { .reader = zg_trace_read(trace), .now = trace->first };

    level.more = zg_trace_next(&level.reader, &level.next_ps, &level.next);
    return level;
}

/* Just before a moment: what changes with the clock's edge comes after it. */
static bool is_high_before(struct level *level, int64_t at_ps)
{
    while (level->more && level->next_ps < at_ps) {
        level->now = level->next;
        level->more = zg_trace_next(&level->reader, &level->next_ps, &level->next);
    }
    return level->now == ZG_LEVEL_IS_HIGH;
}

static void receive_pair(const struct zg_trace *data_trace, const struct zg_receiving *as, zg_received_function *each,
                         void *data)
{
    const int64_t pause_ps = (int64_t)as->pair->byte_gap_ns * 500, bit_ps = (int64_t)(PS / as->baud);
    struct zg_trace_reader clock = zg_trace_read(as->clock);
    struct level level = level_of(data_trace);
    struct zg_received received = { 0 };
    enum zg_trace_level now;
    int64_t at_ps, before_ps = 0;
    unsigned bits = 0;

    for (; zg_trace_next(&clock, &at_ps, &now); before_ps = at_ps) {
        if (at_ps - before_ps >= pause_ps)
            bits = 0;
        if (now == ZG_LEVEL_IS_NONE || (now == ZG_LEVEL_IS_HIGH) != as->pair->samples_rising)
            continue;
        const unsigned one = is_high_before(&level, at_ps);
        if (bits == 0)
            received = (struct zg_received){ .from_ps = at_ps - bit_ps / 2 };
        received.byte = (uint8_t)(received.byte | one << (as->pair->lsb_first ? bits : 7 - bits));
        received.to_ps = at_ps + bit_ps / 2;
        bits = (bits + 1) % 8;
        if (bits == 0)
            each(data, &received);
    }
}

static void receive_all(const struct zg_trace *trace, const struct zg_receiving *receiving, const struct zg_plan *plan,
                        zg_received_function *each, void *data)
{
    struct passing passing = { each, data };

    if (receiving->pair) {
        receive_pair(trace, receiving, each, data);
        return;
    }
    run(trace, receiving, beginning(trace, receiving, plan), pass, &passing);
}

void zg_receive(const struct zg_trace *trace, const struct zg_receiving *receiving, zg_received_function *each,
                void *data)
{
    receive_all(trace, receiving, NULL, each, data);
}

/* --- frames */

struct framing {
    struct zg_received_counts counts;
    const struct zg_received_calls *calls;
    struct zg_frame_reader *reader; /* NULL: no plan */
    GArray *times;                  /* struct zg_received, of bytes that no stretch contained yet */
    uint64_t first;                 /* the place of the first of them in the stream */
    uint8_t bytes[256];             /* that the reader was not fed yet */
    guint count;
};

static void feed(struct framing *framing)
{
    zg_frame_reader_feed(framing->reader, framing->bytes, framing->count);
    framing->count = 0;
}

static void take_stretch(const struct zg_stretch *stretch, void *data)
{
    struct framing *framing = data;
    const bool is_frame = stretch->kind == ZG_STRETCH_FRAME || stretch->kind == ZG_STRETCH_UNDELIVERED;
    const guint at = (guint)(stretch->offset - framing->first), last = at + (guint)MAX(stretch->raw_length, 1) - 1;

    framing->counts.frames += is_frame;
    if (stretch->kind == ZG_STRETCH_SKIPPED) {
        framing->counts.skips++;
        framing->counts.skipped_bytes += stretch->raw_length;
    }
    if (framing->calls->stretch && last < framing->times->len)
        framing->calls->stretch(framing->calls->data, stretch,
                                g_array_index(framing->times, struct zg_received, at).from_ps,
                                g_array_index(framing->times, struct zg_received, last).to_ps);
    if (at > 0) { /* those before are no longer asked for: what a stretch shares comes before its own bytes */
        g_array_remove_range(framing->times, 0, MIN(at, framing->times->len));
        framing->first += at;
    }
}

static void take_character(void *data, const struct zg_received *received)
{
    struct framing *framing = data;
    struct zg_received_counts *counts = &framing->counts;

    counts->characters++;
    counts->framing += (received->errors & ZG_LINE_FRAMING) != 0;
    counts->parity += (received->errors & ZG_LINE_PARITY) != 0;
    counts->breaks += (received->errors & ZG_LINE_BREAK) != 0;
    counts->sound += received->errors == 0;
    if (framing->calls->character)
        framing->calls->character(framing->calls->data, received);
    if (!framing->reader)
        return;
    g_array_append_val(framing->times, *received);
    framing->bytes[framing->count++] = received->byte;
    if (framing->count == sizeof framing->bytes)
        feed(framing);
}

struct zg_received_counts zg_receive_frames(const struct zg_trace *trace, const struct zg_receiving *receiving,
                                            const struct zg_plan *plan, const struct zg_received_calls *calls)
{
    struct framing framing = { .calls = calls };

    framing.times = g_array_new(FALSE, FALSE, sizeof(struct zg_received));
    framing.reader = plan ? zg_frame_reader_new(plan, take_stretch, &framing) : NULL;
    receive_all(trace, receiving, plan, take_character, &framing);
    if (framing.reader) {
        feed(&framing);
        zg_frame_reader_end(framing.reader);
        zg_frame_reader_free(framing.reader);
    }
    g_array_unref(framing.times);
    return framing.counts;
}
