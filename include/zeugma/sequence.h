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
    const zg_role ahead = (zg_role)(number - sequence->newest) & mask;
    uint16_t seen = sequence->seen;

    *skipped = 0;
    if (!sequence->started) {
        sequence->started = true;
        seen = UINT16_MAX; /* what came before the first is nobody's loss */
    } else if (ahead == 0) {
        return ZG_ARRIVAL_REPEATED;
    } else if (ahead <= mask / 2 + 1U) {
        *skipped = (zg_role)(ahead - 1U);
        seen = (uint16_t)((uint16_t)(seen << 1) | 1U);
        for (zg_role missing = *skipped; missing > 0 && seen != 0; missing--)
            seen = (uint16_t)(seen << 1);
    } else {
        const zg_role back = (zg_role)(mask - ahead); /* 0: the one before the newest */
        const uint16_t bit = (uint16_t)(back < ZG_SEQUENCE_REMEMBERED ? 1U << back : 0U);
        if ((seen & bit) != 0)
            return ZG_ARRIVAL_REPEATED;
        sequence->seen = (uint16_t)(seen | bit);
        return ZG_ARRIVAL_LATE;
    }
    sequence->newest = number;
    sequence->seen = seen;
    return ZG_ARRIVAL_NEXT;
}

#ifdef __cplusplus
}
#endif

#endif
