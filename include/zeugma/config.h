/* SPDX-License-Identifier: MIT */
/*
 * Compile-time options of the runtime. Set them on the compiler's command line, to the same values for the runtime and
 * for all code that includes its headers.
 */
#ifndef ZEUGMA_CONFIG_H
#define ZEUGMA_CONFIG_H

#include <stdint.h>

#ifdef __cplusplus
#define ZG_ASSERT(condition, text) static_assert(condition, text)
#else
#define ZG_ASSERT(condition, text) _Static_assert(condition, text)
#endif

/* The version of the interface between generated code and runtime, raised with each change of it. Not an option. */
#define ZG_RUNTIME 4

/* Bits of a ring's indices: 8, 16 or 32. The target must read and write them in one access. A ring holds at most
 * 2^(bits-1) bytes. */
#ifndef ZG_RING_INDEX_BITS
#if UINTPTR_MAX > 0xFFFF
#define ZG_RING_INDEX_BITS 32
#else
#define ZG_RING_INDEX_BITS 8
#endif
#endif
ZG_ASSERT(ZG_RING_INDEX_BITS == 8 || ZG_RING_INDEX_BITS == 16 || ZG_RING_INDEX_BITS == 32,
          "ZG_RING_INDEX_BITS is 8, 16 or 32");

/* Whether the two sides of a ring are the loop and its interrupt on one core. Then the processor keeps their accesses
 * in order, and only the compiler must be made to. 0 where two cores or threads share a ring. */
#ifndef ZG_ONE_CORE
#if UINTPTR_MAX <= 0xFFFF || (defined(__ARM_ARCH_PROFILE) && __ARM_ARCH_PROFILE == 'M')
#define ZG_ONE_CORE 1
#else
#define ZG_ONE_CORE 0
#endif
#endif

/* Bits of the check's register: 8, 16, 32 or 64. The widest check in the program must fit. */
#ifndef ZG_CHECK_BITS
#if UINTPTR_MAX > 0xFFFFFFFF
#define ZG_CHECK_BITS 64
#elif UINTPTR_MAX > 0xFFFF
#define ZG_CHECK_BITS 32
#else
#define ZG_CHECK_BITS 16
#endif
#endif
ZG_ASSERT(ZG_CHECK_BITS == 8 || ZG_CHECK_BITS == 16 || ZG_CHECK_BITS == 32 || ZG_CHECK_BITS == 64,
          "ZG_CHECK_BITS is 8, 16, 32 or 64");

#if ZG_CHECK_BITS == 8
typedef uint8_t zg_check_word;
#elif ZG_CHECK_BITS == 16
typedef uint16_t zg_check_word;
#elif ZG_CHECK_BITS == 32
typedef uint32_t zg_check_word;
#else
typedef uint64_t zg_check_word;
#endif

/* Bits of a number in a frame's header: 8, 16 or 32. The widest role of any definition must fit. */
#ifndef ZG_HEADER_NUMBER_BITS
#if UINTPTR_MAX > 0xFFFF
#define ZG_HEADER_NUMBER_BITS 32
#else
#define ZG_HEADER_NUMBER_BITS 8
#endif
#endif
ZG_ASSERT(ZG_HEADER_NUMBER_BITS == 8 || ZG_HEADER_NUMBER_BITS == 16 || ZG_HEADER_NUMBER_BITS == 32,
          "ZG_HEADER_NUMBER_BITS is 8, 16 or 32");

#if ZG_HEADER_NUMBER_BITS == 8
typedef uint8_t zg_header_number;
#elif ZG_HEADER_NUMBER_BITS == 16
typedef uint16_t zg_header_number;
#else
typedef uint32_t zg_header_number;
#endif
#define ZG_HEADER_NUMBER_MAX ((zg_header_number) ~(zg_header_number)0)

/* Bits that one table look-up of a CRC takes: 0 (no table, least flash), 4 (16 entries) or 8 (256 entries, fastest). */
#ifndef ZG_CRC_TABLE
#if UINTPTR_MAX > 0xFFFFFFFF
#define ZG_CRC_TABLE 8
#elif UINTPTR_MAX > 0xFFFF
#define ZG_CRC_TABLE 4
#else
#define ZG_CRC_TABLE 0
#endif
#endif
ZG_ASSERT(ZG_CRC_TABLE == 0 || ZG_CRC_TABLE == 4 || ZG_CRC_TABLE == 8, "ZG_CRC_TABLE is 0, 4 or 8");

/* Bits of the numbers that text layouts are computed with: 32 or 64. Generated code says if it needs more. */
#ifndef ZG_SPELL_BITS
#if UINTPTR_MAX > 0xFFFFFFFF
#define ZG_SPELL_BITS 64
#else
#define ZG_SPELL_BITS 32
#endif
#endif
ZG_ASSERT(ZG_SPELL_BITS == 32 || ZG_SPELL_BITS == 64, "ZG_SPELL_BITS is 32 or 64");

/* Whether the framing marks can take several end marks and bytes behind them: 0 or 1. It takes 1 KB of code on a
 * Cortex-M0+. Generated code says if it needs them. */
#ifndef ZG_MARKS_MORE
#define ZG_MARKS_MORE (UINTPTR_MAX > 0xFFFFFFFF)
#endif

/* Whether a device's service traffic keeps the first bytes that arrived damaged, for the host's soak: 0 or 1. It takes
 * some 60 bytes of RAM. */
#ifndef ZG_TRAFFIC_DAMAGE
#define ZG_TRAFFIC_DAMAGE 1
#endif

/* For a generated host's end with COBS and content of at most 253 bytes. 1: bytes are gathered and decoded at the end
 * of each frame, as on a device: least flash and time on small processors. 0: they are decoded as they come. */
#ifndef ZG_COBS_IN_PLACE
#define ZG_COBS_IN_PLACE (UINTPTR_MAX <= 0xFFFFFFFF)
#endif

/* Private: a function that is always inlined. An interrupt that calls another function must save all registers. */
#if defined(__GNUC__)
#define ZGI_INLINE inline __attribute__((always_inline))
#else
#define ZGI_INLINE inline
#endif

/* Private: a function that is inlined where the compiler optimises for speed. */
#if defined(__GNUC__) && !defined(__OPTIMIZE_SIZE__)
#define ZGI_QUICK ZGI_INLINE
#else
#define ZGI_QUICK inline
#endif

/* Private: a function for rare cases, kept apart so that its caller stays fast. */
#if defined(__GNUC__)
#define ZGI_RARE __attribute__((noinline))
#else
#define ZGI_RARE
#endif

/* Private: the same pointer, through which members are then accessed. For a static object the compiler would otherwise
 * compute the address of each member, which is longer on processors whose short instructions reach only nearby members.
 */
static inline void *zgi_near(void *pointer)
{
#if defined(__GNUC__) && defined(__OPTIMIZE_SIZE__) && UINTPTR_MAX > 0xFFFF
    __asm__("" : "+r"(pointer));
#endif
    return pointer;
}

/* Private: makes the compiler believe that an object was written, where it cannot see that nobody reads it first. */
#if defined(__GNUC__)
#define ZGI_WRITTEN(object) __asm__("" : "=m"(object))
#else
#define ZGI_WRITTEN(object) ((void)0)
#endif

/* Private: a function that exists once where the compiler optimises for size, and is inlined where it optimises for
 * speed. */
#if defined(__GNUC__) && defined(__OPTIMIZE_SIZE__)
#define ZGI_SHARED __attribute__((noinline, unused))
#else
#define ZGI_SHARED inline
#endif

#endif
