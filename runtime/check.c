/* SPDX-License-Identifier: MIT */
#include "zeugma/check.h"

zg_check_word zg_check_value(const struct zg_check *check, const uint8_t *content, size_t covered)
{
    if (check->size == 0)
        return 0;
    return check->finish(check->parameters,
                         check->update(check->parameters, check->start, content + check->skip, covered - check->skip));
}
