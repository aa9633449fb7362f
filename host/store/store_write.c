/* SPDX-License-Identifier: MIT */
/* What a store is to write, and how it is written: by one thread. */
#include "diagnosis/evidence.h"
#include "store/store_parts.h"

static void clear_row(void *data)
{
    g_clear_pointer(&((struct row *)data)->latency, g_byte_array_unref);
    g_clear_pointer(&((struct row *)data)->picked, g_byte_array_unref);
}

struct batch *zgi_batch_new(void)
{
    struct batch *batch = g_new0(struct batch, 1);

    batch->rows = g_array_new(FALSE, FALSE, sizeof(struct row));
    g_array_set_clear_func(batch->rows, clear_row);
    batch->events = zg_events_new();
    batch->counters = g_array_new(FALSE, FALSE, sizeof(struct counted));
    return batch;
}

void zgi_batch_free(struct batch *batch)
{
    g_array_unref(batch->rows);
    g_array_unref(batch->events);
    g_clear_pointer(&batch->stretches, g_array_unref);
    g_array_unref(batch->counters);
    g_free(batch->ended);
    g_free(batch->result);
    g_free(batch);
}

bool zgi_store_done(sqlite3_stmt *statement)
{
    const int code = sqlite3_step(statement);

    (void)sqlite3_reset(statement);
    return code == SQLITE_DONE;
}

void zgi_store_bind(sqlite3_stmt *statement, int at, const char *text)
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
    zgi_store_bind(put, at++, row->way);
    zgi_store_bind(put, at++, row->flow);
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
        (void)sqlite3_bind_blob(put, at++, row->latency->data, (int)row->latency->len, SQLITE_TRANSIENT);
    } else {
        at += 4;
    }
    (void)sqlite3_bind_int64(put, at++, (int64_t)row->came);
    if (row->came > 0) {
        (void)sqlite3_bind_double(put, at, row->lump_bytes);
        (void)sqlite3_bind_double(put, at + 1, row->lump_us);
    }
    at += 2;
    if (row->picked)
        (void)sqlite3_bind_blob(put, at, row->picked->data, (int)row->picked->len, SQLITE_TRANSIENT);
    return zgi_store_done(put);
}

char *zgi_store_utc(gint64 us)
{
    g_autoptr(GDateTime) time = g_date_time_new_from_unix_utc(us / G_USEC_PER_SEC);
    g_autofree char *text = g_date_time_format(time, "%Y-%m-%dT%H:%M:%S");
    return g_strdup_printf("%s.%03dZ", text, (int)(us % G_USEC_PER_SEC / 1000));
}

