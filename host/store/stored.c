/* SPDX-License-Identifier: MIT */
#include "store/stored.h"

#include <string.h>

#include "store/stored_parts.h"

static void clear_counter(void *data)
{
    g_free(((struct zg_stored_counter *)data)->end);
    g_free(((struct zg_stored_counter *)data)->name);
}

static char *text_at(sqlite3_stmt *row, int column)
{
    return g_strdup((const char *)sqlite3_column_text(row, column));
}

static bool read_run(sqlite3 *database, int64_t run, struct zg_stored *stored)
{
    sqlite3_stmt *row =
        zgi_store_about(database,
                        "SELECT run, begun, tool, protocol, link, settings, host, ended, result, fingerprint, "
                        "planned_seconds, ran_seconds, parts, command, adapter, json_extract(result, '$.device_name'), "
                        "json_extract(result, '$.device_boots'), json_extract(settings, '$.traffic') = 'own' FROM run "
                        "WHERE run = ?1 OR ?1 = 0 ORDER BY run DESC",
                        run);
    const bool found = row && sqlite3_step(row) == SQLITE_ROW;

    if (found) {
        stored->run = sqlite3_column_int64(row, 0);
        stored->begun = text_at(row, 1);
        stored->tool = text_at(row, 2);
        stored->protocol = text_at(row, 3);
        stored->link = text_at(row, 4);
        stored->settings = text_at(row, 5);
        stored->host = text_at(row, 6);
        stored->ended = text_at(row, 7);
        stored->result = text_at(row, 8);
        stored->fingerprint = (uint32_t)sqlite3_column_int64(row, 9);
        stored->planned_s = sqlite3_column_double(row, 10);
        stored->ran_s = sqlite3_column_double(row, 11);
        stored->parts = (unsigned)sqlite3_column_int(row, 12);
        stored->command = text_at(row, 13);
        stored->adapter = text_at(row, 14);
        stored->device = text_at(row, 15);
        stored->boots = text_at(row, 16);
        stored->sums.traffic = sqlite3_column_int(row, 17) != 0 ? ZG_SOAK_OWN : ZG_SOAK_ECHO | ZG_SOAK_STREAM;
    }
    sqlite3_finalize(row);
    return found;
}

/* The settings on one line, with those faults that there were. */
static bool read_settings(sqlite3 *database, struct zg_stored *stored)
{
    sqlite3_stmt *row = zgi_store_about(
        database,
        "SELECT group_concat(replace(replace(substr(fullkey, 3), '.all', ''), '\"', '') || ' ' || atom, ', ') "
        "FROM run, "
        "json_tree(run.settings) WHERE run = ? AND atom IS NOT NULL AND atom != '' AND (path = '$' AND "
        "key != 'link' OR key = 'all')",
        stored->run);

    if (row && sqlite3_step(row) == SQLITE_ROW)
        stored->settings_text = text_at(row, 0);
    return row && sqlite3_finalize(row) == SQLITE_OK;
}

static enum zg_flow flow_of(const char *way, const char *flow)
{
    unsigned found = 0;

    while (found < ZG_FLOWS && (strcmp(zgi_store_way((enum zg_flow)found), way) != 0 ||
                                strcmp(zgi_store_flow((enum zg_flow)found), flow) != 0))
        found++;
    return (enum zg_flow)found;
}

static void add_latency(struct zg_stored *stored, enum zg_flow flow, const void *bytes, int length)
{
    g_autoptr(GArray) counts = g_array_new(FALSE, FALSE, sizeof(struct zgi_latency_count));

    if (!zgi_latency_unpack(bytes, (size_t)length, counts))
        return;
    for (guint i = 0; i < counts->len; i++) {
        const struct zgi_latency_count *count = &g_array_index(counts, struct zgi_latency_count, i);
        const bool is_answer = flow == ZG_FLOW_ECHO_BACK;
        zg_spread_add_many(is_answer ? &stored->sums.round_trip : &stored->one_way[flow], zg_spread_top(count->bin),
                           count->count);
    }
}

