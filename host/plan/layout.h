/* SPDX-License-Identifier: MIT */
/* Where each value of a block lies: bit-wide ones share bytes, the others begin on one. */
#ifndef ZEUGMA_LAYOUT_H
#define ZEUGMA_LAYOUT_H

#include "definition/diagnostics.h"
#include "plan/model.h"

/* Where the next value goes: the first free byte, or a place in an open bit run. */
struct zgi_cursor {
    unsigned at;       /* bytes since the last step that varies, the open run's included */
    unsigned run;      /* first byte of the open run */
    unsigned run_bits; /* bits in it; 0: none is open */
    bool run_big;
    unsigned loose_bits;  /* of all bit-wide values of this version */
    unsigned loose_bytes; /* that those of older versions would take side by side */
    unsigned run_bytes;   /* of all runs so far */
};

/* Gives a step its place behind those of the block so far, its sizes and limits. `room` is the payload's, bytes. */
void zgi_place_step(struct zg_block *block, struct zgi_cursor *cursor, struct zg_step *step, unsigned room);

/* Lays fields out one after the other, as a new block's steps. `room` bounds an open-ended one, bytes. */
void zgi_place_fields(const struct zg_plan *plan, const GPtrArray *fields, unsigned room, struct zg_block *block,
                      struct zgi_cursor *cursor, struct zg_diagnostics *diagnostics);

#endif
