/* SPDX-License-Identifier: MIT */
#include "plan/fast_crc.h"

void zg_fast_crc_init(struct zg_fast_crc *fast, const struct zg_crc *crc)
{
    zg_sliced_crc_init(&fast->sliced, crc);
    fast->folds = zg_folded_crc_init(&fast->folded, crc);
    fast->shift = crc->reflected ? 0 : ZG_CHECK_BITS - crc->width;
}

zg_check_word zg_fast_crc_update(const void *parameters, zg_check_word reg, const uint8_t *bytes, size_t count)
{
    const struct zg_fast_crc *fast = parameters;

    if (fast->folds && count >= ZG_FOLDED_LEAST)
        return zg_folded_crc_update(&fast->folded, reg, bytes, count);
    return zg_sliced_crc_update(&fast->sliced, reg, bytes, count);
}

zg_check_word zg_fast_crc_finish(const void *parameters, zg_check_word reg)
{
    const struct zg_fast_crc *fast = parameters;

    if (fast->sliced.crc.turned)
        return zg_crc_finish(&fast->sliced.crc, reg);
    return reg >> fast->shift ^ fast->sliced.crc.xor_out;
}