/* Adds a row of `second`: flow, damages, slow, held_ms, latency and the classes, from these columns on. */
static void add_row(struct zg_stored *stored, sqlite3_stmt *row, struct zg_second *second)
{
    enum { WAY = 1, FLOW, SENT, DAMAGES, SLOW, HELD, LATENCY, BYTES, P50, P99, MOST, CLASSES };
    const char *way = (const char *)sqlite3_column_text(row, WAY);
    const enum zg_flow flow = flow_of(way, (const char *)sqlite3_column_text(row, FLOW));
    struct zg_ledger_sums *sums = &stored->sums.sums;
    const bool at_host = strcmp(way, "back") == 0;

    struct zg_stored_second *all = &g_array_index(stored->seconds, struct zg_stored_second, stored->seconds->len - 1);

    second->damages[at_host] += (uint32_t)sqlite3_column_int64(row, DAMAGES);
    all->damages[at_host] += (uint32_t)sqlite3_column_int64(row, DAMAGES);
    stored->sums.damages[at_host] += (uint64_t)sqlite3_column_int64(row, DAMAGES);
    stored->sums.slow += (uint64_t)sqlite3_column_int64(row, SLOW);
    second->held_ms = MAX(second->held_ms, (uint32_t)sqlite3_column_int64(row, HELD));
    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        const uint64_t count = (uint64_t)sqlite3_column_int64(row, CLASSES + (int)i);
        all->classes[at_host][i] += (uint32_t)count;
        if (zg_class_is_of_arrivals((enum zg_class)i))
            sums->arrivals[at_host][i] += count;
        if (flow < ZG_FLOWS && i < ZG_ENTRY_CLASSES) {
            sums->entries[flow][i] += count;
            second->flows[flow].classes[i] = (uint32_t)count;
        }
        if (i >= ZG_CLASS_REPEATED)
            second->others[at_host][i - ZG_CLASS_REPEATED] += (uint32_t)count;
    }
    if (flow == ZG_FLOWS) {
        all->bytes[at_host] += (uint64_t)sqlite3_column_int64(row, BYTES);
        return;
    }
    all->sent[at_host] += (uint32_t)sqlite3_column_int64(row, SENT);
    all->p50_us = MAX(all->p50_us, (uint32_t)sqlite3_column_int64(row, P50));
    all->p99_us = MAX(all->p99_us, (uint32_t)sqlite3_column_int64(row, P99));
    all->most_us = MAX(all->most_us, (uint32_t)sqlite3_column_int64(row, MOST));
    second->flows[flow].sent = (uint32_t)sqlite3_column_int64(row, SENT);
    sums->sent[flow] += second->flows[flow].sent;
    if (sqlite3_column_type(row, LATENCY) == SQLITE_BLOB)
        add_latency(stored, flow, sqlite3_column_blob(row, LATENCY), sqlite3_column_bytes(row, LATENCY));
}

static void end_second(struct zg_stored *stored, struct zg_second *second)
{
    const struct zg_time_row time = zg_time_row_of(second, stored->sums.real);

    g_array_append_val(stored->times, time);
    *second = (struct zg_second){ .at = second->at + 1 };
}

static bool read_seconds(sqlite3 *database, struct zg_stored *stored)
{
    g_autofree char *classes = zgi_store_class_columns();
    g_autofree char *sql = g_strdup_printf(
        "SELECT at, way, flow, sent, damages, slow, held_ms, latency, bytes, latency_p50_us, latency_p99_us, "
        "latency_most_us, %s FROM second "
        "WHERE run = ? ORDER BY at",
        classes);
    sqlite3_stmt *row = zgi_store_about(database, sql, stored->run);
    struct zg_second second = { .at = 0 };
    bool any = false;

    while (row && sqlite3_step(row) == SQLITE_ROW) {
        while (second.at < (uint32_t)sqlite3_column_int64(row, 0))
            end_second(stored, &second);
        if (stored->seconds->len <= second.at)
            g_array_set_size(stored->seconds, second.at + 1);
        add_row(stored, row, &second);
        any = true;
    }
    if (any)
        end_second(stored, &second);
    g_array_set_size(stored->times,
                     MIN(stored->times->len, (guint)(stored->ran_s + 1e-3))); /* the last one is not over */
    zg_clusters_of(stored->times, stored->sums.clusters);
    return row && sqlite3_finalize(row) == SQLITE_OK;
}

