/* SPDX-License-Identifier: MIT */
/* Distinguishes a damaged frame from another sender's. */
#ifndef ZEUGMA_SIMILAR_H
#define ZEUGMA_SIMILAR_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum { ZGI_SIMILAR_LEAST = 8 }; /* bytes; of less, similarity says little */

/* Whether `found` may be a damaged `sent`: both have at least 8 bytes, and at most a quarter of the bits differ, or
 * half of the shorter one's bytes are unchanged at its two ends. */
bool zgi_similar(const uint8_t *sent, size_t sent_length, const uint8_t *found, size_t found_length);

/* Whether at least half of `found` occurs in `sent`, in pieces of 3 bytes and more. */
bool zgi_is_made_of(const uint8_t *sent, size_t sent_length, const uint8_t *found, size_t found_length);

#endif
