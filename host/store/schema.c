/* SPDX-License-Identifier: MIT */
#include "store/schema.h"

#include "zeugma/leb.h"

const char zgi_store_schema[] = "CREATE TABLE run (\n"
                                "  run INTEGER PRIMARY KEY,\n"
                                "  begun TEXT NOT NULL,\n"
                                "  tool TEXT NOT NULL,\n"
                                "  protocol TEXT NOT NULL,\n"
                                "  fingerprint INTEGER NOT NULL,\n"
                                "  definition TEXT NOT NULL,\n"
                                "  link TEXT NOT NULL,\n"
                                "  settings TEXT NOT NULL,\n"
                                "  requirements TEXT NOT NULL,\n"
                                "  host TEXT NOT NULL,\n"
                                "  command TEXT,\n"
                                "  adapter TEXT,\n"
                                "  planned_seconds REAL NOT NULL,\n"
                                "  ran_seconds REAL NOT NULL DEFAULT 0,\n"
                                "  parts INTEGER NOT NULL DEFAULT 1,\n"
                                "  ended TEXT,\n"
                                "  result TEXT\n"
                                ");\n"
                                "CREATE TABLE second (\n"
                                "  run INTEGER NOT NULL REFERENCES run,\n"
                                "  at INTEGER NOT NULL,\n"
                                "  way TEXT NOT NULL CHECK (way IN ('out', 'back')),\n"
                                "  flow TEXT NOT NULL CHECK (flow IN ('echo', 'stream', 'any')),\n"
                                "  sent INTEGER NOT NULL DEFAULT 0,\n"
                                "  bytes INTEGER NOT NULL DEFAULT 0,\n"
                                "  delivered INTEGER NOT NULL DEFAULT 0,\n"
                                "  late INTEGER NOT NULL DEFAULT 0,\n"
                                "  out_of_order INTEGER NOT NULL DEFAULT 0,\n"
                                "  lost_out INTEGER NOT NULL DEFAULT 0,\n"
                                "  lost_back INTEGER NOT NULL DEFAULT 0,\n"
                                "  lost_either INTEGER NOT NULL DEFAULT 0,\n"
                                "  lost_restart INTEGER NOT NULL DEFAULT 0,\n"
                                "  lost_outage INTEGER NOT NULL DEFAULT 0,\n"
                                "  unanswered INTEGER NOT NULL DEFAULT 0,\n"
                                "  cut_off INTEGER NOT NULL DEFAULT 0,\n"
                                "  repeated INTEGER NOT NULL DEFAULT 0,\n"
                                "  damaged_detected INTEGER NOT NULL DEFAULT 0,\n"
                                "  damaged_accepted INTEGER NOT NULL DEFAULT 0,\n"
                                "  unexpected INTEGER NOT NULL DEFAULT 0,\n"
                                "  damages INTEGER NOT NULL DEFAULT 0,\n"
                                "  slow INTEGER NOT NULL DEFAULT 0,\n"
                                "  held_ms INTEGER NOT NULL DEFAULT 0,\n"
                                "  latency_p50_us INTEGER,\n"
                                "  latency_p99_us INTEGER,\n"
                                "  latency_most_us INTEGER,\n"
                                "  latency BLOB,\n"
                                "  came INTEGER NOT NULL DEFAULT 0,\n"
                                "  lump_bytes REAL,\n"
                                "  lump_us REAL,\n"
                                "  picked BLOB,\n"
                                "  PRIMARY KEY (run, at, way, flow)\n"
                                ") WITHOUT ROWID;\n"
                                "CREATE TABLE event (\n"
                                "  run INTEGER NOT NULL REFERENCES run,\n"
                                "  at_seconds REAL NOT NULL,\n"
                                "  utc TEXT NOT NULL,\n"
                                "  kind TEXT NOT NULL,\n"
                                "  text TEXT NOT NULL\n"
                                ");\n"
                                "CREATE INDEX event_of_run ON event (run, at_seconds);\n"
                                "CREATE TABLE stretch (\n"
                                "  run INTEGER NOT NULL REFERENCES run,\n"
                                "  from_seconds REAL NOT NULL,\n"
                                "  to_seconds REAL NOT NULL,\n"
                                "  way TEXT NOT NULL CHECK (way IN ('out', 'back')),\n"
                                "  first INTEGER,\n"
                                "  frames INTEGER,\n"
                                "  rejected INTEGER NOT NULL,\n"
                                "  accepted INTEGER NOT NULL,\n"
                                "  unexpected INTEGER NOT NULL,\n"
                                "  sent BLOB,\n"
                                "  arrived BLOB,\n"
                                "  name TEXT,\n"
                                "  hit_from_seconds REAL,\n"
                                "  hit_to_seconds REAL,\n"
                                "  dropped INTEGER NOT NULL DEFAULT 0,\n"
                                "  overruns INTEGER NOT NULL DEFAULT 0,\n"
                                "  framing_errors INTEGER NOT NULL DEFAULT 0,\n"
                                "  parity_errors INTEGER NOT NULL DEFAULT 0,\n"
                                "  breaks INTEGER NOT NULL DEFAULT 0\n"
                                ");\n"
                                "CREATE TABLE counters (\n"
                                "  run INTEGER NOT NULL REFERENCES run,\n"
                                "  at_seconds REAL NOT NULL,\n"
                                "  end TEXT NOT NULL CHECK (end IN ('device', 'host')),\n"
                                "  name TEXT NOT NULL,\n"
                                "  value INTEGER NOT NULL,\n"
                                "  PRIMARY KEY (run, at_seconds, end, name)\n"
                                ") WITHOUT ROWID;\n";