/* A number of the result, by its path. */
G_GNUC_PRINTF(3, 4) static uint64_t extract(sqlite3 *database, int64_t run, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *path = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_autofree char *sql = g_strdup_printf("SELECT json_extract(result, '$.%s') FROM run WHERE run = ?", path);
    sqlite3_stmt *row = zgi_store_about(database, sql, run);
    const uint64_t value = row && sqlite3_step(row) == SQLITE_ROW ? (uint64_t)sqlite3_column_int64(row, 0) : 0;

    sqlite3_finalize(row);
    return value;
}

/* The sums of a run that ended by itself in one part: they know which way an echo was lost. */
static void read_sums(sqlite3 *database, struct zg_stored *stored)
{
    static const char *const flows[ZG_FLOWS] = { "echo_out", "echo_back", "stream_out", "stream_back" };
    static const char *const ends[2] = { "device", "host" };
    struct zg_ledger_sums *sums = &stored->sums.sums;

    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        const char *key = zg_class_key((enum zg_class)i);
        for (unsigned flow = 0; flow < ZG_FLOWS && i < ZG_ENTRY_CLASSES; flow++)
            sums->entries[flow][i] = extract(database, stored->run, "sent.%s.%s", flows[flow], key);
        for (unsigned end = 0; end < 2 && zg_class_is_of_arrivals((enum zg_class)i); end++)
            sums->arrivals[end][i] = extract(database, stored->run, "arrived.%s.%s", ends[end], key);
    }
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        sums->sent[flow] = extract(database, stored->run, "sent.%s.sent", flows[flow]);
}

static bool read_events(sqlite3 *database, struct zg_stored *stored)
{
    sqlite3_stmt *row = zgi_store_about(
        database, "SELECT at_seconds, kind, text FROM event WHERE run = ? ORDER BY at_seconds", stored->run);

    while (row && sqlite3_step(row) == SQLITE_ROW) {
        const char *kind = (const char *)sqlite3_column_text(row, 1);
        struct zg_event event = { .at_ns = (uint64_t)(sqlite3_column_double(row, 0) * 1e9), .text = text_at(row, 2) };
        while (event.kind + 1 < ZG_EVENTS && strcmp(zg_event_name(event.kind), kind) != 0)
            event.kind++;
        g_array_append_val(stored->events, event);
    }
    return row && sqlite3_finalize(row) == SQLITE_OK;
}

static bool read_requirements(sqlite3 *database, struct zg_stored *stored)
{
    sqlite3_stmt *row =
        zgi_store_about(database,
                        "SELECT json_extract(value, '$.rule'), json_extract(value, '$.confidence') FROM run, "
                        "json_each(run.requirements) WHERE run = ?",
                        stored->run);
    while (row && sqlite3_step(row) == SQLITE_ROW) {
        struct zg_soak_requirement requirement;
        const char *rule = (const char *)sqlite3_column_text(row, 0);
        if (!rule || !zg_soak_requirement_parse(rule, &requirement, NULL))
            continue;
        requirement.confidence = sqlite3_column_double(row, 1);
        g_array_append_val(stored->requirements, requirement);
    }
    return row && sqlite3_finalize(row) == SQLITE_OK;
}

static bool read_counters(sqlite3 *database, struct zg_stored *stored)
{
    sqlite3_stmt *row =
        zgi_store_about(database,
                        "SELECT end, name, value FROM counters AS c WHERE run = ? AND value > 0 AND at_seconds = "
                        "(SELECT max(at_seconds) FROM counters WHERE run = c.run AND end = c.end) ORDER BY end, name",
                        stored->run);

    while (row && sqlite3_step(row) == SQLITE_ROW) {
        const struct zg_stored_counter counter = { text_at(row, 0), text_at(row, 1), sqlite3_column_int64(row, 2) };
        g_array_append_val(stored->counters, counter);
    }
    return row && sqlite3_finalize(row) == SQLITE_OK;
}

