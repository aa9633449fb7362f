/* SPDX-License-Identifier: MIT */
#include "soak/availability.h"

#include <math.h>

enum { TURN = 10, FRAMES_LEAST = 10 };

enum state { EMPTY, GOOD, ERRORED, SEVERE };

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

struct zg_availability zg_availability_of_all(const GArray *rows)
{
    struct zg_availability found = { .interval_s = 1 };
    g_autofree bool *unavailable = g_new0(bool, rows->len + 1);
    uint64_t run = 0;

    for (unsigned path = 0; path < ZG_PATHS; path++) {
        const uint32_t length = interval_of(rows, (enum zg_path)path);
        if (length == 0)
            continue;
        g_autoptr(GArray) intervals = intervals_of(rows, (enum zg_path)path, length);
        for (guint i = 0; i < intervals->len; i++) {
            const struct interval *at = &g_array_index(intervals, struct interval, i);
            for (uint32_t k = at->from; at->unavailable && k < at->to; k++)
                unavailable[k] = true;
        }
    }
    for (guint i = 0; i < rows->len; i++) {
        if (row_at(rows, i)->held)
            continue;
        found.seconds++;
        found.available += !unavailable[i];
        found.outages += unavailable[i] && run == 0;
        run = unavailable[i] ? run + 1 : 0;
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
