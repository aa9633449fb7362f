/* SPDX-License-Identifier: MIT */
/* What a soak noted of its damages, as the diagnosis reads it. */
#ifndef ZEUGMA_EVIDENCE_H
#define ZEUGMA_EVIDENCE_H

#include "plan/plan.h"
#include "soak/alignment.h"
#include "soak/journal.h"

/* A stretch with damage; docs/store.md says more of each member. */
struct zg_evidence_stretch {
    double from_s, to_s;
    double hit_from_s,
        hit_to_s; /* when the first and the last byte arrived to which something was done; NaN: unknown */
    bool back;    /* its way */
    unsigned frames, accepted;
    uint32_t flagged[ZG_FLAGS];
    GBytes *sent, *arrived; /* NULL: unknown */
    uint32_t causes;        /* bits of enum zg_cause: what explains it, found by the diagnosis */
};

/* What happened in a second on one way. */
struct zg_evidence_second {
    double carried;             /* bytes that left */
    double came;                /* bytes that arrived; for each of them on average */
    double lump_bytes, lump_us; /* so many together, so long after those before */
};

struct zg_evidence {
    const struct zg_plan *plan; /* NULL: unknown */
    double byte_s;              /* from one byte to the next on a busy line */
    double resolution_s;        /* of the times of bytes */
    GArray *stretches;          /* of struct zg_evidence_stretch, by their times */
    GArray *seconds[2];         /* out (0), back (1): of struct zg_evidence_second, from 0 on */
    GArray *picked[2];          /* when bytes chosen at random arrived: of double, s, ascending */
    double whole_until_s[2];    /* up to then the bytes of all damages are known, later of some; INFINITY */
    GArray *restarts, *outages; /* when they began: of double, s */
    uint64_t repeated[2], out_of_order[2], unexpected[2]; /* frames that arrived so */
    uint64_t own_echoes;                                 /* of the unexpected ones back, those that this end had sent */
    uint64_t overruns[2], dropped[2], framing_errors[2]; /* bytes, as the links counted them, where they arrived */
};

/* An empty one; free with zg_evidence_free(). The plan is the caller's. */
struct zg_evidence *zg_evidence_new(void);
void zg_evidence_free(struct zg_evidence *evidence);

/* When the first and the last byte arrived to which something was done; NaN where that is not known. */
void zg_evidence_hits(const struct zg_damage_found *stretch, const struct zg_alignment *alignment, double *from_s,
                      double *to_s);

/* Adds a second on a way, and when bytes chosen in it arrived: of uint32_t, us within it; NULL: none. */
void zg_evidence_add_second(struct zg_evidence *evidence, bool back, uint32_t at,
                            const struct zg_evidence_second *second, const GArray *picked_us);

/* Sets the events, of struct zg_event; and the counts of frames that arrived at the device (0), at the host (1). */
void zg_evidence_set_events(struct zg_evidence *evidence, const GArray *events);
void zg_evidence_set_sums(struct zg_evidence *evidence, const struct zg_ledger_sums *sums);

/* Takes over what a journal has noted since it was last taken, of a run that is over, or goes on. */
void zg_evidence_take(struct zg_evidence *evidence, struct zg_journal *journal);

#endif
