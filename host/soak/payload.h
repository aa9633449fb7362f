/* SPDX-License-Identifier: MIT */
#ifndef ZEUGMA_SOAK_PAYLOAD_H
#define ZEUGMA_SOAK_PAYLOAD_H

#include "soak/traffic.h"

struct zgi_soak;
struct zgi_payloads;

struct zgi_payloads *zgi_payloads_new(const struct zg_plan *plan);
void zgi_payloads_free(struct zgi_payloads *payloads);

/* A frame's payload and its length; valid until the next call. */
const uint8_t *zgi_soak_payload(const struct zgi_soak *soak, enum zg_flow flow, uint32_t number, size_t *length);

#endif
