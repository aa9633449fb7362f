/* SPDX-License-Identifier: MIT */
#include "store/store.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <sys/file.h>
#include <sys/utsname.h>
#include <unistd.h>

#include "soak/statistics.h"
#include "store/schema.h"

enum { BATCHES_MOST = 4 /* not written yet, before saving waits */ };

/* A row of `second`. */
struct row {
    uint32_t at;
    const char *way, *flow;
    uint32_t sent, held_ms, damages, slow;
    uint64_t bytes;
    uint32_t classes[ZG_CLASSES];
    int64_t p50_us, p99_us, most_us; /* negative: there is no latency */
    GByteArray *latency;
};

/* What is written in one transaction. */
struct batch {
    GArray *rows;      /* of struct row */
    GArray *events;    /* of struct zg_event */
    GArray *stretches; /* of struct zg_damage_found */
    GArray *counters;  /* of struct counted */
    double ran_s;
    char *ended, *result; /* NULL: nothing new */
    bool is_last;
};

struct counted {
    double at_s;
    bool of_host;
    struct zg_counters counters;
};

struct zg_store {
    char *file;
    int guard; /* keeps other soaks out, not readers; closed after the database, whose locks would go with it */
    sqlite3 *database;
    sqlite3_stmt *put_second, *put_event, *put_stretch, *put_counter, *put_run, *begin, *commit, *rollback;
    int64_t run;
    uint32_t seconds, sent[ZG_FLOWS];
    unsigned parts;
    gint64 begun_us;     /* of this part, UTC */
    double begun_s;      /* seconds of the run before it, */
    double ran_s;        /* in which it ran */
    GThreadPool *writer; /* of one thread: batches in order */
    struct batch *next;
    guint events;               /* of the journal, taken so far */
    uint32_t whole_most, whole; /* stretches with bytes: about so many before fewer are kept; kept since then */
    uint32_t one_in;            /* seconds whose stretches are kept whole */
    GMutex lock;
    char *trouble;
};

/* --- batches */

static void clear_row(void *data)
{
    g_clear_pointer(&((struct row *)data)->latency, g_byte_array_unref);
}

static void clear_event(void *data)
{
    g_free(((struct zg_event *)data)->text);
}

static struct batch *batch_new(void)
{
    struct batch *batch = g_new0(struct batch, 1);

    batch->rows = g_array_new(FALSE, FALSE, sizeof(struct row));
    g_array_set_clear_func(batch->rows, clear_row);
    batch->events = g_array_new(FALSE, FALSE, sizeof(struct zg_event));
    g_array_set_clear_func(batch->events, clear_event);
    batch->counters = g_array_new(FALSE, FALSE, sizeof(struct counted));
    return batch;
}

static void batch_free(struct batch *batch)
{
    g_array_unref(batch->rows);
    g_array_unref(batch->events);
    g_clear_pointer(&batch->stretches, g_array_unref);
    g_array_unref(batch->counters);
    g_free(batch->ended);
    g_free(batch->result);
    g_free(batch);
}

/* --- writing, in the writer's thread */

static bool done(sqlite3_stmt *statement)
{
    const int code = sqlite3_step(statement);

    (void)sqlite3_reset(statement);
    return code == SQLITE_DONE;
}

static void bind_text(sqlite3_stmt *statement, int at, const char *text)
{
    (void)sqlite3_bind_text(statement, at, text, -1, SQLITE_TRANSIENT);
}

static bool write_row(struct zg_store *store, const struct row *row)
{
    sqlite3_stmt *put = store->put_second;
    int at = 1;

    (void)sqlite3_clear_bindings(put);
    (void)sqlite3_bind_int64(put, at++, store->run);
    (void)sqlite3_bind_int64(put, at++, row->at);
    bind_text(put, at++, row->way);
    bind_text(put, at++, row->flow);
    (void)sqlite3_bind_int64(put, at++, row->sent);
    (void)sqlite3_bind_int64(put, at++, (int64_t)row->bytes);
    (void)sqlite3_bind_int64(put, at++, row->held_ms);
    (void)sqlite3_bind_int64(put, at++, row->damages);
    (void)sqlite3_bind_int64(put, at++, row->slow);
    for (unsigned i = 0; i < ZG_CLASSES; i++)
        (void)sqlite3_bind_int64(put, at++, row->classes[i]);
    if (row->latency) {
        (void)sqlite3_bind_int64(put, at++, row->p50_us);
        (void)sqlite3_bind_int64(put, at++, row->p99_us);
        (void)sqlite3_bind_int64(put, at++, row->most_us);
        (void)sqlite3_bind_blob(put, at, row->latency->data, (int)row->latency->len, SQLITE_TRANSIENT);
    }
    return done(put);
}

