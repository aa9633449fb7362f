/* SPDX-License-Identifier: MIT */
/*
 * The PC's end at work on a LINK: a wire, the host's end that answers and delivers, and an observer of everything that
 * passes in both directions. Bytes leave at the line's speed. Real time.
 */
#ifndef ZEUGMA_SESSION_H
#define ZEUGMA_SESSION_H

#include "codec/frame_reader.h"
#include "link/wire.h"
#include "node/node.h"

struct zg_session_calls {
    /* A stretch passed, as decoding found it; may be NULL. */
    void (*stretch)(void *data, uint64_t at_ns, bool out, const struct zg_stretch *stretch);
    /* Its raw bytes, reported before it; may be NULL. */
    void (*bytes)(void *data, const struct zg_passage *passage);
    struct zg_node_calls node; /* of the host's end */
};

/* Opaque; free with zg_session_free(). */
struct zg_session;

/* `answers`: with a host's end; otherwise everything is only watched, and nothing sent. The plan and the wire must
 * outlive it. */
struct zg_session *zg_session_new(const struct zg_plan *plan, struct zg_wire *wire, bool answers,
                                  const struct zg_session_calls *calls, void *data);
void zg_session_free(struct zg_session *session);

/* The host's end; NULL if there is none. */
struct zg_node *zg_session_node(struct zg_session *session);

/* Does once what is due, and waits for more: at most `wait_ns`, or until `extra` (a descriptor; -1: none) is readable.
 * False, with an error: the link failed. */
bool zg_session_step(struct zg_session *session, int extra, uint64_t wait_ns, GError **error);

/* The same for several, up to ZG_WIRES_MOST of them, with one wait; of captures that are read as fast as possible only
 * for the one that is behind. A session whose link fails ends alone: `failed` is told which, and why. False: none goes
 * on. */
bool zg_sessions_step(struct zg_session *const *sessions, unsigned count, int extra, uint64_t wait_ns,
                      void (*failed)(void *data, unsigned which, const GError *why), void *data);

/* Whether its link has neither failed nor ended; ends it, because it failed otherwise. */
bool zg_session_goes_on(const struct zg_session *session);
void zg_session_give_up(struct zg_session *session);

/* The same as zg_session_step() repeatedly, until `until_ns` of zg_wire_now_ns(), or `*done`. */
bool zg_session_run(struct zg_session *session, uint64_t until_ns, const bool *done, GError **error);

/* Whether everything to be sent has left this program. */
bool zg_session_is_flushed(struct zg_session *session);

/* Up to this time, ns, everything that passed was reported. What is still open in a direction may be reported later,
 * with the time of its last byte. */
uint64_t zg_session_reported_ns(const struct zg_session *session);

/* Abandons and reports what is open in either direction: at the end of a capture, or of watching. */
void zg_session_end(struct zg_session *session);

/* Counters of what came from the device (false) or from the host (true). */
const struct zg_counters *zg_session_counters(const struct zg_session *session, bool out);

#endif
