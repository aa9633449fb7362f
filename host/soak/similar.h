/* SPDX-License-Identifier: MIT */
/* Tells a damaged frame from a foreign one. */
#ifndef ZEUGMA_SIMILAR_H
#define ZEUGMA_SIMILAR_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* Whether `found` may be `sent`, damaged: too short to tell (under 8 bytes), at most a quarter of the bits differing,
 * or half of the shorter one's bytes standing unchanged at its two ends. */
bool zgi_similar(const uint8_t *sent, size_t sent_length, const uint8_t *found, size_t found_length);

#endif
