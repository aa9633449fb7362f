/* SPDX-License-Identifier: MIT */
/*
 * Tells lost, repeated and late frames of one sender from the sequence numbers that arrive, at any width of the
 * number, wrap included. Loop context; constant time.
 */
#ifndef ZEUGMA_SEQUENCE_H
#define ZEUGMA_SEQUENCE_H

#include <stdbool.h>
#include <stdint.h>

#include "zeugma/config.h"

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
    zg_role newest;
    uint16_t seen; /* bit n: number newest - 1 - n arrived */
    bool started;
};

/* Numbers before the newest whose arrival is remembered. */
#define ZG_SEQUENCE_REMEMBERED 16U

/* Notes the arrival of `number`, `bits` wide (1 to ZG_ROLE_BITS). Stores how many numbers were skipped, 0 unless the
 * result is ZG_ARRIVAL_NEXT. A number up to half the width ahead is newer, else older. The first number of all skips
 * none. */
static inline enum zg_arrival zg_sequence_note(struct zg_sequence *sequence, unsigned bits, zg_role number,
                                               zg_role *skipped)
{
    const zg_role mask = (zg_role)(ZG_ROLE_MAX >> (ZG_ROLE_BITS - bits));
    zg_role ahead = (zg_role)(number - sequence->newest) & mask;
    zg_role back = (zg_role)(sequence->newest - number) & mask;

    *skipped = 0;
    if (!sequence->started) {
        sequence->started = true;
        sequence->newest = number;
        sequence->seen = UINT16_MAX; /* what came before the first is nobody's loss */
        return ZG_ARRIVAL_NEXT;
    }
    if (ahead == 1) { /* as it should be */
        sequence->newest = number;
        sequence->seen = (uint16_t)((uint16_t)(sequence->seen << 1) | 1U);
        return ZG_ARRIVAL_NEXT;
    }
    if (ahead == 0)
        return ZG_ARRIVAL_REPEATED;
    if (ahead <= mask / 2 + 1U) {
        *skipped = (zg_role)(ahead - 1U);
        sequence->newest = number;
        uint32_t seen = ((uint32_t)sequence->seen << 1 | 1U)
                        << (ahead > ZG_SEQUENCE_REMEMBERED ? ZG_SEQUENCE_REMEMBERED : ahead - 1U);
        sequence->seen = (uint16_t)seen;
        return ZG_ARRIVAL_NEXT;
    }
    if (back > ZG_SEQUENCE_REMEMBERED)
        return ZG_ARRIVAL_LATE;
    uint16_t bit = (uint16_t)(1U << (back - 1U));
    if (sequence->seen & bit)
        return ZG_ARRIVAL_REPEATED;
    sequence->seen = (uint16_t)(sequence->seen | bit);
    return ZG_ARRIVAL_LATE;
}

#ifdef __cplusplus
}
#endif

#endif