/* ISO 8601 with milliseconds. */
static char *utc_text(gint64 us)
{
    g_autoptr(GDateTime) time = g_date_time_new_from_unix_utc(us / G_USEC_PER_SEC);
    g_autofree char *text = g_date_time_format(time, "%Y-%m-%dT%H:%M:%S");
    return g_strdup_printf("%s.%03dZ", text, (int)(us % G_USEC_PER_SEC / 1000));
}

static bool write_event(struct zg_store *store, const struct zg_event *event)
{
    const double at_s = (double)event->at_ns * 1e-9;
    g_autofree char *utc = utc_text(store->begun_us + (gint64)((at_s - store->begun_s) * 1e6));

    (void)sqlite3_bind_int64(store->put_event, 1, store->run);
    (void)sqlite3_bind_double(store->put_event, 2, at_s);
    bind_text(store->put_event, 3, utc);
    bind_text(store->put_event, 4, zg_event_name(event->kind));
    bind_text(store->put_event, 5, event->text);
    return done(store->put_event);
}

static void bind_bytes(sqlite3_stmt *statement, int at, GBytes *bytes)
{
    gsize length;
    const void *data = bytes ? g_bytes_get_data(bytes, &length) : NULL;

    if (bytes)
        (void)sqlite3_bind_blob(statement, at, data ? data : "", data ? (int)length : 0, SQLITE_TRANSIENT);
}

/* More than so many would fill the disk on a bad line: then only those of every second second are kept whole, of every
 * fourth, and so on. */
static bool is_kept_whole(struct zg_store *store, const struct zg_damage_found *stretch)
{
    if (stretch->from_ns / ZG_SECOND_NS % store->one_in != 0)
        return false;
    if (++store->whole >= store->whole_most) {
        store->whole = store->whole_most / 2;
        store->one_in *= 2;
    }
    return true;
}

static bool write_stretch(struct zg_store *store, const struct zg_damage_found *stretch)
{
    sqlite3_stmt *put = store->put_stretch;

    (void)sqlite3_clear_bindings(put);
    (void)sqlite3_bind_int64(put, 1, store->run);
    (void)sqlite3_bind_double(put, 2, (double)stretch->from_ns * 1e-9);
    (void)sqlite3_bind_double(put, 3, (double)stretch->to_ns * 1e-9);
    bind_text(put, 4, stretch->at_host ? "back" : "out");
    if (stretch->frames > 0) {
        (void)sqlite3_bind_int64(put, 5, stretch->first);
        (void)sqlite3_bind_int64(put, 6, stretch->frames);
    }
    (void)sqlite3_bind_int64(put, 7, stretch->rejected);
    (void)sqlite3_bind_int64(put, 8, stretch->accepted);
    (void)sqlite3_bind_int64(put, 9, stretch->unexpected);
    if (is_kept_whole(store, stretch)) {
        bind_bytes(put, 10, stretch->sent);
        bind_bytes(put, 11, stretch->arrived);
    }
    return done(put);
}

static bool write_counters(struct zg_store *store, const struct counted *counted)
{
    bool fine = true;

    for (unsigned i = 0; i < ZG_COUNTERS && fine; i++) {
        (void)sqlite3_bind_int64(store->put_counter, 1, store->run);
        (void)sqlite3_bind_double(store->put_counter, 2, counted->at_s);
        bind_text(store->put_counter, 3, counted->of_host ? "host" : "device");
        bind_text(store->put_counter, 4, zg_counter_names[i]);
        (void)sqlite3_bind_int64(store->put_counter, 5, zg_counters_get(&counted->counters, i));
        fine = done(store->put_counter);
    }
    return fine;
}

static bool write_run(struct zg_store *store, const struct batch *batch)
{
    (void)sqlite3_clear_bindings(store->put_run);
    (void)sqlite3_bind_int64(store->put_run, 1, store->run);
    (void)sqlite3_bind_double(store->put_run, 2, batch->ran_s);
    bind_text(store->put_run, 3, batch->ended);
    bind_text(store->put_run, 4, batch->result);
    return done(store->put_run);
}

