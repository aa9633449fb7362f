/* SPDX-License-Identifier: MIT */
/* The runs in a store, read. A run may still be in progress, or may have been cut off at any moment. */
#ifndef ZEUGMA_STORED_H
#define ZEUGMA_STORED_H

#include "diagnosis/diagnosis.h"
#include "soak/alignment.h"
#include "soak/soak.h"
#include "store/store.h"

/* What happened to the frames that were due in a second, or arrived in it, on each way: out (0), back (1). */
struct zg_stored_second {
    uint32_t sent[2], classes[2][ZG_CLASSES], damages[2];
    uint64_t bytes[2];                /* on the line */
    uint32_t p50_us, p99_us, most_us; /* of latencies, the greatest of all flows; 0: there are none */
};

struct zg_stored_counter {
    char *end, *name;
    int64_t value;
};

/* A run, with all that its seconds add up to. */
struct zg_stored {
    int64_t run;
    char *begun, *tool, *protocol, *link, *settings, *host;
    char *ended;         /* NULL: it is in progress, or was cut off */
    char *settings_text; /* "seed 1, load 0.5, ..." */
    char *result;        /* the JSON document of a run that ended, or NULL */
    uint32_t fingerprint;
    double planned_s, ran_s;
    unsigned parts;
    struct zg_soak_result
        sums; /* sums, damages, slow, round_trip, real, any_time; the sums are those of `result` where it
                 has them, because which way an echo of a real link was lost shows at its end only */
    struct zg_spread one_way[ZG_FLOWS];       /* latencies from when due, where they are known */
    uint64_t damages[2][ZG_DAMAGE_NAMES + 1]; /* stretches out (0), back (1) by name; last those without one */
    char *device, *boots;             /* the name that a real device gave, and its boot numbers; NULL: unknown */
    char *command, *adapter;          /* how it was started; what the link goes through; NULL: unknown */
    GArray *seconds;                  /* of struct zg_stored_second */
    GArray *times;                    /* of struct zg_time_row */
    GArray *events;                   /* of struct zg_event */
    GArray *requirements;             /* of struct zg_soak_requirement */
    struct zg_definition *definition; /* that was soaked, as the run has it; NULL: it cannot be read any more */
    struct zg_plan *plan;
    struct zg_evidence *evidence;
    struct zg_diagnosis *diagnosis;
    GArray *counters; /* of struct zg_stored_counter: the newest of each end that are not 0 */
};

/* Reads a run; 0 is the newest. NULL with an error: the file cannot be read, is something else, or has no such run.
 * Free with zg_stored_free(). */
struct zg_stored *zg_stored_read(const char *file, int64_t run, GError **error);
/* The same without what the diagnosis needs, and without a diagnosis. */
struct zg_stored *zg_stored_read_counts(const char *file, int64_t run, GError **error);

/* The numbers of all runs, of int64_t, ascending; NULL with an error. Free with g_array_unref(). */
GArray *zg_stored_runs(const char *file, GError **error);

void zg_stored_free(struct zg_stored *stored);

/* One table of the run as comma-separated values (RFC 4180), with a line of names; NULL with an error. Free with
 * g_free(). */
char *zg_stored_csv(const char *file, int64_t run, const char *table, GError **error);

/* Whether all its requirements are met. */
bool zg_stored_passed(const struct zg_stored *stored);

#endif