static bool read_damages(sqlite3 *database, struct zg_stored *stored)
{
    sqlite3_stmt *row = zgi_store_about(
        database, "SELECT way, name, count(*) FROM stretch WHERE run = ? GROUP BY way, name", stored->run);

    while (row && sqlite3_step(row) == SQLITE_ROW) {
        const char *way = (const char *)sqlite3_column_text(row, 0), *key = (const char *)sqlite3_column_text(row, 1);
        unsigned name = 0;
        while (name < ZG_DAMAGE_NAMES && g_strcmp0(zg_damage_key((enum zg_damage_name)name), key) != 0)
            name++;
        stored->damages[strcmp(way, "back") == 0][name] += (uint64_t)sqlite3_column_int64(row, 2);
    }
    return row && sqlite3_finalize(row) == SQLITE_OK;
}

static bool read_all(sqlite3 *database, struct zg_stored *stored, bool explains)
{
    stored->sums.real = !g_str_has_prefix(stored->link, "sim:");
    stored->sums.adds_up = true;
    /* One that did not come to its planned end, or not in one go, is judged as one that may end at any time. */
    stored->sums.any_time = stored->parts > 1 || stored->ran_s < stored->planned_s - 1e-3;
    stored->sums.own_echoes = extract(database, stored->run, "own_echoes");
    const bool fine = read_settings(database, stored) && read_seconds(database, stored) &&
                      read_events(database, stored) && read_requirements(database, stored) &&
                      read_counters(database, stored) && read_damages(database, stored);
    if (fine && stored->result && stored->parts == 1)
        read_sums(database, stored);
    return fine && (!explains || zgi_stored_read_evidence(database, stored));
}

static sqlite3 *open_to_read(const char *file, GError **error)
{
    if (!g_file_test(file, G_FILE_TEST_EXISTS)) {
        g_set_error(error, ZG_STORE_ERROR, 0, "%s: no such file", file);
        return NULL;
    }
    /* A store that was cut off has a log beside it, which only a writer can work in. */
    sqlite3 *database = zgi_store_open(file, SQLITE_OPEN_READWRITE, NULL);
    return database ? database : zgi_store_open(file, SQLITE_OPEN_READONLY, error);
}

static struct zg_stored *read_stored(const char *file, int64_t run, bool explains, GError **error)
{
    sqlite3 *database = open_to_read(file, error);

    if (!database)
        return NULL;
    struct zg_stored *stored = g_new0(struct zg_stored, 1);
    stored->times = g_array_new(FALSE, FALSE, sizeof(struct zg_time_row));
    stored->seconds = g_array_new(FALSE, TRUE, sizeof(struct zg_stored_second));
    stored->events = zg_events_new();
    stored->requirements = g_array_new(FALSE, FALSE, sizeof(struct zg_soak_requirement));
    stored->counters = g_array_new(FALSE, FALSE, sizeof(struct zg_stored_counter));
    g_array_set_clear_func(stored->counters, clear_counter);
    (void)sqlite3_exec(database, "BEGIN", NULL, NULL, NULL); /* all of one moment, also while a soak writes */
    const bool found = read_run(database, run, stored), fine = found && read_all(database, stored, explains);
    if (!fine) {
        if (!found && run == 0)
            g_set_error(error, ZG_STORE_ERROR, 0, "%s: there is no run in it", file);
        else if (!found)
            g_set_error(error, ZG_STORE_ERROR, 0, "%s: there is no run %" G_GINT64_FORMAT " in it", file, run);
        else
            g_set_error(error, ZG_STORE_ERROR, 0, "%s: %s", file, sqlite3_errmsg(database));
        g_clear_pointer(&stored, zg_stored_free);
    }
    sqlite3_close(database);
    return stored;
}

struct zg_stored *zg_stored_read(const char *file, int64_t run, GError **error)
{
    return read_stored(file, run, true, error);
}

struct zg_stored *zg_stored_read_counts(const char *file, int64_t run, GError **error)
{
    return read_stored(file, run, false, error);
}

GArray *zg_stored_runs(const char *file, GError **error)
{
    sqlite3 *database = open_to_read(file, error);
    sqlite3_stmt *row = database ? zgi_store_prepare(database, "SELECT run FROM run ORDER BY run") : NULL;
    GArray *runs = database ? g_array_new(FALSE, FALSE, sizeof(int64_t)) : NULL;

    while (row && sqlite3_step(row) == SQLITE_ROW) {
        const int64_t run = sqlite3_column_int64(row, 0);
        g_array_append_val(runs, run);
    }
    sqlite3_finalize(row);
    sqlite3_close(database);
    return runs;
}

