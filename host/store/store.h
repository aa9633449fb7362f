/* SPDX-License-Identifier: MIT */
/*
 * The runs of a soak on disk, while they happen: a database of SQLite 3 whose tables docs/store.md describes. What is
 * saved is on the disk: if the program is killed or the power fails, what was saved last is there, and the file opens.
 */
#ifndef ZEUGMA_STORE_H
#define ZEUGMA_STORE_H

#include "soak/journal.h"
#include "zeugma/counters.h"

#define ZG_STORE_ERROR (g_quark_from_static_string("zg-store-error"))

/* What a run is about. The strings are copied. */
struct zg_store_run {
    const char *tool;         /* name and version of the program */
    const char *protocol;     /* name of the definition, */
    const char *definition;   /* its text, */
    uint32_t fingerprint;     /* and its fingerprint */
    const char *link;         /* as on the command line */
    const char *settings;     /* a JSON object, and */
    const char *requirements; /* an array of them */
    const char *command;      /* that began it; NULL: unknown */
    const char *adapter;      /* that the link goes through; NULL: none, or unknown */
    double planned_s;
    uint32_t
        stretches; /* of so many at first the bytes are kept, then of those of fewer and fewer seconds; 0: 30,000 */
};

/* Opaque; a file open for writing, with a run in progress. Written by a thread of its own. */
struct zg_store;

/* Opens the file, or makes it, and begins a run. With `goes_on`, the newest run of the same tool, definition, link and
 * settings goes on. NULL with an error: the file cannot be written, is something else, is in use by another soak, or
 * has no such run. */
struct zg_store *zg_store_begin(const char *file, const struct zg_store_run *run, bool goes_on, GError **error);

/* What the run that goes on has so far: for how long it ran, the number of its next second, frames sent of each flow,
 * parts with this one. In a new one 0, and one part. */
double zg_store_ran_s(const struct zg_store *store);
uint32_t zg_store_seconds(const struct zg_store *store);
uint32_t zg_store_sent(const struct zg_store *store, enum zg_flow flow);
unsigned zg_store_parts(const struct zg_store *store);

/* Saves what changed in the journal. Returns at once, and saves later what it cannot now. */
void zg_store_save(struct zg_store *store, struct zg_journal *journal);

/* Counters of the link at the device (0) or the host (1), at a time since the run began. */
void zg_store_counters(struct zg_store *store, uint64_t at_ns, bool of_host, const struct zg_counters *counters);

/* What went wrong while saving, or NULL; nothing is saved any more then. Valid until the store is closed. */
const char *zg_store_trouble(struct zg_store *store);

/* Saves the rest, and how the run ended; `result` is a JSON object, or NULL: it goes on some day. Closes the file.
 * False with an error: not all of it is on the disk. */
bool zg_store_end(struct zg_store *store, struct zg_journal *journal, double ran_s, const char *ended,
                  const char *result, GError **error);

#endif
