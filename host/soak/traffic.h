/* SPDX-License-Identifier: MIT */
/* The frames that a soak sends: numbered, and predictable by both ends from the seed. */
#ifndef ZEUGMA_TRAFFIC_H
#define ZEUGMA_TRAFFIC_H

#include "plan/plan.h"

/* What a frame is sent for. OUT is from host to device, BACK from device to host. */
enum zg_flow { ZG_FLOW_ECHO_OUT, ZG_FLOW_ECHO_BACK, ZG_FLOW_STREAM_OUT, ZG_FLOW_STREAM_BACK, ZG_FLOWS };

/* "echo out", ... */
const char *zg_flow_name(enum zg_flow flow);

/* Whether the device sends it. */
bool zg_flow_is_back(enum zg_flow flow);

/* Every payload starts with the frame's number, little-endian, of which small payloads hold the low bytes only: this
 * many, 1 to 4. */
unsigned zg_traffic_number_size(const struct zg_plan *plan);

/* Makes payload `number` of a flow: the number's bytes to max_payload bytes, or always max_payload where the framing
 * has frames of one size and no length; by the seed random, all zero or all ones after the number. An echo back has the
 * payload of its echo out. Returns the length. */
size_t zg_traffic_make(const struct zg_plan *plan, uint64_t seed, enum zg_flow flow, uint32_t number, uint8_t *payload);

/* The number that a payload carries: the one nearest to `next`, the flow's next, that has its bytes. The payload is not
 * shorter than those. */
uint32_t zg_traffic_number(const struct zg_plan *plan, const uint8_t *payload, uint32_t next);

/* The ids under which soak frames travel: none that a message of the definition has. */
struct zg_traffic_ids {
    bool echo; /* false: the header has no id, so that there is stream traffic only */
    uint32_t echo_request;
    uint32_t echo_reply;
    uint32_t stream;
};

/* Chooses them: those of the services echo_request and echo_reply and the last of the services' 16 where these are
 * free, else the highest free ones. False: fewer than three ids are free. */
bool zg_traffic_choose_ids(const struct zg_plan *plan, struct zg_traffic_ids *ids);

#endif
