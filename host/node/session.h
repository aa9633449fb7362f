/* SPDX-License-Identifier: MIT */
/*
 * The PC's end at work on a LINK: a wire, the host's end that answers and delivers, and an observer of all that passes
 * in both directions. Bytes leave at the line's speed. Real time.
 */
#ifndef ZEUGMA_SESSION_H
#define ZEUGMA_SESSION_H

#include "codec/frame_reader.h"
#include "node/node.h"
#include "link/wire.h"

struct zg_session_calls {
    /* A stretch that passed, as decoding found it; may be NULL. */
    void (*stretch)(void *data, uint64_t at_ns, bool out, const struct zg_stretch *stretch);
    /* The raw bytes of it, before; may be NULL. */
    void (*bytes)(void *data, const struct zg_passage *passage);
    struct zg_node_calls node; /* of the host's end */
};

/* Opaque; free with zg_session_free(). */
struct zg_session;

/* `answers`: there is a host's end; else all is only watched, and nothing sent. The plan and the wire must outlive it.
 */
struct zg_session *zg_session_new(const struct zg_plan *plan, struct zg_wire *wire, bool answers,
                                  const struct zg_session_calls *calls, void *data);
void zg_session_free(struct zg_session *session);

/* The host's end; NULL without. */
struct zg_node *zg_session_node(struct zg_session *session);

/* Does what is due, once, and waits for more, at most `wait_ns`, or until `extra` (a descriptor, -1: none) is readable.
 * False: trouble. */
bool zg_session_step(struct zg_session *session, int extra, uint64_t wait_ns, GError **error);

/* The same until `until_ns` of zg_wire_now_ns(), or `*done`. */
bool zg_session_run(struct zg_session *session, uint64_t until_ns, const bool *done, GError **error);

/* Whether all that was to be sent has left this program. */
bool zg_session_is_flushed(struct zg_session *session);

/* All that passed up to this time, ns, has been told: what is still open in a direction may be told later, but as of
 * when its last byte came. */
uint64_t zg_session_told_ns(const struct zg_session *session);

/* What is open in either direction is given up and told: the end of a capture, or of watching. */
void zg_session_end(struct zg_session *session);

/* Counters of what was seen from the device (false) or from the host (true). */
const struct zg_counters *zg_session_counters(const struct zg_session *session, bool out);

#endif
