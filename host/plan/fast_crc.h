/* SPDX-License-Identifier: MIT */
/* A CRC of any parameters at the speed of a large processor, for long stretches of bytes: the same register and results
 * as the runtime's (zeugma/crc.h). Eight bytes are looked up at a time, as in M. E. Kounavis, F. L. Berry, "Novel Table
 * Lookup-Based Algorithms for High-Performance CRC Generation", IEEE Transactions on Computers 57, 2008; and since a
 * CRC is linear, several registers run side by side, each over every so many words, and are put together at the end. */
#ifndef ZEUGMA_FAST_CRC_H
#define ZEUGMA_FAST_CRC_H

#include "plan/folded_crc.h"

struct zg_fast_crc {
    struct zg_crc crc;
    zg_check_word near[8][256]; /* what a byte of a word has become at the word's end */
    zg_check_word far[8][256];  /* where the same register takes its next word */
    struct zg_folded_crc folded;
    unsigned shift; /* of a value to the low bits of the word */
    bool folds;     /* the processor can multiply without carry; false: it is not to be used */
};

/* Prepares it from a CRC made by zg_crc_make(), whose table is kept. */
void zg_fast_crc_init(struct zg_fast_crc *fast, const struct zg_crc *crc);

/* As zg_check_crc_update(), and zg_check_crc_finish(); `parameters` is the struct zg_fast_crc. */
zg_check_word zg_fast_crc_update(const void *parameters, zg_check_word reg, const uint8_t *bytes, size_t count);
zg_check_word zg_fast_crc_finish(const void *parameters, zg_check_word reg);

#endif