char *zgi_store_class_columns(void)
{
    GString *text = g_string_new(NULL);

    for (unsigned i = 0; i < ZG_CLASSES; i++)
        g_string_append_printf(text, "%s%s", i > 0 ? ", " : "", zg_class_key((enum zg_class)i));
    return g_string_free(text, FALSE);
}

const char *zgi_store_way(enum zg_flow flow)
{
    return zg_flow_is_back(flow) ? "back" : "out";
}

const char *zgi_store_flow(enum zg_flow flow)
{
    return flow >= ZG_FLOW_STREAM_OUT ? "stream" : "echo";
}

sqlite3_stmt *zgi_store_prepare(sqlite3 *database, const char *sql)
{
    sqlite3_stmt *statement = NULL;
    return sqlite3_prepare_v2(database, sql, -1, &statement, NULL) == SQLITE_OK ? statement : NULL;
}

sqlite3_stmt *zgi_store_about(sqlite3 *database, const char *sql, int64_t run)
{
    sqlite3_stmt *statement = zgi_store_prepare(database, sql);

    if (statement)
        (void)sqlite3_bind_int64(statement, 1, run);
    return statement;
}

static int number_of(sqlite3 *database, const char *pragma)
{
    sqlite3_stmt *statement = zgi_store_prepare(database, pragma);
    const int number = statement && sqlite3_step(statement) == SQLITE_ROW ? sqlite3_column_int(statement, 0) : -1;

    sqlite3_finalize(statement);
    return number;
}

