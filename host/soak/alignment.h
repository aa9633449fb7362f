/* SPDX-License-Identifier: MIT */
/*
 * What happened to bytes on their way, by the alignment of those sent and those that arrived that costs least: a byte
 * changed, by its bits; bytes missing; bytes inserted, of which a repetition of the one before is a doubled one. Runs
 * of missing and of inserted bytes cost as one event (O. Gotoh, "An improved algorithm for matching biological
 * sequences", Journal of Molecular Biology 162, 1982).
 */
#ifndef ZEUGMA_ALIGNMENT_H
#define ZEUGMA_ALIGNMENT_H

#include <glib.h>
#include <stddef.h>
#include <stdint.h>

/* A damage by what it did. */
enum zg_damage_name {
    ZG_DAMAGE_NONE,     /* the same bytes arrived */
    ZG_DAMAGE_FLIPPED,  /* bits, and nothing else */
    ZG_DAMAGE_MISSING,  /* bytes */
    ZG_DAMAGE_DOUBLED,  /* bytes */
    ZG_DAMAGE_INSERTED, /* bytes that nobody sent */
    ZG_DAMAGE_HELD,     /* a run of 00 or FF in the place of bytes: the line was held at a level */
    ZG_DAMAGE_MIXED,    /* more than one of these */
    ZG_DAMAGE_NAMES
};

/* "bits flipped", ...; and the word for JSON: "flipped". */
const char *zg_damage_name(enum zg_damage_name name);
const char *zg_damage_key(enum zg_damage_name name);

struct zg_alignment {
    unsigned flipped_bits, hit_bytes; /* of bytes that arrived changed, and of them those; without held ones */
    unsigned missing, missing_runs;   /* bytes; runs of them */
    unsigned doubled, inserted;       /* bytes */
    unsigned held;             /* bytes in whose place 00 or FF came: three or more in a row, or any number of them */
    unsigned cost;             /* of the alignment: 2 a changed byte and 1 for each of its bits, 6 a gap and 1 a byte */
    unsigned hit_from, hit_to; /* places in what arrived between which something was done, with both */
};

/* A step of the alignment that did something, in the order of the bytes. */
struct zg_align_step {
    enum { ZG_ALIGN_CHANGED, ZG_ALIGN_MISSING, ZG_ALIGN_INSERTED } what;
    unsigned sent_at, arrived_at, count; /* of changed bytes 1 */
};

/* Aligns them. Linear in what is the same at both ends, quadratic in what lies between, for which at most 1024 bytes of
 * each are looked at; of longer ones the rest counts as missing and inserted. */
struct zg_alignment zg_align(const uint8_t *sent, size_t sent_size, const uint8_t *arrived, size_t arrived_size);

/* The same, and appends its steps, of struct zg_align_step. */
struct zg_alignment zg_align_steps(const uint8_t *sent, size_t sent_size, const uint8_t *arrived, size_t arrived_size,
                                   GArray *steps);

enum zg_damage_name zg_alignment_name(const struct zg_alignment *alignment);

#endif