static bool write_all(struct zg_store *store, const struct batch *batch)
{
    bool fine = done(store->begin);

    for (guint i = 0; i < batch->rows->len && fine; i++)
        fine = write_row(store, &g_array_index(batch->rows, struct row, i));
    for (guint i = 0; i < batch->events->len && fine; i++)
        fine = write_event(store, &g_array_index(batch->events, struct zg_event, i));
    for (guint i = 0; batch->stretches && i < batch->stretches->len && fine; i++)
        fine = write_stretch(store, &g_array_index(batch->stretches, struct zg_damage_found, i));
    for (guint i = 0; i < batch->counters->len && fine; i++)
        fine = write_counters(store, &g_array_index(batch->counters, struct counted, i));
    return fine && write_run(store, batch) && done(store->commit);
}

/* After trouble nothing more is written, except how the run ended, if that works. */
static void write_batch(void *data, void *user)
{
    struct batch *batch = data;
    struct zg_store *store = user;

    if (!zg_store_trouble(store) && !write_all(store, batch)) {
        g_autofree char *trouble = g_strdup_printf("%s: %s", store->file, sqlite3_errmsg(store->database));
        (void)done(store->rollback);
        g_mutex_lock(&store->lock);
        store->trouble = g_steal_pointer(&trouble);
        g_mutex_unlock(&store->lock);
    }
    batch_free(batch);
}

/* --- beginning */

static bool run_sql(sqlite3 *database, const char *sql)
{
    return sqlite3_exec(database, sql, NULL, NULL, NULL) == SQLITE_OK;
}

/* Makes the tables in a new file. */
static bool make_tables(sqlite3 *database)
{
    g_autofree char *sql =
        g_strdup_printf("BEGIN IMMEDIATE; PRAGMA application_id = %d; PRAGMA user_version = %d; %s COMMIT",
                        ZGI_STORE_APPLICATION, ZGI_STORE_VERSION, zgi_store_schema);
    sqlite3_stmt *count = zgi_store_prepare(database, "SELECT count(*) FROM sqlite_schema");
    const bool is_new = count && sqlite3_step(count) == SQLITE_ROW && sqlite3_column_int(count, 0) == 0;

    sqlite3_finalize(count);
    return !is_new || run_sql(database, sql);
}

static bool prepare(struct zg_store *store)
{
    g_autofree char *classes = zgi_store_class_columns();
    g_autoptr(GString) second = g_string_new(NULL);

    g_string_printf(
        second,
        "INSERT OR REPLACE INTO second (run, at, way, flow, sent, bytes, held_ms, damages, slow, %s, latency_p50_us,"
        " latency_p99_us, latency_most_us, latency) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?",
        classes);
    for (unsigned i = 0; i < ZG_CLASSES + 4; i++)
        g_string_append(second, ", ?");
    g_string_append_c(second, ')');
    store->put_second = zgi_store_prepare(store->database, second->str);
    store->put_event = zgi_store_prepare(store->database, "INSERT INTO event VALUES (?, ?, ?, ?, ?)");
    store->put_stretch = zgi_store_prepare(
        store->database, "INSERT INTO stretch (run, from_seconds, to_seconds, way, first, frames, rejected, "
                         "accepted, unexpected, sent, arrived) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)");
    store->put_counter = zgi_store_prepare(store->database, "INSERT OR REPLACE INTO counters VALUES (?, ?, ?, ?, ?)");
    store->put_run =
        zgi_store_prepare(store->database, "UPDATE run SET ran_seconds = ?2, ended = ?3, result = ?4 WHERE run = ?1");
    store->begin = zgi_store_prepare(store->database, "BEGIN IMMEDIATE");
    store->commit = zgi_store_prepare(store->database, "COMMIT");
    store->rollback = zgi_store_prepare(store->database, "ROLLBACK");
    return store->put_second && store->put_event && store->put_stretch && store->put_counter && store->put_run &&
           store->rollback;
}

