/* SPDX-License-Identifier: MIT */
/* A run's damages, read for the diagnosis. */
#include <math.h>
#include <string.h>

#include "store/stored_parts.h"

static const double real_resolution_s = 2e-3; /* of when a real link's bytes were read */

static double number_at(sqlite3_stmt *row, int column)
{
    return sqlite3_column_type(row, column) == SQLITE_NULL ? NAN : sqlite3_column_double(row, column);
}

static GBytes *bytes_at(sqlite3_stmt *row, int column)
{
    if (sqlite3_column_type(row, column) != SQLITE_BLOB)
        return NULL;
    return g_bytes_new(sqlite3_column_blob(row, column), (gsize)sqlite3_column_bytes(row, column));
}

/* The definition as the run has it. */
static void read_plan(sqlite3 *database, struct zg_stored *stored)
{
    sqlite3_stmt *row = zgi_store_about(
        database, "SELECT definition, json_extract(settings, '$.baud') FROM run WHERE run = ?", stored->run);
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("definition");
    double baud = 0;

    if (row && sqlite3_step(row) == SQLITE_ROW) {
        const char *text = (const char *)sqlite3_column_text(row, 0);
        stored->definition = text ? zg_definition_parse("definition", text, strlen(text), diagnostics) : NULL;
        stored->plan = stored->definition ? zg_plan_new(stored->definition, diagnostics) : NULL;
        baud = sqlite3_column_double(row, 1);
    }
    sqlite3_finalize(row);
    zg_diagnostics_free(diagnostics);
    if (stored->plan)
        stored->evidence->byte_s = (double)zg_line_byte_ns(&stored->definition->line) * 1e-9 *
                                   (baud > 0 ? (double)stored->definition->line.baud / baud : 1);
}

static bool read_stretches(sqlite3 *database, struct zg_stored *stored)
{
    sqlite3_stmt *row = zgi_store_about(
        database,
        "SELECT from_seconds, to_seconds, hit_from_seconds, hit_to_seconds, way = 'back', frames, rejected, accepted, "
        "unexpected, dropped, overruns, framing_errors, parity_errors, breaks, sent, arrived FROM stretch WHERE run = "
        "? "
        "ORDER BY rowid",
        stored->run);

    while (row && sqlite3_step(row) == SQLITE_ROW) {
        struct zg_evidence_stretch stretch = { .from_s = sqlite3_column_double(row, 0),
                                               .to_s = sqlite3_column_double(row, 1),
                                               .hit_from_s = number_at(row, 2),
                                               .hit_to_s = number_at(row, 3),
                                               .back = sqlite3_column_int(row, 4) != 0,
                                               .frames = (unsigned)sqlite3_column_int64(row, 5),
                                               .rejected = (unsigned)sqlite3_column_int64(row, 6),
                                               .accepted = (unsigned)sqlite3_column_int64(row, 7),
                                               .unexpected = (unsigned)sqlite3_column_int64(row, 8),
                                               .sent = bytes_at(row, 9 + ZG_FLAGS),
                                               .arrived = bytes_at(row, 10 + ZG_FLAGS) };
        for (int i = 0; i < ZG_FLAGS; i++)
            stretch.flagged[i] = (uint32_t)sqlite3_column_int64(row, 9 + i);
        stored->evidence->framing_errors[stretch.back] += stretch.flagged[ZG_FLAGGED_FRAMING];
        g_array_append_val(stored->evidence->stretches, stretch);
    }
    return row && sqlite3_finalize(row) == SQLITE_OK;
}

static void add_picked(GArray *picked, uint32_t at, const void *bytes, int length)
{
    g_autoptr(GArray) numbers = g_array_new(FALSE, FALSE, sizeof(uint32_t));

    if (!zgi_numbers_unpack(bytes, (size_t)length, numbers))
        return;
    for (guint i = 0; i < numbers->len; i++) {
        const double at_s = at + g_array_index(numbers, uint32_t, i) * 1e-6;
        g_array_append_val(picked, at_s);
    }
}

static bool read_seconds(sqlite3 *database, struct zg_stored *stored)
{
    sqlite3_stmt *row = zgi_store_about(database,
                                        "SELECT at, way = 'back', bytes, came, lump_bytes, lump_us, picked FROM second "
                                        "WHERE run = ? AND flow = 'any' AND held_ms = 0 ORDER BY at",
                                        stored->run);

    while (row && sqlite3_step(row) == SQLITE_ROW) {
        const uint32_t at = (uint32_t)sqlite3_column_int64(row, 0);
        const int back = sqlite3_column_int(row, 1);
        const struct zg_evidence_second second = { sqlite3_column_double(row, 2), sqlite3_column_double(row, 3),
                                                   sqlite3_column_double(row, 4), sqlite3_column_double(row, 5) };
        GArray *seconds = stored->evidence->seconds[back];
        if (at >= seconds->len)
            g_array_set_size(seconds, at + 1);
        g_array_index(seconds, struct zg_evidence_second, at) = second;
        if (sqlite3_column_type(row, 6) == SQLITE_BLOB)
            add_picked(stored->evidence->picked[back], at, sqlite3_column_blob(row, 6), sqlite3_column_bytes(row, 6));
    }
    return row && sqlite3_finalize(row) == SQLITE_OK;
}

static void take_events(struct zg_stored *stored)
{
    for (guint i = 0; i < stored->events->len; i++) {
        const struct zg_event *event = &g_array_index(stored->events, struct zg_event, i);
        const double at_s = (double)event->at_ns * 1e-9;
        if (event->kind == ZG_EVENT_RESTART)
            g_array_append_val(stored->evidence->restarts, at_s);
        else if (event->kind == ZG_EVENT_OUTAGE)
            g_array_append_val(stored->evidence->outages, at_s);
    }
}

static void take_counts(struct zg_stored *stored)
{
    struct zg_evidence *evidence = stored->evidence;

    evidence->own_echoes = stored->sums.own_echoes;
    for (unsigned end = 0; end < 2; end++) {
        const uint64_t *arrivals = stored->sums.sums.arrivals[end];
        evidence->repeated[end] = arrivals[ZG_CLASS_REPEATED];
        evidence->out_of_order[end] = arrivals[ZG_CLASS_OUT_OF_ORDER];
        evidence->unexpected[end] = arrivals[ZG_CLASS_UNEXPECTED];
    }
    for (guint i = 0; i < stored->counters->len; i++) {
        const struct zg_stored_counter *counter = &g_array_index(stored->counters, struct zg_stored_counter, i);
        const bool at_host = strcmp(counter->end, "host") == 0;
        if (strcmp(counter->name, "line_overrun") == 0)
            evidence->overruns[at_host] = (uint64_t)counter->value;
        else if (strcmp(counter->name, "bytes_dropped") == 0)
            evidence->dropped[at_host] = (uint64_t)counter->value;
    }
}

bool zgi_stored_read_evidence(sqlite3 *database, struct zg_stored *stored)
{
    stored->evidence = zg_evidence_new();
    read_plan(database, stored);
    stored->evidence->plan = stored->plan;
    stored->evidence->resolution_s = stored->sums.real ? real_resolution_s : stored->evidence->byte_s;
    if (!read_stretches(database, stored) || !read_seconds(database, stored))
        return false;
    take_events(stored);
    take_counts(stored);
    stored->diagnosis = zg_diagnose(stored->evidence);
    return true;
}
