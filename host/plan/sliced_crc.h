/* SPDX-License-Identifier: MIT */
/* A CRC of any parameters in portable C, for long stretches of bytes: the same register and results as the runtime's
 * (zeugma/crc.h). Eight bytes are looked up at a time, as in M. E. Kounavis, F. L. Berry, "Novel Table Lookup-Based
 * Algorithms for High-Performance CRC Generation", IEEE Transactions on Computers 57, 2008; and since a CRC is linear,
 * several registers run side by side, each over every so many words, and are put together at the end. */
#ifndef ZEUGMA_SLICED_CRC_H
#define ZEUGMA_SLICED_CRC_H

#include "zeugma/crc.h"

struct zg_sliced_crc {
    struct zg_crc crc;
    zg_check_word near[8][256]; /* what a byte of a word has become at the word's end */
    zg_check_word far[8][256];  /* where the same register takes its next word */
};

/* Prepares it from a CRC made by zg_crc_make(), whose table is kept. */
void zg_sliced_crc_init(struct zg_sliced_crc *sliced, const struct zg_crc *crc);

/* As zg_crc_update(). */
zg_check_word zg_sliced_crc_update(const struct zg_sliced_crc *sliced, zg_check_word reg, const uint8_t *bytes,
                                   size_t count);

#endif
