/* SPDX-License-Identifier: MIT */
/* The parts of a store that is open for writing. */
#ifndef ZEUGMA_STORE_PARTS_H
#define ZEUGMA_STORE_PARTS_H

#include "store/schema.h"

/* A row of `second`. */
struct row {
    uint32_t at;
    const char *way, *flow;
    uint32_t sent, held_ms, damages, slow;
    uint64_t bytes;
    uint32_t classes[ZG_CLASSES];
    int64_t p50_us, p99_us, most_us; /* negative: there is no latency */
    uint64_t came;                   /* bytes, */
    double lump_bytes, lump_us;      /* for each on average: so many together, so long after those before */
    GByteArray *latency, *picked;
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

/* --- what is to be written, and its writing */

struct batch *zgi_batch_new(void);
void zgi_batch_free(struct batch *batch);

/* Prepares the statements. False: the database says why. */
bool zgi_store_prepare_all(struct zg_store *store);

/* Writes a batch as one transaction. False: the database says why, and a transaction may be open. */
bool zgi_store_write(struct zg_store *store, const struct batch *batch);

/* --- helpers for SQLite */

/* Runs a statement that gives no rows; binds a text, or NULL; runs statements from text. */
bool zgi_store_done(sqlite3_stmt *statement);
void zgi_store_bind(sqlite3_stmt *statement, int at, const char *text);
bool zgi_store_sql(sqlite3 *database, const char *sql);

/* ISO 8601 with milliseconds, of microseconds since 1970. Free with g_free(). */
char *zgi_store_utc(gint64 us);

/* --- runs */

/* Makes the tables in a new file. */
bool zgi_store_make_tables(sqlite3 *database);

/* Begins a run. False: the database says why. */
bool zgi_store_insert_run(struct zg_store *store, const struct zg_store_run *run);

/* Goes on with the newest run of the same kind. False with an error. */
bool zgi_store_go_on(struct zg_store *store, const struct zg_store_run *run, GError **error);

#endif
