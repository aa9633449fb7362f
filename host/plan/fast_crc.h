/* SPDX-License-Identifier: MIT */
/* A CRC of any parameters at the speed of a large processor: by carry-less multiplication if it has that, otherwise by
 * tables. The results are the same. */
#ifndef ZEUGMA_FAST_CRC_H
#define ZEUGMA_FAST_CRC_H

#include "plan/folded_crc.h"
#include "plan/sliced_crc.h"

struct zg_fast_crc {
    struct zg_sliced_crc sliced;
    struct zg_folded_crc folded;
    bool folds;     /* false: the processor cannot */
    unsigned shift; /* from a value to the low bits of the word */
};

/* Prepares it from a CRC made by zg_crc_make(), whose table it keeps. */
void zg_fast_crc_init(struct zg_fast_crc *fast, const struct zg_crc *crc);

/* Like zg_check_crc_update() and zg_check_crc_finish(); `parameters` is the struct zg_fast_crc. */
zg_check_word zg_fast_crc_update(const void *parameters, zg_check_word reg, const uint8_t *bytes, size_t count);
zg_check_word zg_fast_crc_finish(const void *parameters, zg_check_word reg);

/* Private: the same, inline, where a call for each frame costs too much. */
static ZGI_INLINE zg_check_word zgi_fast_crc_update(const void *parameters, zg_check_word reg, const uint8_t *bytes,
                                                    size_t count)
{
    const struct zg_fast_crc *fast = (const struct zg_fast_crc *)parameters;

    if (fast->folds && count >= ZG_FOLDED_LEAST)
        return zg_folded_crc_update(&fast->folded, reg, bytes, count);
    return zg_sliced_crc_update(&fast->sliced, reg, bytes, count);
}

static ZGI_INLINE zg_check_word zgi_fast_crc_finish(const void *parameters, zg_check_word reg)
{
    const struct zg_fast_crc *fast = (const struct zg_fast_crc *)parameters;

    if (fast->sliced.crc.turned)
        return zg_crc_finish(&fast->sliced.crc, reg);
    return reg >> fast->shift ^ fast->sliced.crc.xor_out;
}

#endif
