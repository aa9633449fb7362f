/* SPDX-License-Identifier: MIT */
/*
 * Tells lost, repeated and late frames of one sender from the sequence numbers that arrive, at any width of the
 * number, wrap included. Loop context; constant time.
 */
#ifndef ZEUGMA_SEQUENCE_H
#define ZEUGMA_SEQUENCE_H

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

enum zg_arrival {
    ZG_ARRIVAL_NEXT,     /* newer than all before; numbers skipped count as lost */
    ZG_ARRIVAL_REPEATED, /* this number arrived before */
    ZG_ARRIVAL_LATE      /* older than the newest, not seen before: it was counted as lost */
};

struct zg_sequence {
    /* private */
    uint32_t newest;
    uint16_t seen; /* bit n: number newest - 1 - n arrived */
    bool started;
};

/* Notes the arrival of `number`, `bits` wide (1 to 32). Stores how many numbers were skipped, 0 unless the result is
 * ZG_ARRIVAL_NEXT. A number up to half the width ahead is newer, else older. The first number of all skips none. */
enum zg_arrival zg_sequence_note(struct zg_sequence *sequence, unsigned bits, uint32_t number, uint32_t *skipped);

#ifdef __cplusplus
}
#endif

#endif
