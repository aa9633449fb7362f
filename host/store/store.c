/* SPDX-License-Identifier: MIT */
#include "store/store.h"

#include <errno.h>
#include <fcntl.h>
#include <math.h>
#include <sys/file.h>
#include <unistd.h>

#include "soak/statistics.h"
#include "store/store_parts.h"

enum { BATCHES_MOST = 4 /* not written yet, before saving waits */ };

/* After trouble nothing more is written, except how the run ended, if that works. */
static void write_batch(void *data, void *user)
{
    struct batch *batch = data;
    struct zg_store *store = user;

    if (!zg_store_trouble(store) && !zgi_store_write(store, batch)) {
        g_autofree char *trouble = g_strdup_printf("%s: %s", store->file, sqlite3_errmsg(store->database));
        (void)zgi_store_done(store->rollback);
        g_mutex_lock(&store->lock);
        store->trouble = g_steal_pointer(&trouble);
        g_mutex_unlock(&store->lock);
    }
    zgi_batch_free(batch);
}

/* --- beginning */

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
        zgi_batch_free(store->next);
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
    /* One thread at a time uses it: this one until the writer begins and after it ended, the writer in between. */
    store->database = zgi_store_open(store->file, SQLITE_OPEN_READWRITE | SQLITE_OPEN_NOMUTEX, error);
    if (!store->database)
        return false;
    const bool is_ready = zgi_store_sql(store->database, "PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; "
                                                         "PRAGMA foreign_keys = ON") &&
                          zgi_store_make_tables(store->database) && zgi_store_prepare_all(store);
    if (is_ready && goes_on)
        return zgi_store_go_on(store, run, error);
    if (is_ready && zgi_store_insert_run(store, run))
        return true;
    g_set_error(error, ZG_STORE_ERROR, 0, "%s: %s", store->file, sqlite3_errmsg(store->database));
    return false;
}

struct zg_store *zg_store_begin(const char *file, const struct zg_store_run *run, bool goes_on, GError **error)
{
    struct zg_store *store = g_new0(struct zg_store, 1);

    store->file = g_strdup(file);
    store->begun_us = g_get_real_time();
    store->next = zgi_batch_new();
    store->whole_most = run->stretches > 0 ? run->stretches : 30000;
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

/* Microseconds that this share of the latencies do not exceed, by the bins of a spread. */
static int64_t latency_us(const struct zg_second_flow *of, uint64_t all, double share)
{
    const uint64_t wanted = (uint64_t)ceil(share * (double)all);
    uint64_t seen = 0;

    for (guint i = 0; i < of->latency->len; i++) {
        seen += g_array_index(of->latency, uint32_t, i);
        if (seen >= wanted)
            return (int64_t)(zg_spread_top(of->latency_first + i) / 1000);
    }
    return 0;
}

static void add_latency(struct row *row, const struct zg_second_flow *of)
{
    uint64_t all = 0;

    for (guint i = 0; i < of->latency->len; i++)
        all += g_array_index(of->latency, uint32_t, i);
    row->latency = zgi_latency_pack(of->latency_first, of->latency);
    row->p50_us = latency_us(of, all, 0.5);
    row->p99_us = latency_us(of, all, 0.99);
    row->most_us = latency_us(of, all, 1);
}

static void take_flow(struct zg_store *store, const struct zg_second *second, enum zg_flow flow)
{
    const struct zg_second_flow *of = &second->flows[flow];
    struct row row = { .at = second->at,
                       .way = zgi_store_way(flow),
                       .flow = zgi_store_flow(flow),
                       .sent = of->sent,
                       .bytes = of->bytes,
                       .slow = of->slow };
    bool any = of->sent > 0 || of->latency; /* answers to own messages are known, but not how many there were */

    for (unsigned k = 0; k < ZG_ENTRY_CLASSES; k++) {
        row.classes[k] = of->classes[k];
        any = any || of->classes[k] > 0;
    }
    if (of->latency)
        add_latency(&row, of);
    if (any)
        g_array_append_val(store->next->rows, row);
}

/* What belongs to no flow; at the device (0) arrives what went out. */
static void take_end(struct zg_store *store, const struct zg_second *second, unsigned end)
{
    struct row row = { .at = second->at,
                       .way = end == 0 ? "out" : "back",
                       .flow = "any",
                       .bytes = second->carried[!end],
                       .held_ms = second->held_ms,
                       .damages = second->damages[end] };

    for (unsigned k = 0; k < ZG_OTHER_CLASSES; k++)
        row.classes[ZG_CLASS_REPEATED + k] = second->others[end][k];
    row.came = second->came[end];
    row.lump_bytes = row.came > 0 ? round((double)second->lump_bytes[end] / (double)row.came) : 0;
    row.lump_us = row.came > 0 ? round((double)second->lump_us[end] / (double)row.came) : 0;
    if (second->picked[end])
        row.picked = zgi_numbers_pack(second->picked[end]);
    g_array_append_val(store->next->rows, row);
}

/* In the order of the table's key. */
static void take_second(const struct zg_second *second, void *data)
{
    struct zg_store *store = data;

    take_end(store, second, 1);
    take_flow(store, second, ZG_FLOW_ECHO_BACK);
    take_flow(store, second, ZG_FLOW_STREAM_BACK);
    take_end(store, second, 0);
    take_flow(store, second, ZG_FLOW_ECHO_OUT);
    take_flow(store, second, ZG_FLOW_STREAM_OUT);
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

    store->next = zgi_batch_new();
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
        (void)zgi_store_sql(store->database, "PRAGMA wal_checkpoint(TRUNCATE)");
    else
        g_set_error(error, ZG_STORE_ERROR, 0, "%s", store->trouble);
    store_free(store);
    return fine;
}
