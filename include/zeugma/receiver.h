/* SPDX-License-Identifier: MIT */
/*
 * Finds frames in received bytes: framing, check and header, and the account of what became of each byte. Whatever
 * happened to the bytes before, an intact frame is found; see zeugma/framing.h and docs/framings.md. The check is
 * computed as bytes come in. The caller owns all memory. Loop context.
 */
#ifndef ZEUGMA_RECEIVER_H
#define ZEUGMA_RECEIVER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/counters.h"
#include "zeugma/framing.h"
#include "zeugma/protocol.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What a stretch of bytes was found to be. */
enum zg_outcome {
    ZG_OUTCOME_OPEN,         /* nothing ended: all bytes are taken */
    ZG_OUTCOME_FRAME,        /* passed its check, of this version */
    ZG_OUTCOME_VERSION,      /* a frame of another version, left */
    ZG_OUTCOME_FAILED_CHECK, /* a candidate whose check was wrong */
    ZG_OUTCOME_SHORT,        /* a candidate too short for header and check */
    ZG_OUTCOME_FORM,         /* a candidate with a wrong constant or length in its header */
    ZG_OUTCOME_MALFORMED,    /* a candidate that no sender makes */
    ZG_OUTCOME_TOO_LONG,     /* a candidate longer than the longest frame */
    ZG_OUTCOME_CUT,          /* a candidate given up by silence, or by the stream's end */
    ZG_OUTCOME_NOISE,        /* bytes outside any candidate, maybe not the last of them */
    ZG_OUTCOME_IDLE          /* a delimiter that neither opened nor closed a frame */
};

struct zg_found {
    enum zg_outcome outcome;
    size_t wire;            /* bytes that ended, delimiters and stuffing included; they follow on those before */
    const uint8_t *payload; /* of a frame, until the next call; else NULL */
    size_t length;          /* of the payload, bytes */
    zg_check_word expected; /* of a failed check: computed from the bytes, and found behind them */
    zg_check_word found;
};

struct zg_receiver {
    /* private */
    const struct zg_protocol *protocol;
    void *owner;
    struct zg_counters *counters;
    struct zg_decoder decoder;
    zg_check_word state; /* of the check, over the content up to `checked` */
    size_t checked;
};

/* `memory` is protocol->receive_room bytes. `owner` is handed to the protocol's functions. The counters are added to,
 * bytes and frames both, and must outlive the receiver. */
void zg_receiver_init(struct zg_receiver *receiver, const struct zg_protocol *protocol, void *owner,
                      struct zg_counters *counters, uint8_t *memory);

/* Takes bytes up to the first that something ended at, and returns their number; stores a frame's header. Call it, with
 * no bytes if need be, until the outcome is ZG_OUTCOME_OPEN. Linear in the bytes; after damage, where the framing has
 * no delimiter of its own, in those times the longest frame at worst. */
size_t zg_receiver_take(struct zg_receiver *receiver, const uint8_t *bytes, size_t count, struct zg_found *found,
                        struct zg_header *header);

/* The line fell silent or the stream ended: gives up what is open, or ends it where silence ends a frame. One outcome a
 * call; after each, zg_receiver_take() without bytes until that is ZG_OUTCOME_OPEN, then again, until this is. */
void zg_receiver_pause(struct zg_receiver *receiver, struct zg_found *found, struct zg_header *header);

/* Bytes that have not ended yet. */
size_t zg_receiver_pending(const struct zg_receiver *receiver);

#ifdef __cplusplus
}
#endif

#endif
