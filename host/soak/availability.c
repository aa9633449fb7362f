/* SPDX-License-Identifier: MIT */
#include "soak/availability.h"

#include <math.h>

enum { TURN = 10, FRAMES_LEAST = 10 };

enum state { EMPTY = ZG_SECOND_EMPTY, GOOD = ZG_SECOND_GOOD, ERRORED = ZG_SECOND_ERRORED, SEVERE = ZG_SECOND_SEVERE };

/* A second, or as many as carry ten frames. */
struct interval {
    enum state state;
    bool unavailable;
    uint32_t from, to; /* its rows */
    uint64_t sent, bad;
};

static const struct zg_time_row *row_at(const GArray *rows, guint at)
{
    return &g_array_index(rows, struct zg_time_row, at);
}

static enum state judge(uint64_t sent, uint64_t bad)
{
    return sent == 0 ? EMPTY : bad == 0 ? GOOD : bad >= 2 && 10 * bad >= 3 * sent ? SEVERE : ERRORED;
}

/* Rows that make one interval. 0: there are no frames. */
static uint32_t interval_of(const GArray *rows, enum zg_path path)
{
    uint64_t sent = 0, seconds = 0;

    for (guint i = 0; i < rows->len; i++) {
        sent += row_at(rows, i)->sent[path];
        seconds += !row_at(rows, i)->held;
    }
    return sent == 0 ? 0 : (uint32_t)MAX(1.0, ceil((double)(FRAMES_LEAST * seconds) / (double)sent));
}

static GArray *divide(const GArray *rows, enum zg_path path, uint32_t length)
{
    GArray *intervals = g_array_new(FALSE, FALSE, sizeof(struct interval));
    struct interval next = { .from = 0 };
    uint32_t count = 0;

    for (guint i = 0; i < rows->len; i++) {
        const struct zg_time_row *row = row_at(rows, i);
        if (row->held)
            continue;
        next.sent += row->sent[path];
        next.bad += row->bad[path];
        if (++count < length)
            continue;
        next.state = judge(next.sent, next.bad);
        next.to = i + 1;
        g_array_append_val(intervals, next);
        next = (struct interval){ .from = i + 1 };
        count = 0;
    }
    return intervals;
}

static void set_state(GArray *intervals, guint from, guint to, bool unavailable)
{
    for (guint i = from; i < to; i++)
        g_array_index(intervals, struct interval, i).unavailable = unavailable;
}

/* Ten in a row turn the state, from the first of them on. */
static void find_outages(GArray *intervals)
{
    bool unavailable = false;
    guint against = 0, since = 0; /* those in a row that speak against the state; where they began */

    for (guint i = 0; i < intervals->len; i++) {
        struct interval *at = &g_array_index(intervals, struct interval, i);
        at->unavailable = unavailable;
        if (at->state == EMPTY)
            continue;
        if ((at->state == SEVERE) == unavailable) {
            against = 0;
            continue;
        }
        if (against++ == 0)
            since = i;
        if (against < TURN)
            continue;
        unavailable = !unavailable;
        set_state(intervals, since, i + 1, unavailable);
        against = 0;
    }
}

static GArray *intervals_of(const GArray *rows, enum zg_path path, uint32_t length)
{
    GArray *intervals = divide(rows, path, length);
    find_outages(intervals);
    return intervals;
}

struct zg_availability zg_availability_of(const GArray *rows, enum zg_path path)
{
    struct zg_availability found = { .interval_s = interval_of(rows, path) };
    uint64_t run = 0;

    if (found.interval_s == 0)
        return found;
    g_autoptr(GArray) intervals = intervals_of(rows, path, found.interval_s);
    for (guint i = 0; i < intervals->len; i++) {
        const struct interval *at = &g_array_index(intervals, struct interval, i);
        found.seconds++;
        found.outages += at->unavailable && run == 0;
        run = at->unavailable ? run + 1 : 0;
        found.longest = MAX(found.longest, run);
        if (at->unavailable)
            continue;
        found.available++;
        found.errored += at->state >= ERRORED;
        found.severe += at->state == SEVERE;
        if (at->state != SEVERE) {
            found.frames += at->sent;
            found.bad += at->bad;
        }
    }
    return found;
}

uint8_t *zg_second_states(const GArray *rows)
{
    uint8_t *states = g_new0(uint8_t, rows->len + 1);

    for (unsigned path = 0; path < ZG_PATHS; path++) {
        const uint32_t length = interval_of(rows, (enum zg_path)path);
        if (length == 0)
            continue;
        g_autoptr(GArray) intervals = intervals_of(rows, (enum zg_path)path, length);
        for (guint i = 0; i < intervals->len; i++) {
            const struct interval *at = &g_array_index(intervals, struct interval, i);
            const uint8_t state = at->unavailable ? ZG_SECOND_UNAVAILABLE : (uint8_t)at->state;
            for (uint32_t k = at->from; k < at->to; k++)
                states[k] = MAX(states[k], state);
        }
    }
    for (guint i = 0; i < rows->len; i++)
        if (row_at(rows, i)->held)
            states[i] = ZG_SECOND_NOT_MEASURED;
    return states;
}

struct zg_availability zg_availability_of_all(const GArray *rows)
{
    struct zg_availability found = { .interval_s = 1 };
    g_autofree uint8_t *states = zg_second_states(rows);
    uint64_t run = 0;

    for (guint i = 0; i < rows->len; i++) {
        const bool unavailable = states[i] == ZG_SECOND_UNAVAILABLE;
        if (states[i] == ZG_SECOND_NOT_MEASURED)
            continue;
        found.seconds++;
        found.available += !unavailable;
        found.outages += unavailable && run == 0;
        run = unavailable ? run + 1 : 0;
        found.longest = MAX(found.longest, run);
    }
    return found;
}

uint64_t zg_seconds_held(const GArray *rows)
{
    uint64_t held = 0;

    for (guint i = 0; i < rows->len; i++)
        held += row_at(rows, i)->held;
    return held;
}

guint zg_worst_seconds(const GArray *rows, struct zg_worst_second worst[ZG_WORST_MOST])
{
    guint count = 0;

    for (guint i = 0; i < rows->len; i++) {
        const struct zg_time_row *row = row_at(rows, i);
        const struct zg_worst_second here = { i, (uint64_t)row->bad[0] + row->bad[1] + row->bad[2] };
        guint at = count;
        while (at > 0 && worst[at - 1].lost < here.lost)
            at--;
        if (here.lost == 0 || at == ZG_WORST_MOST)
            continue;
        count = MIN(count + 1, (guint)ZG_WORST_MOST);
        for (guint k = count - 1; k > at; k--)
            worst[k] = worst[k - 1];
        worst[at] = here;
    }
    return count;
}
