/* SPDX-License-Identifier: MIT */
/* Where the values of a block lie and what they are, in words, for byte maps and documents. Texts are freed with
 * g_free(). */
#ifndef ZEUGMA_PLACES_H
#define ZEUGMA_PLACES_H

#include "plan/plan.h"

/* "4-7", "4.." where its size varies, "+4" where it is counted from the end of what varies before it. `before` bytes
 * stand in front of the block. */
char *zg_place_bytes(const struct zg_block *block, unsigned index, unsigned before);

/* The bits of its bytes that a value takes: "0-3", "0.6-1.1" over two bytes, "" where it has them whole; of an array,
 * those of its first element. */
char *zg_place_bits(const struct zg_step *step);

/* The type, for an enum with the integer that carries it: "head_state (u3)"; the physical or raw range, "0 to 250", ""
 * where there is none to tell. */
char *zg_place_type(const struct zg_step *step);
char *zg_place_range(const struct zg_step *step);

/* Which step each bit of a block's first part belongs to, up to what varies or is newer: owners[8 * byte + 7 - bit],
 * ZG_NOBODY where none does; of an array with ZG_OWNER_STEPS times the element. `*bytes` is the part's length,
 * `*behind` the first step that is not in it. */
#define ZG_NOBODY (-1)
#define ZG_OWNER_STEPS 0x10000
int *zg_place_owners(const struct zg_block *block, unsigned *bytes, unsigned *behind);

/* What an owner is called: "tension", "lifts[2]", "" for nobody. Free with g_free(). */
char *zg_place_label(const struct zg_block *block, int owner);

/* Draws the bytes of a block bit by bit, four a row, the most significant bit of each first, up to what varies, and
 * tells what follows; `before` bytes stand in front. Nothing of blocks over 128 bytes. */
void zg_place_map(GString *text, const struct zg_block *block, unsigned before);

/* What makes the physical value of the raw one: " * 1/100 - 40"; "" where they are the same. */
char *zg_place_scale(const struct zg_field *field);

/* "80 ms", "340 us": a time with the unit that suits it. */
char *zg_time_text(double seconds);

#endif
