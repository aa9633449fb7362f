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
        "SELECT from_seconds, to_seconds, hit_from_seconds, hit_to_seconds, way = 'back', frames, accepted, "
        "dropped, overruns, framing_errors, parity_errors, breaks, sent, arrived FROM stretch WHERE run = "
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
                                               .accepted = (unsigned)sqlite3_column_int64(row, 6),
                                               .sent = bytes_at(row, 7 + ZG_FLAGS),
                                               .arrived = bytes_at(row, 8 + ZG_FLAGS) };
        for (int i = 0; i < ZG_FLAGS; i++)
            stretch.flagged[i] = (uint32_t)sqlite3_column_int64(row, 7 + i);
        stored->evidence->framing_errors[stretch.back] += stretch.flagged[ZG_FLAGGED_FRAMING];
        g_array_append_val(stored->evidence->stretches, stretch);
    }
    return row && sqlite3_finalize(row) == SQLITE_OK;
}

/* Until when the bytes of all of a way's damages are kept: a store takes those of fewer and fewer seconds. The first
 * without bytes tells, unless none has any, or those of every second second have (they are missing for other reasons).
 */
static double whole_until_s(const struct zg_evidence *evidence, bool back)
{
    double until_s = INFINITY;
    guint known = 0, odd = 0, later = 0;

    for (guint i = 0; i < evidence->stretches->len; i++) {
        const struct zg_evidence_stretch *stretch = &g_array_index(evidence->stretches, struct zg_evidence_stretch, i);
        const bool is_known = stretch->sent && stretch->arrived;
        if (stretch->back != back)
            continue;
        if (!is_known && known > 0)
            until_s = fmin(until_s, floor(stretch->from_s));
        known += is_known;
        later += is_known && stretch->from_s >= until_s;
        odd += is_known && stretch->from_s >= until_s && fmod(floor(stretch->from_s), 2) > 0;
    }
    return odd > 0 || later == 0 ? INFINITY : until_s;
}

static bool read_seconds(sqlite3 *database, struct zg_stored *stored)
{
    sqlite3_stmt *row = zgi_store_about(database,
                                        "SELECT at, way = 'back', bytes, came, lump_bytes, lump_us, picked FROM second "
                                        "WHERE run = ? AND flow = 'any' AND held_ms = 0 ORDER BY at",
                                        stored->run);

    while (row && sqlite3_step(row) == SQLITE_ROW) {
        const struct zg_evidence_second second = { sqlite3_column_double(row, 2), sqlite3_column_double(row, 3),
                                                   sqlite3_column_double(row, 4), sqlite3_column_double(row, 5) };
        g_autoptr(GArray) picked = g_array_new(FALSE, FALSE, sizeof(uint32_t));
        if (sqlite3_column_type(row, 6) == SQLITE_BLOB)
            (void)zgi_numbers_unpack(sqlite3_column_blob(row, 6), (size_t)sqlite3_column_bytes(row, 6), picked);
        zg_evidence_add_second(stored->evidence, sqlite3_column_int(row, 1) != 0,
                               (uint32_t)sqlite3_column_int64(row, 0), &second, picked);
    }
    return row && sqlite3_finalize(row) == SQLITE_OK;
}

static void take_counts(struct zg_stored *stored)
{
    struct zg_evidence *evidence = stored->evidence;

    evidence->own_echoes = stored->sums.own_echoes;
    zg_evidence_set_sums(evidence, &stored->sums.sums);
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
    for (unsigned back = 0; back < 2; back++)
        stored->evidence->whole_until_s[back] = whole_until_s(stored->evidence, back);
    zg_evidence_set_events(stored->evidence, stored->events);
    take_counts(stored);
    stored->diagnosis = zg_diagnose(stored->evidence);
    return true;
}
