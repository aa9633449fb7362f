/* SPDX-License-Identifier: MIT */
/*
 * The service hello: two nodes tell each other who they are, and whether they restarted. Each draws a boot number when
 * it starts. Once each knows the other's number and knows that its own is known, both are quiet, except for the
 * keepalive. Generated nodes drive it. Loop context.
 */
#ifndef ZEUGMA_HELLO_H
#define ZEUGMA_HELLO_H

#include <stdbool.h>
#include <stdint.h>

#include "zeugma/config.h"

#ifdef __cplusplus
extern "C" {
#endif

/* How another node's definition, by its hello, compares with this node's. */
enum zg_match {
    ZG_MATCH_UNKNOWN,          /* no hello arrived yet */
    ZG_MATCH_SAME,             /* version and fingerprint are the same */
    ZG_MATCH_OLDER_MINOR,      /* it lacks what is newer here; such fields take their defaults */
    ZG_MATCH_NEWER_MINOR,      /* this node lacks what is newer there, and ignores it */
    ZG_MATCH_OTHER_DEFINITION, /* the same version, but something that shapes the wire differs */
    ZG_MATCH_OLDER_MAJOR,      /* the two do not understand each other: the other one must be updated */
    ZG_MATCH_NEWER_MAJOR       /* the two do not understand each other: this node must be updated */
};

/* What it means and what to do, as an English sentence. Any context; constant time. */
const char *zg_match_text(enum zg_match match);

/* What one node knows of another. */
struct zg_hello {
    /* read only */
    uint16_t boot; /* its boot number; 0: no hello arrived yet */
    bool known;    /* it knows ours: messages with tickets may be sent */
    uint8_t match; /* enum zg_match */
    /* private */
    bool answer; /* a hello is due that confirms its number */
    bool ask;    /* a hello is due that it must answer */
    uint8_t tries;
    uint8_t runs;     /* how often this node started afresh with the peer, each time under another number */
    uint8_t frames;   /* frames sent at the last look, modulo 256 */
    uint32_t sent_us; /* when something was last sent */
};

/* Where the fields of a hello begin in its payload, bytes. */
enum { ZG_HELLO_FINGERPRINT = 2, ZG_HELLO_MAX_PAYLOAD = 6, ZG_HELLO_BOOT = 8, ZG_HELLO_PEER = 10, ZG_HELLO_LEAST = 13 };

/* What a node's hello needs: constant, usually generated. */
struct zg_hello_terms {
    const uint8_t *payload; /* its hello, with the boot numbers left open; in ZG_FLASH */
    uint8_t size;           /* its bytes */
    bool big_endian;
    bool asks_only;        /* the PC on a shared line: asks, and its keepalive is answered */
    bool answers_only;     /* a device on a shared line: never begins */
    zg_header_number id;   /* of the message hello */
    uint32_t wait_us;      /* for an answer before the next try; doubled up to 32 times */
    uint32_t keepalive_us; /* 0: none */
};

/* Private: what a hello says about its sender: nothing new, that it is there, that it restarted. */
enum zgi_news { ZGI_NEWS_NONE, ZGI_NEWS_MET, ZGI_NEWS_RESTARTED };

#ifdef __cplusplus
}
#endif

#endif
