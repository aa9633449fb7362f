/* SPDX-License-Identifier: MIT */
/*
 * Detects lost, repeated and late frames of one sender by their sequence numbers, of any width, wrapping included. Loop
 * context; constant time.
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
    ZG_ARRIVAL_NEXT,     /* newer than all before; skipped numbers count as lost */
    ZG_ARRIVAL_REPEATED, /* this number arrived before */
    ZG_ARRIVAL_LATE      /* older than the newest, not seen before: it was counted as lost */
};

struct zg_sequence {
    /* private */
    zg_header_number newest;
    uint16_t seen; /* bit n: number newest - n arrived; 0: none has yet */
};

/* Numbers whose arrival is remembered, including the newest. */
#define ZG_SEQUENCE_REMEMBERED 16U

/* Notes the arrival of `number`, `bits` wide (1 to ZG_HEADER_NUMBER_BITS). Stores how many numbers were skipped: 0
 * unless the result is ZG_ARRIVAL_NEXT. A number up to half the range ahead is newer, otherwise older. The very first
 * number skips none. */
static inline enum zg_arrival zg_sequence_note(struct zg_sequence *sequence, unsigned bits, zg_header_number number,
                                               zg_header_number *skipped)
{
    const zg_header_number mask = (zg_header_number)(ZG_HEADER_NUMBER_MAX >> (ZG_HEADER_NUMBER_BITS - bits));
    const zg_header_number back = (zg_header_number)(sequence->newest - number) & mask;
    uint_fast16_t seen = sequence->seen;

    *skipped = 0;
    if (seen == 0) {
        seen = (uint_fast16_t)-1; /* what came before the first is nobody's loss */
    } else if (back <= mask / 2) {
        const uint_fast16_t bit = back < ZG_SEQUENCE_REMEMBERED ? (uint_fast16_t)(1U << back) : 0;
        if ((seen & bit) != 0)
            return ZG_ARRIVAL_REPEATED;
        sequence->seen = (uint16_t)(seen | bit);
        return ZG_ARRIVAL_LATE;
    } else {
        *skipped = (zg_header_number)(mask - back);
        seen = (uint_fast16_t)(seen << 1);
        for (zg_header_number missing = *skipped; missing > 0 && seen != 0; missing--)
            seen = (uint_fast16_t)(seen << 1);
        seen |= 1U;
    }
    sequence->newest = number;
    sequence->seen = (uint16_t)seen;
    return ZG_ARRIVAL_NEXT;
}

#ifdef __cplusplus
}
#endif

#endif
