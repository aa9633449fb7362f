/* SPDX-License-Identifier: MIT */
/* Accounting for what others send, by the numbers in the headers alone. */
#ifndef ZEUGMA_LISTENING_H
#define ZEUGMA_LISTENING_H

#include "soak/ledger.h"
#include "zeugma/protocol.h"

/* Opaque; free with zgi_listening_free(). `bits` is the width of the numbers. */
struct zgi_listening;

struct zgi_listening *zgi_listening_new(struct zg_ledger *ledger, unsigned bits);
void zgi_listening_free(struct zgi_listening *listening);

/* A frame arrived: it, and those missing since its sender's newest, end in the ledger as frames of the stream back.
 * After a silence in which the numbers may have come round, the missing ones are as many as the sender's usual rate
 * makes most likely. Returns how many of them it is that are known only by that. */
uint64_t zgi_listening_take(struct zgi_listening *listening, const struct zg_header *header, uint64_t now_ns);

#endif
