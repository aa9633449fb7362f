/* SPDX-License-Identifier: MIT */
/* A few bytes that a definition chooses. */
#ifndef ZEUGMA_MARK_H
#define ZEUGMA_MARK_H

#include <stdint.h>

#include "zeugma/check.h"

/* Bytes before or after a frame, at most ZG_MARK_MAX, or in front of its check. */
struct zg_mark {
    unsigned size;
    uint8_t bytes[ZG_CHECK_AFTER_MAX];
};

#endif
