/* SPDX-License-Identifier: MIT */
/* Loads and stores of ring indices with the order that a single producer and a single consumer need: what was
 * written before a release store is seen after the acquire load that reads it. */
#ifndef ZEUGMA_ORDER_H
#define ZEUGMA_ORDER_H

#include "zeugma/ring.h"

#if defined(__GNUC__)

static inline zg_index zgi_load_acquire(const zg_index *at)
{
    return __atomic_load_n(at, __ATOMIC_ACQUIRE);
}

static inline void zgi_store_release(zg_index *at, zg_index value)
{
    __atomic_store_n(at, value, __ATOMIC_RELEASE);
}

#else
#include <stdatomic.h>

static inline zg_index zgi_load_acquire(const zg_index *at)
{
    zg_index value = *(const volatile zg_index *)at;
    atomic_thread_fence(memory_order_acquire);
    return value;
}

static inline void zgi_store_release(zg_index *at, zg_index value)
{
    atomic_thread_fence(memory_order_release);
    *(volatile zg_index *)at = value;
}

#endif

#endif
