/* SPDX-License-Identifier: MIT */
/* A CRC of any parameters in portable C, for long runs of bytes, with the same register and results as the runtime's
 * (zeugma/crc.h). It looks up eight bytes at a time, as in M. E. Kounavis, F. L. Berry, "Novel Table Lookup-Based
 * Algorithms for High-Performance CRC Generation", IEEE Transactions on Computers 57, 2008. Since a CRC is linear,
 * several registers run side by side, each over every fifth word, and are combined at the end. */
#ifndef ZEUGMA_SLICED_CRC_H
#define ZEUGMA_SLICED_CRC_H

#include "zeugma/crc.h"

struct zg_sliced_crc {
    struct zg_crc crc;
    zg_check_word near[8][256]; /* what a byte of a word contributes at the end of the word */
    zg_check_word far[8][256];  /* what it contributes where the same register takes its next word */
};

/* Prepares it from a CRC made by zg_crc_make(), whose table it keeps. */
void zg_sliced_crc_init(struct zg_sliced_crc *sliced, const struct zg_crc *crc);

/* Like zg_crc_update(). */
zg_check_word zg_sliced_crc_update(const struct zg_sliced_crc *sliced, zg_check_word reg, const uint8_t *bytes,
                                   size_t count);

#endif
