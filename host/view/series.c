/* SPDX-License-Identifier: MIT */
#include "view/series.h"

#include <math.h>

enum {
    LEVELS = 14,
    MERGED = 4,  /* spans of one level in one of the next */
    KEPT = 32768 /* of each level */
};

/* Spans of one coarseness: a ring of the newest. */
struct level {
    struct zg_series_span *spans; /* number n at n % size */
    guint size;                   /* a power of two, up to KEPT */
    uint64_t count;               /* that there ever were */
    struct zg_series_span open;   /* being merged for the next level, */
    guint merged;                 /* of so many */
};

struct zg_series {
    struct level levels[LEVELS];
    uint64_t count;
    bool gap; /* before the next value */
};

struct zg_series *zg_series_new(void)
{
    return g_new0(struct zg_series, 1);
}

void zg_series_free(struct zg_series *series)
{
    for (unsigned i = 0; series && i < LEVELS; i++)
        g_free(series->levels[i].spans);
    g_free(series);
}

static uint64_t oldest_of(const struct level *level)
{
    return level->count - MIN(level->count, level->size);
}

static const struct zg_series_span *span_at(const struct level *level, uint64_t index)
{
    return &level->spans[index & (level->size - 1)];
}

static void grow(struct level *level)
{
    const guint size = level->size > 0 ? 2 * level->size : 64;
    struct zg_series_span *spans = g_new(struct zg_series_span, size);

    for (uint64_t i = oldest_of(level); i < level->count; i++)
        spans[i & (size - 1)] = *span_at(level, i);
    g_free(level->spans);
    level->spans = spans;
    level->size = size;
}

static void put(struct level *level, const struct zg_series_span *span)
{
    if (level->count == level->size && level->size < KEPT)
        grow(level);
    level->spans[level->count++ & (level->size - 1)] = *span;
}

static void merge(struct zg_series_span *into, const struct zg_series_span *span)
{
    into->to_ns = span->to_ns;
    into->least = fmin(into->least, span->least);
    into->greatest = fmax(into->greatest, span->greatest);
}

/* Whether a gap is so long that what was merged before it would no longer look like it: as long as that, or longer. */
static bool is_wide(const struct zg_series_span *before, const struct zg_series_span *span)
{
    return span->after_gap && span->from_ns - before->to_ns >= before->to_ns - before->from_ns;
}

/* Adds a span to a level, and what becomes whole by that to those above. A wide gap ends what was begun before it. */
static void add(struct zg_series *series, unsigned at, const struct zg_series_span *span)
{
    struct level *level = &series->levels[at];

    put(level, span);
    if (at + 1 == LEVELS)
        return;
    if (level->merged > 0 && is_wide(&level->open, span)) {
        add(series, at + 1, &level->open);
        level->merged = 0;
    }
    if (level->merged++ == 0)
        level->open = *span;
    else
        merge(&level->open, span);
    if (level->merged < MERGED)
        return;
    add(series, at + 1, &level->open);
    level->merged = 0;
}

void zg_series_add(struct zg_series *series, uint64_t at_ns, double value, bool after_gap)
{
    if (!isfinite(value)) {
        series->gap = true;
        return;
    }
    const struct zg_series_span span = { at_ns, at_ns, value, value, (after_gap || series->gap) && series->count > 0 };
    series->gap = false;
    series->count++;
    add(series, 0, &span);
}

/* The first span that ends at this time or later. */
static uint64_t find(const struct level *level, uint64_t from_ns)
{
    uint64_t low = oldest_of(level), high = level->count;

    while (low < high) {
        const uint64_t middle = low + (high - low) / 2;
        if (span_at(level, middle)->to_ns < from_ns)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

/* Whether a level reaches back to a time, or to the beginning. */
static bool reaches(const struct level *level, uint64_t from_ns)
{
    return level->count > 0 && (oldest_of(level) == 0 || span_at(level, oldest_of(level))->from_ns <= from_ns);
}

GArray *zg_series_read(const struct zg_series *series, uint64_t from_ns, uint64_t to_ns, guint most)
{
    GArray *spans = g_array_new(FALSE, FALSE, sizeof(struct zg_series_span));
    unsigned at = 0;
    uint64_t next_ns = from_ns;

    while (at + 1 < LEVELS && series->levels[at + 1].count > 0 &&
           (!reaches(&series->levels[at], from_ns) ||
            find(&series->levels[at], to_ns) - find(&series->levels[at], from_ns) > most))
        at++;
    for (unsigned left = at + 1; left > 0; left--) { /* what is not yet whole there is in the finer ones */
        const struct level *level = &series->levels[left - 1];
        for (uint64_t i = find(level, next_ns); i < level->count && span_at(level, i)->from_ns <= to_ns; i++) {
            const struct zg_series_span *span = span_at(level, i);
            if (span->from_ns < next_ns && spans->len > 0)
                continue;
            g_array_append_vals(spans, span, 1);
            next_ns = span->to_ns + 1;
        }
    }
    return spans;
}

uint64_t zg_series_count(const struct zg_series *series)
{
    return series->count;
}

size_t zg_series_memory(const struct zg_series *series)
{
    size_t size = sizeof *series;

    for (unsigned i = 0; i < LEVELS; i++)
        size += series->levels[i].size * sizeof(struct zg_series_span);
    return size;
}