static bool insert_run(struct zg_store *store, const struct zg_store_run *run)
{
    struct utsname host;
    g_autofree char *begun = utc_text(store->begun_us);
    g_autofree char *machine =
        uname(&host) == 0 ? g_strdup_printf("%s %s %s", host.sysname, host.release, host.machine) : g_strdup("");
    sqlite3_stmt *put = zgi_store_prepare(store->database,
                                          "INSERT INTO run (begun, tool, protocol, fingerprint, definition, link, "
                                          "settings, requirements, host, planned_seconds) VALUES (?, ?, ?, ?, ?, ?, ?, "
                                          "?, ?, ?)");

    if (!put)
        return false;
    bind_text(put, 1, begun);
    bind_text(put, 2, run->tool);
    bind_text(put, 3, run->protocol);
    (void)sqlite3_bind_int64(put, 4, run->fingerprint);
    bind_text(put, 5, run->definition);
    bind_text(put, 6, run->link);
    bind_text(put, 7, run->settings);
    bind_text(put, 8, run->requirements);
    bind_text(put, 9, machine);
    (void)sqlite3_bind_double(put, 10, run->planned_s);
    const bool fine = done(put);
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
    bind_text(get, 1, run->tool);
    (void)sqlite3_bind_int64(get, 2, run->fingerprint);
    bind_text(get, 3, run->link);
    bind_text(get, 4, run->settings);
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
        "lost_restart - unanswered WHERE run = %" G_GINT64_FORMAT " AND flow != 'any'",
        store->run);
    return run_sql(store->database, sql);
}

static bool go_on(struct zg_store *store, const struct zg_store_run *run, GError **error)
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
        bind_text(put, 4, run->requirements);
    }
    const bool fine = put && close_open(store) && done(put);
    sqlite3_finalize(put);
    if (!fine) {
        g_set_error(error, ZG_STORE_ERROR, 0, "%s: %s", store->file, sqlite3_errmsg(store->database));
        return false;
    }
    store->begun_s = store->seconds;
    return true;
}

static void store_free(struct zg_store *store)
{
    sqlite3_stmt *const statements[] = { store->put_second, store->put_event, store->put_stretch, store->put_counter,
                                         store->put_run,    store->begin,     store->commit,      store->rollback };

    for (size_t i = 0; i < G_N_ELEMENTS(statements); i++)
        sqlite3_finalize(statements[i]);
    sqlite3_close(store->database);
    if (store->guard >= 0)
        close(store->guard);
    if (store->next)
        batch_free(store->next);
    g_mutex_clear(&store->lock);
    g_free(store->trouble);
    g_free(store->file);
    g_free(store);
}

/* Two soaks that wrote to one file would hold each other up: the second one is turned away. */
static bool keep_others_out(struct zg_store *store, bool may_make, GError **error)
{
    store->guard = open(store->file, O_RDWR | O_CLOEXEC | (may_make ? O_CREAT : 0), 0666);
    if (store->guard < 0) {
        g_set_error(error, ZG_STORE_ERROR, 0, "%s: %s", store->file, g_strerror(errno));
        return false;
    }
    if (flock(store->guard, LOCK_EX | LOCK_NB) == 0)
        return true;
    g_set_error(error, ZG_STORE_ERROR, 0, "%s: another soak writes to it; give this one a file of its own",
                store->file);
    return false;
}

static bool begin(struct zg_store *store, const struct zg_store_run *run, bool goes_on, GError **error)
{
    if (!keep_others_out(store, !goes_on, error))
        return false;
    store->database = zgi_store_open(store->file, SQLITE_OPEN_READWRITE | SQLITE_OPEN_FULLMUTEX, error);
    if (!store->database)
        return false;
    const bool is_ready = run_sql(store->database, "PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; "
                                                   "PRAGMA foreign_keys = ON") &&
                          make_tables(store->database) && prepare(store);
    if (is_ready && goes_on)
        return go_on(store, run, error);
    if (is_ready && insert_run(store, run))
        return true;
    g_set_error(error, ZG_STORE_ERROR, 0, "%s: %s", store->file, sqlite3_errmsg(store->database));
    return false;
}

struct zg_store *zg_store_begin(const char *file, const struct zg_store_run *run, bool goes_on, GError **error)
{
    struct zg_store *store = g_new0(struct zg_store, 1);

    store->file = g_strdup(file);
    store->begun_us = g_get_real_time();
    store->next = batch_new();
    store->whole_most = run->stretches > 0 ? run->stretches : 100000;
    store->one_in = 1;
    g_mutex_init(&store->lock);
    if (!begin(store, run, goes_on, error)) {
        store_free(store);
        return NULL;
    }
    store->writer = g_thread_pool_new(write_batch, store, 1, TRUE, NULL);
    return store;
}

uint32_t zg_store_seconds(const struct zg_store *store)
{
    return store->seconds;
}

uint32_t zg_store_sent(const struct zg_store *store, enum zg_flow flow)
{
    return store->sent[flow];
}

