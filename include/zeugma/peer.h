/* SPDX-License-Identifier: MIT */
/*
 * Another node on the line, as this one follows it: its sequence numbers, and whether it is heard. A link has one; on a
 * shared line it may have more, each in memory of the caller's. Loop context.
 */
#ifndef ZEUGMA_PEER_H
#define ZEUGMA_PEER_H

#include <stdbool.h>
#include <stdint.h>

#include "zeugma/config.h"
#include "zeugma/sequence.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What changed between this node and another. */
enum zg_link_event {
    ZG_LINK_UP,           /* its first frame at all, or since ZG_LINK_DOWN (with link_timeout) */
    ZG_LINK_DOWN,         /* no frame of it for link_timeout */
    ZG_LINK_MET,          /* its first hello */
    ZG_LINK_RESTARTED,    /* a hello with another boot number */
    ZG_LINK_OTHER_VERSION /* its first frame of another major version since one of ours; such frames are left */
};

struct zg_peer {
    struct zg_peer *next; /* read only: of the link's, or NULL */
    zg_header_word address;      /* read only; 0 where the line is not shared */
    bool up;              /* read only: heard within link_timeout; false without one */
    /* private */
    bool foreign;      /* its last frame was of another version */
    uint32_t heard_us; /* when it was last heard, while up */
    struct zg_sequence heard;
};

#ifdef __cplusplus
}
#endif

#endif
