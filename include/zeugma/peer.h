/* SPDX-License-Identifier: MIT */
/*
 * Another node on the line, as this one follows it: its sequence numbers, and whether it is heard. A link has one peer;
 * on a shared line it may have more, each in the caller's memory. Loop context.
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
    ZG_LINK_UP,           /* the first frame ever, or since ZG_LINK_DOWN (with link_timeout) */
    ZG_LINK_DOWN,         /* no frame for link_timeout */
    ZG_LINK_MET,          /* the first hello */
    ZG_LINK_RESTARTED,    /* a hello with another boot number */
    ZG_LINK_OTHER_VERSION /* the first frame of another major version since one of ours; such frames are not delivered
                           */
};

struct zg_peer {
    struct zg_peer *next;     /* read only: the link's next peer, or NULL */
    zg_header_number address; /* read only; 0 where the line is not shared */
    bool up;                  /* read only: heard within link_timeout; false without one */
    /* private */
    bool foreign;      /* its last frame was of another version */
    uint32_t heard_us; /* when it was last heard; valid while `up` */
    struct zg_sequence heard;
};

#ifdef __cplusplus
}
#endif

#endif