static bool write_event(struct zg_store *store, const struct zg_event *event)
{
    const double at_s = (double)event->at_ns * 1e-9;
    g_autofree char *utc = zgi_store_utc(store->begun_us + (gint64)((at_s - store->begun_s) * 1e6));

    (void)sqlite3_bind_int64(store->put_event, 1, store->run);
    (void)sqlite3_bind_double(store->put_event, 2, at_s);
    zgi_store_bind(store->put_event, 3, utc);
    zgi_store_bind(store->put_event, 4, zg_event_name(event->kind));
    zgi_store_bind(store->put_event, 5, event->text);
    return zgi_store_done(store->put_event);
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

/* What was done to the bytes, and between which times. */
static void bind_name(sqlite3_stmt *put, const struct zg_damage_found *stretch)
{
    gsize sent_size, arrived_size;
    const uint8_t *sent = g_bytes_get_data(stretch->sent, &sent_size);
    const uint8_t *arrived = g_bytes_get_data(stretch->arrived, &arrived_size);
    const struct zg_alignment alignment = zg_align(sent, sent_size, arrived, arrived_size);
    double from_s, to_s;

    zgi_store_bind(put, 12, zg_damage_key(zg_alignment_name(&alignment)));
    zg_evidence_hits(stretch, &alignment, &from_s, &to_s); /* NaN is stored as NULL */
    (void)sqlite3_bind_double(put, 13, from_s);
    (void)sqlite3_bind_double(put, 14, to_s);
}

static bool write_stretch(struct zg_store *store, const struct zg_damage_found *stretch)
{
    sqlite3_stmt *put = store->put_stretch;

    (void)sqlite3_clear_bindings(put);
    (void)sqlite3_bind_int64(put, 1, store->run);
    (void)sqlite3_bind_double(put, 2, (double)stretch->from_ns * 1e-9);
    (void)sqlite3_bind_double(put, 3, (double)stretch->to_ns * 1e-9);
    zgi_store_bind(put, 4, stretch->at_host ? "back" : "out");
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
    if (stretch->sent && stretch->arrived)
        bind_name(put, stretch);
    for (int i = 0; i < ZG_FLAGS; i++)
        (void)sqlite3_bind_int64(put, 15 + i, stretch->flagged[i]);
    return zgi_store_done(put);
}

static bool write_counters(struct zg_store *store, const struct counted *counted)
{
    bool fine = true;

    for (unsigned i = 0; i < ZG_COUNTERS && fine; i++) {
        (void)sqlite3_bind_int64(store->put_counter, 1, store->run);
        (void)sqlite3_bind_double(store->put_counter, 2, counted->at_s);
        zgi_store_bind(store->put_counter, 3, counted->of_host ? "host" : "device");
        zgi_store_bind(store->put_counter, 4, zg_counter_names[i]);
        (void)sqlite3_bind_int64(store->put_counter, 5, zg_counters_get(&counted->counters, i));
        fine = zgi_store_done(store->put_counter);
    }
    return fine;
}

static bool write_run(struct zg_store *store, const struct batch *batch)
{
    (void)sqlite3_clear_bindings(store->put_run);
    (void)sqlite3_bind_int64(store->put_run, 1, store->run);
    (void)sqlite3_bind_double(store->put_run, 2, batch->ran_s);
    zgi_store_bind(store->put_run, 3, batch->ended);
    zgi_store_bind(store->put_run, 4, batch->result);
    return zgi_store_done(store->put_run);
}

bool zgi_store_write(struct zg_store *store, const struct batch *batch)
{
    bool fine = zgi_store_done(store->begin);

    for (guint i = 0; i < batch->rows->len && fine; i++)
        fine = write_row(store, &g_array_index(batch->rows, struct row, i));
    for (guint i = 0; i < batch->events->len && fine; i++)
        fine = write_event(store, &g_array_index(batch->events, struct zg_event, i));
    for (guint i = 0; batch->stretches && i < batch->stretches->len && fine; i++)
        fine = write_stretch(store, &g_array_index(batch->stretches, struct zg_damage_found, i));
    for (guint i = 0; i < batch->counters->len && fine; i++)
        fine = write_counters(store, &g_array_index(batch->counters, struct counted, i));
    return fine && write_run(store, batch) && zgi_store_done(store->commit);
}

bool zgi_store_prepare_all(struct zg_store *store)
{
    g_autofree char *classes = zgi_store_class_columns();
    g_autoptr(GString) second = g_string_new(NULL);

    g_string_printf(
        second,
        "INSERT OR REPLACE INTO second (run, at, way, flow, sent, bytes, held_ms, damages, slow, %s, latency_p50_us,"
        " latency_p99_us, latency_most_us, latency, came, lump_bytes, lump_us, picked) VALUES (?, ?, ?, ?, ?, ?, ?, ?, "
        "?",
        classes);
    for (unsigned i = 0; i < ZG_CLASSES + 8; i++)
        g_string_append(second, ", ?");
    g_string_append_c(second, ')');
    store->put_second = zgi_store_prepare(store->database, second->str);
    store->put_event = zgi_store_prepare(store->database, "INSERT INTO event VALUES (?, ?, ?, ?, ?)");
    store->put_stretch = zgi_store_prepare(
        store->database,
        "INSERT INTO stretch (run, from_seconds, to_seconds, way, first, frames, rejected, "
        "accepted, unexpected, sent, arrived, name, hit_from_seconds, hit_to_seconds, dropped, overruns, "
        "framing_errors, parity_errors, breaks) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, "
        "?, ?, ?, ?)");
    store->put_counter = zgi_store_prepare(store->database, "INSERT OR REPLACE INTO counters VALUES (?, ?, ?, ?, ?)");
    store->put_run =
        zgi_store_prepare(store->database, "UPDATE run SET ran_seconds = ?2, ended = ?3, result = ?4 WHERE run = ?1");
    store->begin = zgi_store_prepare(store->database, "BEGIN IMMEDIATE");
    store->commit = zgi_store_prepare(store->database, "COMMIT");
    store->rollback = zgi_store_prepare(store->database, "ROLLBACK");
    return store->put_second && store->put_event && store->put_stretch && store->put_counter && store->put_run &&
           store->rollback;
}