void zg_stored_free(struct zg_stored *stored)
{
    char *const texts[] = { stored->begun,   stored->tool,   stored->protocol, stored->link,          stored->settings,
                            stored->host,    stored->ended,  stored->result,   stored->settings_text, stored->command,
                            stored->adapter, stored->device, stored->boots };

    for (size_t i = 0; i < G_N_ELEMENTS(texts); i++)
        g_free(texts[i]);
    g_array_unref(stored->times);
    g_array_unref(stored->seconds);
    g_array_unref(stored->events);
    g_array_unref(stored->requirements);
    g_array_unref(stored->counters);
    zg_diagnosis_free(stored->diagnosis);
    zg_evidence_free(stored->evidence);
    zg_plan_free(stored->plan);
    zg_definition_free(stored->definition);
    g_free(stored);
}

bool zg_stored_passed(const struct zg_stored *stored)
{
    bool passed = true;

    for (guint i = 0; i < stored->requirements->len; i++) {
        const struct zg_soak_requirement *requirement =
            &g_array_index(stored->requirements, struct zg_soak_requirement, i);
        struct zg_soak_rate rate;
        passed = zg_soak_judge(&stored->sums, requirement, &rate) == ZG_SOAK_MET && passed;
    }
    return passed;
}

/* --- as comma-separated values */

static void append_value(GString *text, const char *value, size_t length)
{
    if (!memchr(value, ',', length) && !memchr(value, '"', length) && !memchr(value, '\n', length) &&
        !memchr(value, '\r', length)) {
        g_string_append_len(text, value, (gssize)length);
        return;
    }
    g_string_append_c(text, '"');
    for (size_t i = 0; i < length; i++) {
        g_string_append_c(text, value[i]);
        if (value[i] == '"')
            g_string_append_c(text, '"');
    }
    g_string_append_c(text, '"');
}

static void append_cell(GString *text, sqlite3_stmt *row, int column)
{
    const uint8_t *bytes = sqlite3_column_type(row, column) == SQLITE_BLOB ? sqlite3_column_blob(row, column) : NULL;

    if (column > 0)
        g_string_append_c(text, ',');
    for (int i = 0; bytes && i < sqlite3_column_bytes(row, column); i++)
        g_string_append_printf(text, "%02x", bytes[i]);
    const char *value = bytes ? NULL : (const char *)sqlite3_column_text(row, column);
    if (value)
        append_value(text, value, (size_t)sqlite3_column_bytes(row, column));
}

/* The rows of the run, with its number in their column `run`. */
static char *csv_of(sqlite3 *database, const char *table, int64_t run)
{
    g_autofree char *sql = g_strdup_printf(
        "SELECT * FROM \"%s\" WHERE run = CASE ?1 WHEN 0 THEN (SELECT max(run) FROM run) ELSE ?1 END", table);
    sqlite3_stmt *row = zgi_store_about(database, sql, run);
    GString *text = g_string_new(NULL);

    for (int i = 0; i < sqlite3_column_count(row); i++)
        g_string_append_printf(text, "%s%s", i > 0 ? "," : "", sqlite3_column_name(row, i));
    g_string_append(text, "\r\n");
    while (sqlite3_step(row) == SQLITE_ROW) {
        for (int i = 0; i < sqlite3_column_count(row); i++)
            append_cell(text, row, i);
        g_string_append(text, "\r\n");
    }
    sqlite3_finalize(row);
    return g_string_free(text, FALSE);
}

char *zg_stored_csv(const char *file, int64_t run, const char *table, GError **error)
{
    static const char *const tables[] = { "run", "second", "event", "stretch", "counters", NULL };

    if (!g_strv_contains(tables, table)) {
        g_set_error(error, ZG_STORE_ERROR, 1, "expected one of run, second, event, stretch, counters, found \"%s\"",
                    table);
        return NULL;
    }
    sqlite3 *database = open_to_read(file, error);
    if (!database)
        return NULL;
    char *text = csv_of(database, table, run);
    sqlite3_close(database);
    return text;
}
