/* SPDX-License-Identifier: MIT */
#include "zeugma/ring.h"

#include "zeugma/error.h"

int zg_ring_init(struct zg_ring *ring, uint8_t *memory, size_t size)
{
    if (!memory || size < 2 || size > ZG_RING_MAX || (size & (size - 1)) != 0)
        return ZG_EINVALID;
    ring->bytes = memory;
    ring->mask = (zg_index)(size - 1);
    ring->head = 0;
    ring->tail = 0;
    ring->dropped = 0;
    return 0;
}
