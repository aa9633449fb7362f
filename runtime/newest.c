/* SPDX-License-Identifier: MIT */
#include "zeugma/newest.h"

#include "zeugma/detail/order.h"
#include "zeugma/error.h"

int zg_newest_init(struct zg_newest *ring, uint8_t *memory, size_t size)
{
    if (!memory || size < 2 || size > ZG_RING_MAX || (size & (size - 1)) != 0)
        return ZG_EINVALID;
    ring->bytes = memory;
    ring->mask = (zg_index)(size - 1);
    ring->head = 0;
    ring->oldest = 0;
    ring->tail = 0;
    ring->lost = 0;
    ring->refused = 0;
    return 0;
}

/* Whether `oldest` is at or ahead of `tail`. It never runs ahead by more than this can tell. */
static bool is_ahead(const struct zg_newest *ring, zg_index oldest, zg_index tail)
{
    return (zg_index)(oldest - tail) < (zg_index)((zg_index) ~(zg_index)0 - ring->mask);
}

void zg_newest_put(struct zg_newest *ring, uint8_t byte)
{
    zg_index head = ring->head;
    zg_index tail = zgi_load_acquire(&ring->tail);
    zg_index oldest = is_ahead(ring, ring->oldest, tail) ? ring->oldest : tail;

    if ((zg_index)(head - oldest) > ring->mask) {
        oldest = (zg_index)(oldest + 1U);
        if (!is_ahead(ring, oldest, tail)) {
            ring->refused++;
            return;
        }
    }
    if (oldest != ring->oldest)
        zgi_store_before(&ring->oldest, oldest); /* visible before its place is written to */
    zgi_store_byte(&ring->bytes[head & ring->mask], byte);
    zgi_store_release(&ring->head, (zg_index)(head + 1U));
}

bool zg_newest_get(struct zg_newest *ring, uint8_t *byte)
{
    zg_index tail = ring->tail;
    zg_index oldest = zgi_load_acquire(&ring->oldest), at;

    for (;;) {
        at = is_ahead(ring, oldest, tail) ? oldest : tail;
        if (zgi_load_acquire(&ring->head) == at)
            return false;
        *byte = zgi_load_byte(&ring->bytes[at & ring->mask]);
        zg_index since = zgi_load_after(&ring->oldest);
        if (since == oldest)
            break;
        oldest = since; /* what was read may have been overwritten */
    }
    ring->lost = (uint16_t)(ring->lost + (zg_index)(at - tail));
    zgi_store_release(&ring->tail, (zg_index)(at + 1U));
    return true;
}
