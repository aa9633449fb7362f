/* SPDX-License-Identifier: MIT */
/* Where the values of a block are and what they are, in words, for byte maps and documents. Free texts with g_free().
 */
#ifndef ZEUGMA_PLACES_H
#define ZEUGMA_PLACES_H

#include "plan/plan.h"

/* "4-7"; "4.." if its size varies; "+4" if it counts from the end of what varies before it. `before` bytes come before
 * the block. */
char *zg_place_bytes(const struct zg_block *block, unsigned index, unsigned before);

/* The bits of its bytes that a value takes: "0-3"; "0.6-1.1" across two bytes; "" if it takes them whole. For an array
 * those of its first element. */
char *zg_place_bits(const struct zg_step *step);

/* The type, for an enum with the integer that carries it: "head_state (u3)". The physical or raw range: "0 to 250"; ""
 * if there is none to show. */
char *zg_place_type(const struct zg_step *step);

/* What stands in front of an array with a count of its own; NULL: there is none. */
char *zg_place_count(const struct zg_step *step);

/* The bytes of the length that a record holds of itself: "1", "0-1"; and what it counts, in words. */
char *zg_place_length_bytes(const struct zg_block *block);
char *zg_place_length(const struct zg_block *block);

char *zg_place_range(const struct zg_step *step);

/* Which step each bit of a block's first part belongs to, up to what varies or is newer: owners[8 * byte + 7 - bit], or
 * ZG_NOBODY. For an array ZG_OWNER_STEPS times the element is added. `*bytes` is the length of that part, `*next` the
 * first step after it. */
#define ZG_NOBODY (-1)
#define ZG_LENGTH (-2) /* the length that a record holds of itself */
#define ZG_OWNER_STEPS 0x10000
int *zg_place_owners(const struct zg_block *block, unsigned *bytes, unsigned *next);

/* The name of an owner: "tension", "lifts[2]", or "". Free with g_free(). */
char *zg_place_label(const struct zg_block *block, int owner);

/* Draws the bytes of a block bit by bit, four in a row, most significant bit first, up to what varies, and says what
 * follows. `before` bytes come before the block. Draws nothing for blocks over 128 bytes. */
void zg_place_map(GString *text, const struct zg_block *block, unsigned before);

/* How the raw value becomes the physical one: " * 1/100 - 40"; "" if they are the same. */
char *zg_place_scale(const struct zg_field *field);

/* A tag in quotes if it is text, otherwise its bytes: "\"T=\"", "2E 01". */
char *zg_place_tag(const struct zg_tag *tag);

/* A time in a suitable unit: "80 ms", "340 us". */
char *zg_time_text(double seconds);

#endif
