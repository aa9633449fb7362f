/* SPDX-License-Identifier: MIT */
#include "zeugma/ring.h"

#include "order.h"
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

zg_index zg_ring_room(const struct zg_ring *ring)
{
    zg_index used = (zg_index)(ring->head - zgi_load_acquire(&ring->tail));
    return (zg_index)(ring->mask + 1U - used);
}

bool zg_ring_put(struct zg_ring *ring, uint8_t byte)
{
    zg_index head = ring->head;
    if ((zg_index)(head - zgi_load_acquire(&ring->tail)) > ring->mask) {
        ring->dropped++;
        return false;
    }
    ring->bytes[head & ring->mask] = byte;
    zgi_store_release(&ring->head, (zg_index)(head + 1U));
    return true;
}

void zg_ring_poke(struct zg_ring *ring, zg_index ahead, uint8_t byte)
{
    ring->bytes[(zg_index)(ring->head + ahead) & ring->mask] = byte;
}

void zg_ring_publish(struct zg_ring *ring, zg_index count)
{
    zgi_store_release(&ring->head, (zg_index)(ring->head + count));
}

zg_index zg_ring_used(const struct zg_ring *ring)
{
    return (zg_index)(zgi_load_acquire(&ring->head) - ring->tail);
}

bool zg_ring_get(struct zg_ring *ring, uint8_t *byte)
{
    zg_index tail = ring->tail;
    if (zgi_load_acquire(&ring->head) == tail)
        return false;
    *byte = ring->bytes[tail & ring->mask];
    zgi_store_release(&ring->tail, (zg_index)(tail + 1U));
    return true;
}

zg_index zg_ring_span(const struct zg_ring *ring, const uint8_t **first)
{
    zg_index used = zg_ring_used(ring);
    zg_index at = (zg_index)(ring->tail & ring->mask);
    zg_index to_end = (zg_index)(ring->mask + 1U - at);
    *first = ring->bytes + at;
    return used < to_end ? used : to_end;
}

void zg_ring_release(struct zg_ring *ring, zg_index count)
{
    zgi_store_release(&ring->tail, (zg_index)(ring->tail + count));
}
