/* SPDX-License-Identifier: MIT */
/* Where each value of a block goes: bit-wide ones share bytes, the others begin on a byte boundary. */
#ifndef ZEUGMA_LAYOUT_H
#define ZEUGMA_LAYOUT_H

#include "definition/diagnostics.h"
#include "plan/model.h"

/* Where the next value goes: the first free byte, or a place in an open run of bits. */
struct zgi_cursor {
    unsigned at;       /* bytes since the last step that varies, including those of the open run */
    unsigned run;      /* first byte of the open run */
    unsigned run_bits; /* bits used in it; 0: none is open */
    bool run_big;
    unsigned loose_bits;  /* of all bit-wide values of this version */
    unsigned loose_bytes; /* bytes that those of older versions would take next to each other */
    unsigned run_bytes;   /* of all runs so far */
};

/* Places a step after those of the block so far, and sets its sizes and limits. `room` is the payload's, bytes. */
void zgi_place_step(struct zg_block *block, struct zgi_cursor *cursor, struct zg_step *step, unsigned room);

/* Places fields in order, as the steps of a new block. `room` limits an open-ended one, bytes. */
void zgi_place_fields(const struct zg_plan *plan, const GPtrArray *fields, unsigned room, struct zg_block *block,
                      struct zgi_cursor *cursor, struct zg_diagnostics *diagnostics);

#endif
