/* SPDX-License-Identifier: MIT */
/*
 * The service traffic: numbered frames whose content both ends know from a seed, for a soak. Each end sends on its own,
 * as the host's request says, and checks what the other end sends. Loop context.
 */
#ifndef ZEUGMA_TRAFFIC_H
#define ZEUGMA_TRAFFIC_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/protocol.h"
#include "zeugma/receiver.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What an end counts since the run began, in the order of traffic_report. */
enum zg_traffic_count {
    ZG_TRAFFIC_SEED,     /* of the run */
    ZG_TRAFFIC_EXPECTED, /* frames that the other end has sent, according to the greatest number that arrived */
    ZG_TRAFFIC_TAKEN,    /* frames that arrived, each number once */
    ZG_TRAFFIC_WRONG,    /* frames that passed the check and are not what their number says */
    ZG_TRAFFIC_REPEATED, /* frames that arrived again */
    ZG_TRAFFIC_SKIPPED,  /* numbers that have not arrived, although a greater one has */
    ZG_TRAFFIC_SENT,
    ZG_TRAFFIC_REFUSED, /* times that a frame was due and the transmit ring was full */
    ZG_TRAFFIC_COUNTS
};

/* What `way`, `count` and `size` of a traffic_request may be. */
enum { ZG_TRAFFIC_DEVICE_SENDS = 1, ZG_TRAFFIC_HOST_SENDS = 2 };
#define ZG_TRAFFIC_NO_END UINT32_C(0xFFFFFFFF)
#define ZG_TRAFFIC_OWN_SIZES UINT16_C(0xFFFF)

/* What arrived at a device between two intact frames, and was part of none: noise and failed candidates. */
enum zg_traffic_hearing {
    ZG_TRAFFIC_AWAITS_FRAME, /* nothing is kept before an intact frame has come */
    ZG_TRAFFIC_HEARS,
    ZG_TRAFFIC_HEARS_DAMAGE,
    ZG_TRAFFIC_HEARD, /* the next intact frame has come: it is kept until the host asks for a report, */
    ZG_TRAFFIC_TELLS  /* and told after that */
};

enum { ZG_TRAFFIC_DAMAGE_MOST = 48 };

struct zg_traffic_damage {
    uint32_t at_us, expected;
    uint16_t size; /* bytes, of which the first are kept; 65535: or more */
    uint8_t hearing;
    uint8_t bytes[ZG_TRAFFIC_DAMAGE_MOST];
};

/* One end's part. Zero-initialise it. */
struct zg_traffic {
    uint32_t counts[ZG_TRAFFIC_COUNTS]; /* read only */
    /* private */
    uint32_t left;    /* frames still to be sent */
    uint32_t earlier; /* bit n: the frame numbered n below the greatest that arrived has come */
    uint32_t period_us, due_us;
    uint16_t size;
    zg_header_number to;
    bool begun, expects;
#if ZG_TRAFFIC_DAMAGE
    struct zg_traffic_damage damage;
#endif
};

/* Makes the data of a frame: bytes that follow from the seed, the number and the sender; of eight frames, one is all
 * 0x00 and one all 0xFF. `size` of them, or with ZG_TRAFFIC_OWN_SIZES a number that also follows from these; never more
 * than `most`. Returns how many. */
size_t zg_traffic_data(uint32_t seed, uint32_t number, bool from_device, uint16_t size, size_t most, uint8_t *data);

/* Private, for the ends. Sets an end's part as a request says; the same seed again begins nothing anew. The payload has
 * ZGI_TRAFFIC_REQUEST bytes. */
enum { ZGI_TRAFFIC_REQUEST = 15, ZGI_TRAFFIC_REPORT = 4 * ZG_TRAFFIC_COUNTS, ZGI_TRAFFIC_NUMBER = 4 };
void zgi_traffic_ask(struct zg_traffic *traffic, bool is_device, const uint8_t *payload, bool big_endian, uint32_t now);

/* The payload of the next frame to send, of the report. Return their lengths. */
size_t zgi_traffic_next(const struct zg_traffic *traffic, bool is_device, size_t max_payload, bool big_endian,
                        uint8_t *payload);
size_t zgi_traffic_report(const struct zg_traffic *traffic, bool big_endian, uint8_t *payload);

/* Counts a frame that arrived; `room` is for what it should have been, max_payload bytes. 0, or ZG_ESIZE: it has no
 * number. */
int zgi_traffic_take(struct zg_traffic *traffic, bool is_device, size_t max_payload, bool big_endian,
                     const uint8_t *payload, size_t length, uint8_t *room);

#if ZG_TRAFFIC_DAMAGE
/* A device's receiver took bytes, at whose end something ended. `pending`: bytes taken, but not ended yet. */
void zgi_traffic_hear(struct zg_traffic *traffic, const uint8_t *bytes, size_t count, const struct zg_found *found,
                      size_t pending, uint32_t now);

/* The payload that tells of damage. Returns its length. */
enum { ZGI_TRAFFIC_DAMAGE = 11 + ZG_TRAFFIC_DAMAGE_MOST };
size_t zgi_traffic_tell(const struct zg_traffic *traffic, size_t max_payload, bool big_endian, uint8_t *payload);
#endif

#ifdef __cplusplus
}
#endif

#endif
