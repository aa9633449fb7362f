/* SPDX-License-Identifier: MIT */
/* The runs of a store: a new one, or one that goes on. */
#include <string.h>
#include <sys/utsname.h>

#include "store/store_parts.h"

bool zgi_store_sql(sqlite3 *database, const char *sql)
{
    return sqlite3_exec(database, sql, NULL, NULL, NULL) == SQLITE_OK;
}

bool zgi_store_make_tables(sqlite3 *database)
{
    g_autofree char *sql =
        g_strdup_printf("BEGIN IMMEDIATE; PRAGMA application_id = %d; PRAGMA user_version = %d; %s COMMIT",
                        ZGI_STORE_APPLICATION, ZGI_STORE_VERSION, zgi_store_schema);
    sqlite3_stmt *count = zgi_store_prepare(database, "SELECT count(*) FROM sqlite_schema");
    const bool is_new = count && sqlite3_step(count) == SQLITE_ROW && sqlite3_column_int(count, 0) == 0;

    sqlite3_finalize(count);
    return !is_new || zgi_store_sql(database, sql);
}

bool zgi_store_insert_run(struct zg_store *store, const struct zg_store_run *run)
{
    struct utsname host;
    g_autofree char *begun = zgi_store_utc(store->begun_us);
    g_autofree char *machine =
        uname(&host) == 0 ? g_strdup_printf("%s %s %s", host.sysname, host.release, host.machine) : g_strdup("");
    sqlite3_stmt *put =
        zgi_store_prepare(store->database, "INSERT INTO run (begun, tool, protocol, fingerprint, definition, link, "
                                           "settings, requirements, host, planned_seconds, command, adapter) VALUES "
                                           "(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)");

    if (!put)
        return false;
    zgi_store_bind(put, 1, begun);
    zgi_store_bind(put, 2, run->tool);
    zgi_store_bind(put, 3, run->protocol);
    (void)sqlite3_bind_int64(put, 4, run->fingerprint);
    zgi_store_bind(put, 5, run->definition);
    zgi_store_bind(put, 6, run->link);
    zgi_store_bind(put, 7, run->settings);
    zgi_store_bind(put, 8, run->requirements);
    zgi_store_bind(put, 9, machine);
    (void)sqlite3_bind_double(put, 10, run->planned_s);
    zgi_store_bind(put, 11, run->command);
    zgi_store_bind(put, 12, run->adapter);
    const bool fine = zgi_store_done(put);
    sqlite3_finalize(put);
    store->run = sqlite3_last_insert_rowid(store->database);
    store->parts = 1;
    return fine;
}

/* What the run has so far. A second that was in progress counts as one. */
static bool read_so_far(struct zg_store *store)
{
    sqlite3_stmt *get =
        zgi_store_prepare(store->database, "SELECT way = 'back', flow, sum(sent), max(at) FROM second WHERE run = ? "
                                           "GROUP BY way, flow");
    if (!get)
        return false;
    (void)sqlite3_bind_int64(get, 1, store->run);
    while (sqlite3_step(get) == SQLITE_ROW) {
        const bool is_back = sqlite3_column_int(get, 0) != 0;
        const char *flow = (const char *)sqlite3_column_text(get, 1);
        store->seconds = MAX(store->seconds, (uint32_t)sqlite3_column_int64(get, 3) + 1);
        for (unsigned i = 0; i < ZG_FLOWS; i++)
            if (zg_flow_is_back((enum zg_flow)i) == is_back && strcmp(zgi_store_flow((enum zg_flow)i), flow) == 0)
                store->sent[i] = (uint32_t)sqlite3_column_int64(get, 2);
    }
    return sqlite3_finalize(get) == SQLITE_OK;
}

static bool find_run(struct zg_store *store, const struct zg_store_run *run)
{
    sqlite3_stmt *get = zgi_store_prepare(
        store->database, "SELECT run, parts, ran_seconds FROM run WHERE tool = ? AND fingerprint = ? AND link = ? "
                         "AND settings = ? ORDER BY run DESC LIMIT 1");
    if (!get)
        return false;
    zgi_store_bind(get, 1, run->tool);
    (void)sqlite3_bind_int64(get, 2, run->fingerprint);
    zgi_store_bind(get, 3, run->link);
    zgi_store_bind(get, 4, run->settings);
    const bool found = sqlite3_step(get) == SQLITE_ROW;
    if (found) {
        store->run = sqlite3_column_int64(get, 0);
        store->parts = (unsigned)sqlite3_column_int(get, 1) + 1;
        store->ran_s = sqlite3_column_double(get, 2);
    }
    sqlite3_finalize(get);
    return found;
}

/* What was under way when the run was cut off will never be known. */
static bool close_open(struct zg_store *store)
{
    g_autofree char *sql = g_strdup_printf(
        "UPDATE second SET cut_off = sent - delivered - late - out_of_order - lost_out - lost_back - lost_either - "
        "lost_restart - lost_outage - unanswered WHERE run = %" G_GINT64_FORMAT " AND flow != 'any'",
        store->run);
    return zgi_store_sql(store->database, sql);
}

bool zgi_store_go_on(struct zg_store *store, const struct zg_store_run *run, GError **error)
{
    if (!find_run(store, run)) {
        g_set_error(error, ZG_STORE_ERROR, 1,
                    "%s: no run with this definition, link, settings and version of zeugma to go on with; leave "
                    "--continue out to begin one",
                    store->file);
        return false;
    }
    if (!read_so_far(store)) {
        g_set_error(error, ZG_STORE_ERROR, 0, "%s: %s", store->file, sqlite3_errmsg(store->database));
        return false;
    }
    if (store->ran_s > run->planned_s - 1e-3) { /* parts of a second add up with rounding */
        g_set_error(error, ZG_STORE_ERROR, 1,
                    "%s: this run has %g s already, of %g in all; --for takes the length of all parts together",
                    store->file, store->ran_s, run->planned_s);
        return false;
    }
    sqlite3_stmt *put = zgi_store_prepare(store->database,
                                          "UPDATE run SET parts = ?2, planned_seconds = ?3, requirements = ?4, ended = "
                                          "NULL, result = NULL WHERE run = ?1");
    if (put) {
        (void)sqlite3_bind_int64(put, 1, store->run);
        (void)sqlite3_bind_int64(put, 2, store->parts);
        (void)sqlite3_bind_double(put, 3, run->planned_s);
        zgi_store_bind(put, 4, run->requirements);
    }
    const bool fine = put && close_open(store) && zgi_store_done(put);
    sqlite3_finalize(put);
    if (!fine) {
        g_set_error(error, ZG_STORE_ERROR, 0, "%s: %s", store->file, sqlite3_errmsg(store->database));
        return false;
    }
    store->begun_s = store->seconds;
    return true;
}
