/* SPDX-License-Identifier: MIT */
/* The level of a recorded wire: changes, kept in a few bytes each, read from the first on. Times are picoseconds since
 * the recording's first. */
#ifndef ZEUGMA_WAVE_TRACE_H
#define ZEUGMA_WAVE_TRACE_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

enum zg_trace_level { ZG_LEVEL_IS_LOW, ZG_LEVEL_IS_HIGH, ZG_LEVEL_IS_NONE /* unknown, or not driven */ };

struct zg_trace {
    char *name;
    uint64_t changes;                  /* after the first level */
    int64_t longest_ps[3];             /* of each level's stretches, the last one without its end, */
    int64_t shortest_ps[3];            /* and of those between two changes; 0: there is none */
    enum zg_trace_level first, latest; /* of the levels */
    bool begun;
    int64_t end_ps; /* until when the latest level is known to last */
    /* private */
    uint8_t *coded;
    size_t used, size;
    int64_t last_ps;
};

struct zg_trace *zg_trace_new(const char *name);
void zg_trace_free(struct zg_trace *trace);

/* The level is this from then on; times do not go back. */
void zg_trace_add(struct zg_trace *trace, int64_t at_ps, enum zg_trace_level level);

/* A copy of at most so many of its changes. */
struct zg_trace *zg_trace_head(const struct zg_trace *trace, uint64_t changes);

/* A place in a trace. */
struct zg_trace_reader {
    const struct zg_trace *trace;
    size_t at;
    int64_t at_ps;
};

static inline struct zg_trace_reader zg_trace_read(const struct zg_trace *trace)
{
    return (struct zg_trace_reader){ .trace = trace };
}

/* The next change. False: there are no more. */
static inline bool zg_trace_next(struct zg_trace_reader *reader, int64_t *at_ps, enum zg_trace_level *level)
{
    const struct zg_trace *trace = reader->trace;
    uint64_t value = 0;
    unsigned shift = 0;
    uint8_t byte;

    if (reader->at >= trace->used)
        return false;
    do {
        byte = trace->coded[reader->at++];
        value |= (uint64_t)(byte & 0x7F) << shift;
        shift += 7;
    } while (byte & 0x80);
    reader->at_ps += (int64_t)(value >> 2);
    *at_ps = reader->at_ps;
    *level = (enum zg_trace_level)(value & 3);
    return true;
}

#endif