sqlite3 *zgi_store_open(const char *file, int flags, GError **error)
{
    sqlite3 *database = NULL;

    if (sqlite3_open_v2(file, &database, flags, NULL) != SQLITE_OK) {
        g_set_error(error, ZG_STORE_ERROR, 0, "%s: %s", file, database ? sqlite3_errmsg(database) : "no memory");
        sqlite3_close(database);
        return NULL;
    }
    (void)sqlite3_busy_timeout(database, 2000);
    const int application = number_of(database, "PRAGMA application_id"),
              version = number_of(database, "PRAGMA user_version"),
              tables = number_of(database, "SELECT count(*) FROM sqlite_schema");
    if (application < 0 || version < 0 || tables < 0)
        g_set_error(error, ZG_STORE_ERROR, 0, "%s: expected a store of soaks (docs/store.md), found: %s", file,
                    sqlite3_errmsg(database));
    else if (tables > 0 && application != ZGI_STORE_APPLICATION)
        g_set_error(error, ZG_STORE_ERROR, 0,
                    "%s: expected a store of soaks (docs/store.md), found a database of something else", file);
    else if (tables > 0 && version < ZGI_STORE_VERSION)
        g_set_error(error, ZG_STORE_ERROR, 0,
                    "%s: written by an earlier version of zeugma, in format %d; this one knows %d. Read it with the "
                    "version that wrote it, or as a database of SQLite 3",
                    file, version, ZGI_STORE_VERSION);
    else if (version > ZGI_STORE_VERSION)
        g_set_error(error, ZG_STORE_ERROR, 0,
                    "%s: written by a later version of zeugma, in format %d; this one knows %d", file, version,
                    ZGI_STORE_VERSION);
    else
        return database;
    sqlite3_close(database);
    return NULL;
}

enum { LEB_MOST = 5 };

static bool get_leb(const uint8_t **at, const uint8_t *end, uint32_t *value)
{
    uint64_t read;
    const int size = zg_uleb_get(*at, (size_t)(end - *at), 32, &read);

    if (size < 0)
        return false;
    *at += size;
    *value = (uint32_t)read;
    return true;
}

/* Room for so many numbers, and what was used of it. */
static GByteArray *new_room(size_t numbers)
{
    return g_byte_array_set_size(g_byte_array_new(), (guint)(LEB_MOST * numbers));
}

static GByteArray *used_room(GByteArray *bytes, const uint8_t *end)
{
    return g_byte_array_set_size(bytes, (guint)(end - bytes->data));
}

GByteArray *zgi_numbers_pack(const GArray *numbers)
{
    GByteArray *bytes = new_room(numbers->len);
    uint8_t *at = bytes->data;
    uint32_t before = 0;

    for (guint i = 0; i < numbers->len; i++) {
        at += zg_uleb_put(g_array_index(numbers, uint32_t, i) - before, at);
        before = g_array_index(numbers, uint32_t, i);
    }
    return used_room(bytes, at);
}

bool zgi_numbers_unpack(const uint8_t *bytes, size_t length, GArray *numbers)
{
    const uint8_t *at = bytes, *end = bytes + length;
    uint32_t number = 0;

    while (at < end) {
        uint32_t distance;
        if (!get_leb(&at, end, &distance))
            return false;
        number += distance;
        g_array_append_val(numbers, number);
    }
    return true;
}

GByteArray *zgi_latency_pack(uint32_t first, const GArray *counts)
{
    GByteArray *bytes = new_room(2 * (size_t)counts->len);
    uint8_t *at = bytes->data;
    uint32_t before = 0;

    for (guint i = 0; i < counts->len; i++) {
        const uint32_t count = g_array_index(counts, uint32_t, i);
        if (count == 0)
            continue;
        at += zg_uleb_put((first + i - before) << 1 | (count > 1), at);
        if (count > 1)
            at += zg_uleb_put(count, at);
        before = first + i;
    }
    return used_room(bytes, at);
}

bool zgi_latency_unpack(const uint8_t *bytes, size_t length, GArray *counts)
{
    const uint8_t *at = bytes, *end = bytes + length;
    struct zgi_latency_count next = { 0, 0 };

    while (at < end) {
        uint32_t distance;
        next.count = 1;
        if (!get_leb(&at, end, &distance) || ((distance & 1U) != 0 && !get_leb(&at, end, &next.count)))
            return false;
        next.bin += distance >> 1;
        g_array_append_val(counts, next);
    }
    return true;
}
