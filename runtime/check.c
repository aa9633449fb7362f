/* SPDX-License-Identifier: MIT */
#include "zeugma/check.h"

zg_check_word zg_check_value(const struct zg_check *check, const uint8_t *content, size_t covered)
{
    if (check->size == 0)
        return 0;
    return check->finish(check->parameters,
                         check->update(check->parameters, check->start, content + check->skip, covered - check->skip));
}

void zg_check_store(const struct zg_check *check, zg_check_word value, uint8_t *at)
{
    for (uint8_t i = 0; i < check->size; i++) {
        at[check->big_endian ? check->size - 1 - i : i] = (uint8_t)value;
        value = (zg_check_word)(value >> 4 >> 4);
    }
}

zg_check_word zg_check_load(const struct zg_check *check, const uint8_t *at)
{
    zg_check_word value = 0;
    for (uint8_t i = 0; i < check->size; i++)
        value = (zg_check_word)((zg_check_word)(value << 4 << 4) | at[check->big_endian ? i : check->size - 1 - i]);
    return value;
}
