/* SPDX-License-Identifier: MIT */
/*
 * Finds frames in received bytes, by framing, check and header, and accounts for each byte. Whatever came before, an
 * intact frame is found; see zeugma/framing.h and docs/framings.md. The check is computed as bytes come in. The caller
 * owns all memory. Loop context.
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

/* What a run of bytes was found to be. */
enum zg_outcome {
    ZG_OUTCOME_OPEN,         /* nothing ended; all bytes are taken */
    ZG_OUTCOME_FRAME,        /* a frame of this version */
    ZG_OUTCOME_VERSION,      /* a frame of another version, not delivered */
    ZG_OUTCOME_FAILED_CHECK, /* a candidate whose check was wrong */
    ZG_OUTCOME_SHORT,        /* a candidate too short for header and check */
    ZG_OUTCOME_FORM,         /* a candidate with a wrong constant or length in its header */
    ZG_OUTCOME_MALFORMED,    /* a candidate that no sender produces */
    ZG_OUTCOME_TOO_LONG,     /* a candidate longer than the longest frame */
    ZG_OUTCOME_CUT,          /* a candidate abandoned after silence, or at the stream's end */
    ZG_OUTCOME_NOISE,        /* bytes outside any candidate, perhaps not the last of them */
    ZG_OUTCOME_IDLE          /* a delimiter that neither opened nor closed a frame */
};

struct zg_found {
    enum zg_outcome outcome;
    size_t wire;            /* bytes that ended, with delimiters and stuffing; they follow those of the call before */
    const uint8_t *payload; /* of a frame, until the next call; otherwise NULL */
    size_t length;          /* of the payload, bytes */
    zg_check_word expected; /* of a failed check: computed from the bytes, and received with them */
    zg_check_word found;
    bool unreadable; /* of a failed check that has a form: there is none where it stands; then the two say nothing */
};

/* What the options of a framing begin with that must know each outcome (protocol->halved), and may change it. */
struct zg_judging {
    void (*judged)(const struct zg_framing *framing, struct zg_decoder *decoder, struct zg_found *found);
};

struct zg_receiver {
    /* private */
    const struct zg_protocol *protocol;
    void *owner;
    struct zg_counters *counters;
    struct zg_decoder decoder;
    zg_check_word state; /* of the check, after the first `checked` bytes of the content */
    size_t checked;
};

/* `memory` is protocol->receive_room bytes. `owner` is passed to the protocol's functions. The receiver adds to the
 * counters, which must outlive it. */
void zg_receiver_init(struct zg_receiver *receiver, const struct zg_protocol *protocol, void *owner,
                      struct zg_counters *counters, uint8_t *memory);

/* Takes bytes up to the first at which something ends, and returns how many; stores a frame's header. Call it, with no
 * bytes if need be, until the outcome is ZG_OUTCOME_OPEN. Linear in the bytes; after damage, if the framing has no
 * delimiter of its own, at worst in those times the longest frame. */
size_t zg_receiver_take(struct zg_receiver *receiver, const uint8_t *bytes, size_t count, struct zg_found *found,
                        struct zg_header *header);

/* The line fell silent or the stream ended: abandons what is open, or ends it if silence ends a frame. One outcome a
 * call. After each, call zg_receiver_take() without bytes until its outcome is ZG_OUTCOME_OPEN, then this again, until
 * its outcome is, too. */
void zg_receiver_pause(struct zg_receiver *receiver, struct zg_found *found, struct zg_header *header);

/* Bytes that have not ended yet. */
size_t zg_receiver_pending(const struct zg_receiver *receiver);

#ifdef __cplusplus
}
#endif

#endif
