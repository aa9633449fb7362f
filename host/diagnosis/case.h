/* SPDX-License-Identifier: MIT */
/* One way of a diagnosis in progress: what its stretches ask to be explained, and what has been found. */
#ifndef ZEUGMA_CASE_H
#define ZEUGMA_CASE_H

#include "diagnosis/diagnosis.h"
#include "diagnosis/periods.h"
#include "soak/alignment.h"

/* What a stretch asks to be explained, or'd. */
enum zgi_question {
    ZGI_WHY_FLIPS = 1,    /* bits came inverted */
    ZGI_WHY_SINGLES = 2,  /* single bytes are missing, or too many */
    ZGI_WHY_GAP = 4,      /* several bytes in a row are missing, or the line was held */
    ZGI_WHY_ACCEPTED = 8, /* a damaged frame passed */
    ZGI_WHY_NOTHING = 16, /* nothing was done to its bytes, or they are not known */
    ZGI_WHYS = 31
};

struct zgi_mark {
    struct zg_evidence_stretch *stretch;
    struct zg_alignment alignment; /* if its bytes are known */
    guint steps, steps_end;        /* of the case's steps those of this stretch */
    unsigned asks, answered;       /* enum zgi_question */
    unsigned longest_gap;          /* bytes in a row that are missing, or held */
    bool is_known;
};

/* A byte in which bits came inverted. */
struct zgi_hit {
    guint mark;
    double at_s; /* NaN: unknown */
    unsigned sent_at, arrived_at;
    uint8_t sent, arrived;
};

struct zgi_case {
    struct zg_evidence *evidence;
    struct zg_diagnosis *diagnosis;
    bool back;
    GArray *marks;                  /* of struct zgi_mark */
    GArray *steps;                  /* of struct zg_align_step */
    GArray *hits;                   /* of struct zgi_hit, those that nothing explains so far; in the order of time */
    double bytes;                   /* that left this way */
    struct zgi_period period;       /* found here: its frequency, or 0, and part */
    const struct zgi_period *known; /* that of the other way, or NULL */
};

static inline struct zgi_mark *zgi_mark_at(const struct zgi_case *of, guint index)
{
    return &g_array_index(of->marks, struct zgi_mark, index);
}

static inline struct zgi_hit *zgi_hit_at(const struct zgi_case *of, guint index)
{
    return &g_array_index(of->hits, struct zgi_hit, index);
}

static inline const struct zg_align_step *zgi_step_at(const struct zgi_case *of, guint index)
{
    return &g_array_index(of->steps, struct zg_align_step, index);
}

/* All that happened on one way. Free with zgi_case_clear(). */
struct zgi_case zgi_case_of(struct zg_evidence *evidence, struct zg_diagnosis *diagnosis, bool back);
void zgi_case_clear(struct zgi_case *of);

/* A cause answers what a stretch asks. */
void zgi_answer(struct zgi_mark *mark, enum zg_cause cause, unsigned answered);

/* Leaves out hits that are answered by now. */
void zgi_drop_answered_hits(struct zgi_case *of);

/* How many stretches a cause explains. */
uint64_t zgi_explained_by(const struct zgi_case *of, enum zg_cause cause);

/* Adds a finding with its evidence, which it takes over, and no quantities. */
struct zg_finding *zgi_find(struct zgi_case *of, enum zg_cause cause, char *evidence);
/* A finding whose evidence is a number of frames, of which `words` say what they did; none if there are none. */
void zgi_find_frames(struct zgi_case *of, enum zg_cause cause, uint64_t frames, const char *words);

void zgi_quantity(struct zg_finding *finding, const char *key, double value);

/* "2.5 ms". Free with g_free(). */
char *zgi_duration(double seconds);

#endif
