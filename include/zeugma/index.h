/* SPDX-License-Identifier: MIT */
/* The type of a ring's indices. */
#ifndef ZEUGMA_INDEX_H
#define ZEUGMA_INDEX_H

#include "zeugma/config.h"

#if ZG_RING_INDEX_BITS == 8
typedef uint8_t zg_index;
#elif ZG_RING_INDEX_BITS == 16
typedef uint16_t zg_index;
#else
typedef uint32_t zg_index;
#endif

/* The largest ring, bytes. */
#define ZG_RING_MAX ((zg_index)((zg_index)1 << (ZG_RING_INDEX_BITS - 1)))

#endif