double zg_store_ran_s(const struct zg_store *store)
{
    return store->ran_s;
}

unsigned zg_store_parts(const struct zg_store *store)
{
    return store->parts;
}

/* --- saving */

static void add_latency(struct row *row, const GArray *latency)
{
    struct zg_spread spread = { 0 };

    for (guint i = 0; i < latency->len; i++) {
        const struct zg_latency_count *count = &g_array_index(latency, struct zg_latency_count, i);
        zg_spread_add_many(&spread, zg_spread_top(count->bin), count->count);
    }
    row->latency = zgi_latency_pack(latency);
    row->p50_us = (int64_t)(zg_spread_at(&spread, 0.5) / 1000);
    row->p99_us = (int64_t)(zg_spread_at(&spread, 0.99) / 1000);
    row->most_us = (int64_t)(spread.most_ns / 1000);
}

static void take_second(const struct zg_second *second, void *data)
{
    struct zg_store *store = data;

    for (unsigned i = 0; i < ZG_FLOWS; i++) {
        const struct zg_second_flow *of = &second->flows[i];
        struct row row = { .at = second->at,
                           .way = zgi_store_way((enum zg_flow)i),
                           .flow = zgi_store_flow((enum zg_flow)i),
                           .sent = of->sent,
                           .bytes = of->bytes,
                           .slow = of->slow };
        bool any = of->sent > 0;
        for (unsigned k = 0; k < ZG_ENTRY_CLASSES; k++) {
            row.classes[k] = of->classes[k];
            any = any || of->classes[k] > 0;
        }
        if (of->latency)
            add_latency(&row, of->latency);
        if (any)
            g_array_append_val(store->next->rows, row);
    }
    for (unsigned end = 0; end < 2; end++) { /* at the device arrives what went out */
        struct row row = { .at = second->at,
                           .way = end == 0 ? "out" : "back",
                           .flow = "any",
                           .bytes = second->carried[!end],
                           .held_ms = second->held_ms,
                           .damages = second->damages[end] };
        for (unsigned k = 0; k < ZG_OTHER_CLASSES; k++)
            row.classes[ZG_CLASS_REPEATED + k] = second->others[end][k];
        g_array_append_val(store->next->rows, row);
    }
    store->next->ran_s = MAX(store->next->ran_s, second->at + 1.0);
}

static void take_all(struct zg_store *store, struct zg_journal *journal)
{
    const GArray *events = zg_journal_events(journal);

    zg_journal_take(journal, take_second, store);
    store->next->stretches = zg_journal_take_stretches(journal);
    for (; store->events < events->len; store->events++) {
        struct zg_event event = g_array_index(events, struct zg_event, store->events);
        event.text = g_strdup(event.text);
        g_array_append_val(store->next->events, event);
    }
}

static void push(struct zg_store *store)
{
    struct batch *batch = store->next;

    store->next = batch_new();
    store->next->ran_s = batch->ran_s;
    (void)g_thread_pool_push(store->writer, batch, NULL);
}

void zg_store_save(struct zg_store *store, struct zg_journal *journal)
{
    if (g_thread_pool_unprocessed(store->writer) >= BATCHES_MOST)
        return;
    take_all(store, journal);
    push(store);
}

void zg_store_counters(struct zg_store *store, uint64_t at_ns, bool of_host, const struct zg_counters *counters)
{
    const struct counted counted = { (double)at_ns * 1e-9 + store->begun_s, of_host, *counters };

    g_array_append_val(store->next->counters, counted);
}

const char *zg_store_trouble(struct zg_store *store)
{
    g_mutex_lock(&store->lock);
    const char *trouble = store->trouble;
    g_mutex_unlock(&store->lock);
    return trouble;
}

bool zg_store_end(struct zg_store *store, struct zg_journal *journal, double ran_s, const char *ended,
                  const char *result, GError **error)
{
    take_all(store, journal);
    store->next->ran_s = store->ran_s + ran_s;
    store->next->ended = g_strdup(ended);
    store->next->result = g_strdup(result);
    push(store);
    g_thread_pool_free(store->writer, FALSE, TRUE);
    /* Without this a reader would need the files beside it too. */
    const bool fine = store->trouble == NULL;
    if (fine)
        (void)run_sql(store->database, "PRAGMA wal_checkpoint(TRUNCATE)");
    else
        g_set_error(error, ZG_STORE_ERROR, 0, "%s", store->trouble);
    store_free(store);
    return fine;
}
