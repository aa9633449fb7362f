/* SPDX-License-Identifier: MIT */
/* Which message a frame is, to an observer who does not know which side sent it. */
#ifndef ZEUGMA_CODEC_CHOICE_H
#define ZEUGMA_CODEC_CHOICE_H

#include "codec/payload.h"

/* What an observer remembers. Zero-initialise it. */
struct zg_chooser {
    const struct zg_message *open[2]; /* the newest request of the device and of the host that is not answered yet */
    enum zg_side only;                /* a frame is taken for this side's, if it can be; 0: for either's */
};

/* What a frame was found to be. */
struct zg_choice {
    const struct zg_plan_message *message; /* NULL: nothing tells it */
    const struct zg_plan_message *also;    /* the other side's, which it may be as well; or NULL */
    bool sound;                            /* the payload fits the message */
    size_t ignored;                        /* bytes after the last known field */
};

/* The message that a frame is, of those that `from` may send: told by its id, or its tag; or of those without either
 * the first that fits of what answers the request `open` of the other side (NULL: none is), otherwise the one that fits
 * best, and of equal ones the first. NULL: none. */
const struct zg_plan_message *zg_told(const struct zg_plan *plan, enum zg_side from, uint64_t id,
                                      const uint8_t *payload, size_t length, const struct zg_message *open);

/* Chooses among what both sides may send: what fits best; then what answers an open request; then what is defined
 * first. `values` has one place for each message of the plan; those of the chosen one are filled. The header's id is
 * read, and its tickets are set. */
struct zg_choice zg_choose(const struct zg_chooser *chooser, const struct zg_plan *plan, const uint8_t *payload,
                           size_t length, struct zg_header *header, struct zg_value *const *values);

/* Notes a frame that was delivered, for those that follow. */
void zg_chooser_note(struct zg_chooser *chooser, const struct zg_choice *choice);

#endif
