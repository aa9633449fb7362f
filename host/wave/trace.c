/* SPDX-License-Identifier: MIT */
#include "wave/trace.h"

enum { CODED_MOST = 10 /* bytes of a change */ };

struct zg_trace *zg_trace_new(const char *name)
{
    struct zg_trace *trace = g_new0(struct zg_trace, 1);

    trace->name = g_strdup(name);
    return trace;
}

void zg_trace_free(struct zg_trace *trace)
{
    if (!trace)
        return;
    g_free(trace->coded);
    g_free(trace->name);
    g_free(trace);
}

/* The latest level ends. */
static void note_stretch(struct zg_trace *trace, int64_t length_ps)
{
    int64_t *shortest_ps = &trace->shortest_ps[trace->latest], *longest_ps = &trace->longest_ps[trace->latest];

    if (trace->changes > 0 && (*shortest_ps == 0 || length_ps < *shortest_ps))
        *shortest_ps = length_ps;
    if (length_ps > *longest_ps)
        *longest_ps = length_ps;
}

void zg_trace_add(struct zg_trace *trace, int64_t at_ps, enum zg_trace_level level)
{

    trace->end_ps = at_ps;
    if (!trace->begun) {
        trace->begun = true;
        trace->first = trace->latest = level;
        return;
    }
    if (level == trace->latest)
        return;
    note_stretch(trace, at_ps - trace->last_ps);
    uint64_t value = (uint64_t)(at_ps - trace->last_ps) << 2 | level;
    if (trace->size - trace->used < CODED_MOST) {
        trace->size += trace->size / 2 + 4096;
        trace->coded = g_realloc(trace->coded, trace->size);
    }
    for (; value >= 0x80; value >>= 7)
        trace->coded[trace->used++] = (uint8_t)(value | 0x80);
    trace->coded[trace->used++] = (uint8_t)value;
    trace->last_ps = at_ps;
    trace->latest = level;
    trace->changes++;
}

struct zg_trace *zg_trace_head(const struct zg_trace *trace, uint64_t changes)
{
    struct zg_trace *head = zg_trace_new(trace->name);
    struct zg_trace_reader reader = zg_trace_read(trace);
    enum zg_trace_level level;
    int64_t at_ps;

    zg_trace_add(head, 0, trace->first);
    while (head->changes < changes && zg_trace_next(&reader, &at_ps, &level))
        zg_trace_add(head, at_ps, level);
    if (head->changes == trace->changes)
        head->end_ps = trace->end_ps;
    return head;
}
