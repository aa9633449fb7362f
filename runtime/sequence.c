/* SPDX-License-Identifier: MIT */
#include "zeugma/sequence.h"

enum { REMEMBERED = 16 }; /* numbers before the newest whose arrival is remembered */

enum zg_arrival zg_sequence_note(struct zg_sequence *sequence, unsigned bits, uint32_t number, uint32_t *skipped)
{
    uint32_t mask = bits >= 32 ? UINT32_MAX : (UINT32_C(1) << bits) - 1U;
    uint32_t ahead = (number - sequence->newest) & mask;
    uint32_t back = (sequence->newest - number) & mask;

    *skipped = 0;
    if (!sequence->started) {
        sequence->started = true;
        sequence->newest = number;
        sequence->seen = UINT16_MAX; /* what came before the first is nobody's loss */
        return ZG_ARRIVAL_NEXT;
    }
    if (ahead == 0)
        return ZG_ARRIVAL_REPEATED;
    if (ahead <= mask / 2 + 1U) {
        *skipped = ahead - 1U;
        sequence->newest = number;
        uint32_t seen = ((uint32_t)sequence->seen << 1 | 1U) << (ahead > REMEMBERED ? REMEMBERED : ahead - 1U);
        sequence->seen = (uint16_t)seen;
        return ZG_ARRIVAL_NEXT;
    }
    if (back > REMEMBERED)
        return ZG_ARRIVAL_LATE;
    uint16_t bit = (uint16_t)(1U << (back - 1U));
    if (sequence->seen & bit)
        return ZG_ARRIVAL_REPEATED;
    sequence->seen = (uint16_t)(sequence->seen | bit);
    return ZG_ARRIVAL_LATE;
}
