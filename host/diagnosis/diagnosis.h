/* SPDX-License-Identifier: MIT */
/*
 * What did it: the damages of a soak explained by causes, several at once, each with its evidence in numbers. Each test
 * is at one in a thousand, so that a cause that is not there is named in at most about one soak of a hundred.
 * docs/diagnosis.md says of each cause what it looks like, and how often it was named and missed.
 */
#ifndef ZEUGMA_DIAGNOSIS_H
#define ZEUGMA_DIAGNOSIS_H

#include "codec/json.h"
#include "diagnosis/evidence.h"

enum zg_cause {
    ZG_CAUSE_RESTART,     /* an end began anew */
    ZG_CAUSE_CUT,         /* the line was cut, unplugged or held at a level */
    ZG_CAUSE_FIFO,        /* the receiving UART's FIFO overran */
    ZG_CAUSE_RING,        /* the receiver's ring overran */
    ZG_CAUSE_DRIVER,      /* something on the way changes certain bytes */
    ZG_CAUSE_AFTER_CHECK, /* damage in memory, after the check passed */
    ZG_CAUSE_CHECK,       /* the check let damage pass */
    ZG_CAUSE_RATE,        /* both ends' bit rates differ */
    ZG_CAUSE_EDGES,       /* edges are slow */
    ZG_CAUSE_PERIODIC,    /* periodic interference */
    ZG_CAUSE_BURSTS,      /* bursts of bit errors */
    ZG_CAUSE_BITS,        /* independent bit errors */
    ZG_CAUSE_BYTES,       /* bytes lost, doubled or inserted one by one */
    ZG_CAUSE_DATA,        /* it depends on the data */
    ZG_CAUSE_LENGTH,      /* it depends on the length of frames */
    ZG_CAUSE_LUMPS,       /* bytes are held up on the way */
    ZG_CAUSE_SENDER,      /* the sender repeats or swaps frames */
    ZG_CAUSE_OTHER,       /* another sender on the line, */
    ZG_CAUSE_ECHO,        /* or one's own echo */
    ZG_CAUSES
};

/* "periodic interference"; and the word for JSON: "periodic". */
const char *zg_cause_name(enum zg_cause cause);
const char *zg_cause_key(enum zg_cause cause);

enum { ZG_QUANTITIES = 6, ZG_PLACES = 256 /* the last one and beyond together */ };

/* A cause on one way. */
struct zg_finding {
    enum zg_cause cause;
    bool back;        /* the way */
    uint64_t damages; /* stretches that it explains */
    char *evidence;   /* in words and numbers */
    struct {
        const char *key; /* "hertz"; NULL: no more */
        double value;
    } quantities[ZG_QUANTITIES];
};

struct zg_diagnosis {
    GArray *findings;      /* of struct zg_finding, the weightiest first */
    uint64_t damages[2];   /* stretches out (0), back (1) */
    uint64_t looked_at[2]; /* of them those whose bytes are kept; the others are not explained */
    uint64_t unexplained[2];
    uint64_t bits[2][8];           /* inverted ones by their place in the byte, 0 the lowest */
    uint64_t places[2][ZG_PLACES]; /* damages of single frames, by the place of the first byte hit */
    double hertz_most[2];          /* the greatest frequency tried for interference; 0: there was too little for that */
};

/* Explains the stretches, and notes in each what explains it. Free with zg_diagnosis_free(). */
struct zg_diagnosis *zg_diagnose(struct zg_evidence *evidence);
void zg_diagnosis_free(struct zg_diagnosis *diagnosis);

/* The finding of a cause on a way, or NULL. */
const struct zg_finding *zg_diagnosis_find(const struct zg_diagnosis *diagnosis, enum zg_cause cause, bool back);

/* As lines for a terminal of 100 columns; as a member "diagnosis" of an object. */
void zg_diagnosis_to_text(const struct zg_diagnosis *diagnosis, GString *text);
void zg_diagnosis_to_json(const struct zg_diagnosis *diagnosis, struct zg_json *json);

#endif
