/* SPDX-License-Identifier: MIT */
/* Distinguishes a damaged frame from another sender's. */
#ifndef ZEUGMA_SIMILAR_H
#define ZEUGMA_SIMILAR_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* Whether `found` may be a damaged `sent`: it is too short to tell (under 8 bytes), or at most a quarter of the bits
 * differ, or half of the shorter one's bytes are unchanged at its two ends. */
bool zgi_similar(const uint8_t *sent, size_t sent_length, const uint8_t *found, size_t found_length);

#endif
