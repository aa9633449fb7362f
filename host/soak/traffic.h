/* SPDX-License-Identifier: MIT */
/* The frames that a soak sends: numbered, and known to both ends from the seed. */
#ifndef ZEUGMA_SOAK_TRAFFIC_H
#define ZEUGMA_SOAK_TRAFFIC_H

#include "plan/plan.h"

/* The purpose of a frame. OUT is from host to device, BACK from device to host. */
enum zg_flow { ZG_FLOW_ECHO_OUT, ZG_FLOW_ECHO_BACK, ZG_FLOW_STREAM_OUT, ZG_FLOW_STREAM_BACK, ZG_FLOWS };

/* "echo out", ... */
const char *zg_flow_name(enum zg_flow flow);

/* Whether the device sends it. */
static inline bool zg_flow_is_back(enum zg_flow flow)
{
    return flow == ZG_FLOW_ECHO_BACK || flow == ZG_FLOW_STREAM_BACK;
}

/* Every payload starts with the frame's number, little-endian; those of streams are as the service traffic has them, if
 * the definition does. Small payloads hold only its low bytes: this many, 1 to 4. Where an end mark is searched, no
 * payload holds the mark's first byte: numbers are then written in digits of base 255, which leave it out. */
unsigned zg_traffic_number_size(const struct zg_plan *plan);

/* Makes payload `number` of a flow. Its length is `size`, or if that is 0 from that of the number to max_payload bytes;
 * or always max_payload, if the framing has frames of one size and no length. After the number, the seed decides:
 * random bytes, all zeros or all ones. An echo back has the payload of its echo out. Returns the length. */
size_t zg_traffic_make(const struct zg_plan *plan, uint64_t seed, unsigned size, enum zg_flow flow, uint32_t number,
                       uint8_t *payload);

/* Replaces bytes that a payload must not hold. */
void zg_traffic_spare(const struct zg_plan *plan, uint8_t *bytes, size_t length);

/* The `size` of a traffic_request by which the device makes the same. */
uint16_t zg_traffic_size(const struct zg_plan *plan, unsigned size);

/* The number of a payload: of those with its bytes the one nearest to `next`, the flow's next number. The payload must
 * contain these bytes. */
uint32_t zg_traffic_number(const struct zg_plan *plan, enum zg_flow flow, const uint8_t *payload, uint32_t next);

/* The ids of soak frames: none that a message of the definition has. */
struct zg_traffic_ids {
    bool echo; /* false: the header has no id, so there is only stream traffic */
    uint32_t echo_request;
    uint32_t echo_reply;
    uint32_t stream;
};

/* Chooses the ids: those of the services echo_request and echo_reply and the last of the services' 16, if these are
 * free; otherwise the highest free ones. False: fewer than three ids are free. */
bool zg_traffic_choose_ids(const struct zg_plan *plan, struct zg_traffic_ids *ids);

#endif
