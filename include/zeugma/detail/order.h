/* SPDX-License-Identifier: MIT */
/* Private. Loads and stores of ring indices, ordered as a single producer and a single consumer need: what was written
 * before a release store is visible after the acquire load that reads it. Also, for bytes that may be overwritten while
 * they are read: a store that is visible before any later one, and a load that is made after all earlier ones. */
#ifndef ZEUGMA_DETAIL_ORDER_H
#define ZEUGMA_DETAIL_ORDER_H

#include "zeugma/index.h"

#if defined(__GNUC__) && !ZG_ONE_CORE

static inline zg_index zgi_load_acquire(const zg_index *at)
{
    return __atomic_load_n(at, __ATOMIC_ACQUIRE);
}

static inline void zgi_store_release(zg_index *at, zg_index value)
{
    __atomic_store_n(at, value, __ATOMIC_RELEASE);
}

static inline void zgi_store_before(zg_index *at, zg_index value)
{
    __atomic_store_n(at, value, __ATOMIC_RELAXED);
    __atomic_thread_fence(__ATOMIC_RELEASE);
}

static inline zg_index zgi_load_after(const zg_index *at)
{
    __atomic_thread_fence(__ATOMIC_ACQUIRE);
    return __atomic_load_n(at, __ATOMIC_RELAXED);
}

static inline void zgi_store_byte(uint8_t *at, uint8_t value)
{
    __atomic_store_n(at, value, __ATOMIC_RELAXED);
}

static inline uint8_t zgi_load_byte(const uint8_t *at)
{
    return __atomic_load_n(at, __ATOMIC_RELAXED);
}

#else

/* What keeps accesses in order. On one core that is the compiler alone. */
#if defined(__GNUC__)
#define ZGI_FENCE_ACQUIRE() __atomic_signal_fence(__ATOMIC_ACQUIRE)
#define ZGI_FENCE_RELEASE() __atomic_signal_fence(__ATOMIC_RELEASE)
#elif defined(__STDC_VERSION__) && __STDC_VERSION__ >= 201112L && !defined(__STDC_NO_ATOMICS__)
#include <stdatomic.h>
#define ZGI_FENCE_ACQUIRE() atomic_thread_fence(memory_order_acquire)
#define ZGI_FENCE_RELEASE() atomic_thread_fence(memory_order_release)
#elif ZG_ONE_CORE /* such compilers keep volatile accesses in order */
#define ZGI_FENCE_ACQUIRE() ((void)0)
#define ZGI_FENCE_RELEASE() ((void)0)
#else
#error "this compiler has no <stdatomic.h>, by which two cores share a ring; on one core compile with -DZG_ONE_CORE=1"
#endif

static inline zg_index zgi_load_acquire(const zg_index *at)
{
    const zg_index value = *(const volatile zg_index *)at;
    ZGI_FENCE_ACQUIRE();
    return value;
}

static inline void zgi_store_release(zg_index *at, zg_index value)
{
    ZGI_FENCE_RELEASE();
    *(volatile zg_index *)at = value;
}

static inline void zgi_store_before(zg_index *at, zg_index value)
{
    *(volatile zg_index *)at = value;
    ZGI_FENCE_RELEASE();
}

static inline zg_index zgi_load_after(const zg_index *at)
{
    ZGI_FENCE_ACQUIRE();
    return *(const volatile zg_index *)at;
}

static inline void zgi_store_byte(uint8_t *at, uint8_t value)
{
    *(volatile uint8_t *)at = value;
}

static inline uint8_t zgi_load_byte(const uint8_t *at)
{
    return *(const volatile uint8_t *)at;
}

#endif

#endif
