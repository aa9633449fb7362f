/* SPDX-License-Identifier: MIT */
/*
 * The service hello: two nodes tell each other who they are and since which start. Each draws a boot number when it
 * starts; once each knows the other's and knows that it is known, it is quiet, but for the keepalive. Generated nodes
 * drive it. Loop context.
 */
#ifndef ZEUGMA_HELLO_H
#define ZEUGMA_HELLO_H

#include <stdbool.h>
#include <stdint.h>

#include "zeugma/config.h"

#ifdef __cplusplus
extern "C" {
#endif

/* How another node's definition stands to this node's, by its hello. */
enum zg_match {
    ZG_MATCH_UNKNOWN,          /* no hello yet */
    ZG_MATCH_SAME,             /* version and fingerprint are the same */
    ZG_MATCH_OLDER_MINOR,      /* it lacks what is newer here; fields take their defaults */
    ZG_MATCH_NEWER_MINOR,      /* this node lacks what is newer there; it is ignored here */
    ZG_MATCH_OTHER_DEFINITION, /* the same version number, but something that shapes the wire differs */
    ZG_MATCH_OLDER_MAJOR,      /* the two do not understand each other: it is to be brought up to date */
    ZG_MATCH_NEWER_MAJOR       /* the same the other way round: this node is */
};

/* What it means and what to do, an English sentence. Any context; constant time. */
const char *zg_match_text(enum zg_match match);

/* What one node knows of another. */
struct zg_hello {
    /* read only */
    uint16_t boot; /* its number, 0: none heard yet */
    bool known;    /* it knows ours: messages with tickets pass */
    uint8_t match; /* enum zg_match */
    /* private */
    bool answer; /* a hello is due, which tells its number back */
    bool ask;    /* one is due that it must answer */
    uint8_t tries;
    uint8_t runs;     /* times that this node began afresh with the peer, which gives it another number */
    uint8_t frames;   /* frames sent when last looked, modulo 256 */
    uint32_t sent_us; /* when last something was sent */
};

/* The hello's fields in its payload, bytes. */
enum { ZG_HELLO_FINGERPRINT = 2, ZG_HELLO_MAX_PAYLOAD = 6, ZG_HELLO_BOOT = 8, ZG_HELLO_PEER = 10, ZG_HELLO_LEAST = 13 };

/* How a node uses it: constant, usually generated. */
struct zg_hello_terms {
    const uint8_t *payload; /* what it sends, boot numbers left open; in ZG_FLASH */
    uint8_t size;           /* its bytes */
    bool big_endian;
    bool asks_only;        /* the PC of a shared line: a keepalive is to be answered */
    bool answers_only;     /* a device of one: never begins */
    zg_header_word id;            /* of the message */
    uint32_t wait_us;      /* for an answer, before the next try; doubled up to 32 times */
    uint32_t keepalive_us; /* 0: none */
};

/* Private: what a hello tells of its sender: nothing new, that it is there, that it restarted. */
enum zgi_news { ZGI_NEWS_NONE, ZGI_NEWS_MET, ZGI_NEWS_RESTARTED };

#ifdef __cplusplus
}
#endif

#endif
