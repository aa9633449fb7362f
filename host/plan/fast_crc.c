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
    return zgi_fast_crc_update(parameters, reg, bytes, count);
}

zg_check_word zg_fast_crc_finish(const void *parameters, zg_check_word reg)
{
    return zgi_fast_crc_finish(parameters, reg);
}
