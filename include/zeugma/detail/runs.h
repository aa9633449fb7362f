/* SPDX-License-Identifier: MIT */
/* Private: runs of bytes other than zero. By words where a register holds eight bytes, or four and words may be
 * unaligned; otherwise byte by byte, which is smallest. */
#ifndef ZEUGMA_DETAIL_RUNS_H
#define ZEUGMA_DETAIL_RUNS_H

#include <stddef.h>
#include <stdint.h>
#include <string.h>

#if UINTPTR_MAX > 0xFFFFFFFF

/* Prefetches bytes. Those that the system delivers in large pieces are seldom in the cache. */
static inline void zgi_fetch_ahead(const uint8_t *bytes, size_t count)
{
    enum { AHEAD = 2048 };

#ifdef __GNUC__
    if (count > AHEAD)
        __builtin_prefetch(bytes + AHEAD);
#else
    (void)bytes;
    (void)count;
#endif
}

/* The top bit of each byte that is zero. Bits above the lowest zero byte may be wrong. */
static inline uint64_t zgi_zeros(uint64_t word)
{
    return (word - UINT64_C(0x0101010101010101)) & ~word & UINT64_C(0x8080808080808080);
}

#ifdef __SSE2__

#include <emmintrin.h>

/* Copies sixteen bytes. Which of them are zero, as bits. */
static inline unsigned zgi_copy_16(uint8_t *to, const uint8_t *from)
{
    const __m128i bytes = _mm_loadu_si128((const __m128i *)(const void *)from);

    _mm_storeu_si128((__m128i *)(void *)to, bytes);
    return (unsigned)_mm_movemask_epi8(_mm_cmpeq_epi8(bytes, _mm_setzero_si128()));
}

/* Copies eight bytes. Where the first zero among them is; 8: nowhere. */
static inline unsigned zgi_copy_8(uint8_t *to, const uint8_t *from)
{
    uint64_t word;

    memcpy(&word, from, sizeof word);
    memcpy(to, &word, sizeof word);
    const uint64_t zeros = zgi_zeros(word); /* the lowest is right */
    return zeros != 0 ? (unsigned)__builtin_ctzll(zeros) / 8 : 8;
}

/* Copies bytes up to a zero, at most `most`, and returns how many. May write up to `most` bytes. */
static inline size_t zgi_copy_run(uint8_t *to, const uint8_t *from, size_t most)
{
    size_t i = 0;

    for (; most - i >= 16; i += 16) {
        const unsigned zeros = zgi_copy_16(to + i, from + i);
        if (zeros != 0)
            return i + (unsigned)__builtin_ctz(zeros);
    }
    if (i > 0 && i < most) { /* the last sixteen, some of them for the second time */
        const unsigned zeros = zgi_copy_16(to + most - 16, from + most - 16);
        return zeros != 0 ? most - 16 + (unsigned)__builtin_ctz(zeros) : most;
    }
    if (i == 0 && most >= 8) {
        const unsigned first = zgi_copy_8(to, from);
        return first < 8 ? first : most - 8 + zgi_copy_8(to + most - 8, from + most - 8);
    }
    while (i < most && from[i] != 0) {
        to[i] = from[i];
        i++;
    }
    return i;
}

/* Which of 16 bytes are one of these, as bits. */
static inline unsigned zgi_special_16(const uint8_t *bytes, const uint8_t *specials, unsigned kinds)
{
    const __m128i piece = _mm_loadu_si128((const __m128i *)(const void *)bytes);
    __m128i found = _mm_setzero_si128();

    for (unsigned k = 0; k < kinds; k++)
        found = _mm_or_si128(found, _mm_cmpeq_epi8(piece, _mm_set1_epi8((char)specials[k])));
    return (unsigned)_mm_movemask_epi8(found);
}

/* The position of the first byte that is one of these, or `count`. */
static inline size_t zgi_run_without(const uint8_t *bytes, size_t count, const uint8_t *specials, unsigned kinds)
{
    size_t i = 0;

    for (; count - i >= 16; i += 16) {
        const unsigned found = zgi_special_16(bytes + i, specials, kinds);
        if (found != 0)
            return i + (unsigned)__builtin_ctz(found);
    }
    if (i > 0 && i < count) { /* the last sixteen, some of them for the second time */
        const unsigned found = zgi_special_16(bytes + count - 16, specials, kinds);
        return found != 0 ? count - 16 + (unsigned)__builtin_ctz(found) : count;
    }
    for (; i < count; i++)
        for (unsigned k = 0; k < kinds; k++)
            if (bytes[i] == specials[k])
                return i;
    return i;
}

/* Copies bytes up to one of these, at most `most`, and returns how many. May write up to `most` bytes. */
static inline size_t zgi_copy_without(uint8_t *to, const uint8_t *from, size_t most, const uint8_t *specials,
                                      unsigned kinds)
{
    size_t i = 0;

    for (; most - i >= 16; i += 16) {
        const unsigned found = zgi_special_16(from + i, specials, kinds);
        memcpy(to + i, from + i, 16);
        if (found != 0)
            return i + (unsigned)__builtin_ctz(found);
    }
    if (i > 0 && i < most) { /* the last sixteen, some of them for the second time */
        const unsigned found = zgi_special_16(from + most - 16, specials, kinds);
        memcpy(to + most - 16, from + most - 16, 16);
        return found != 0 ? most - 16 + (unsigned)__builtin_ctz(found) : most;
    }
    for (; i < most; i++) {
        for (unsigned k = 0; k < kinds; k++)
            if (from[i] == specials[k])
                return i;
        to[i] = from[i];
    }
    return i;
}

/* The position of the first zero, or `count`. */
static inline size_t zgi_find_zero(const uint8_t *bytes, size_t count)
{
    size_t i = 0;

    for (; count - i >= 16; i += 16) {
        __m128i piece = _mm_loadu_si128((const __m128i *)(const void *)(bytes + i));
        unsigned zeros = (unsigned)_mm_movemask_epi8(_mm_cmpeq_epi8(piece, _mm_setzero_si128()));
        if (zeros != 0)
            return i + (unsigned)__builtin_ctz(zeros);
    }
    while (i < count && bytes[i] != 0)
        i++;
    return i;
}

#else

/* Copy eight bytes, or sixteen. The result says whether none of them is zero. */
static inline int zgi_copy_8(uint8_t *to, const uint8_t *from)
{
    uint64_t word;

    memcpy(&word, from, sizeof word);
    memcpy(to, &word, sizeof word);
    return zgi_zeros(word) == 0;
}

static inline int zgi_copy_16(uint8_t *to, const uint8_t *from)
{
    uint64_t words[2];

    memcpy(to, from, sizeof words); /* one store, which the check can then read in one load */
    memcpy(words, from, sizeof words);
    return (zgi_zeros(words[0]) | zgi_zeros(words[1])) == 0;
}

static inline size_t zgi_run_without(const uint8_t *bytes, size_t count, const uint8_t *specials, unsigned kinds)
{
    for (unsigned k = 0; k < kinds; k++) {
        const uint8_t *const found = (const uint8_t *)memchr(bytes, specials[k], count);
        count = found ? (size_t)(found - bytes) : count;
    }
    return count;
}

static inline size_t zgi_copy_without(uint8_t *to, const uint8_t *from, size_t most, const uint8_t *specials,
                                      unsigned kinds)
{
    const size_t run = zgi_run_without(from, most, specials, kinds);

    memcpy(to, from, run);
    return run;
}

static inline size_t zgi_find_zero(const uint8_t *bytes, size_t count)
{
    const uint8_t *zero = (const uint8_t *)memchr(bytes, 0, count);
    return zero ? (size_t)(zero - bytes) : count;
}

static inline size_t zgi_copy_long_run(uint8_t *to, const uint8_t *from, size_t most)
{
    const uint8_t *zero = (const uint8_t *)memchr(from, 0, most);
    size_t length = zero ? (size_t)(zero - from) : most;

    memcpy(to, from, length);
    return length;
}

/* Copies bytes up to a zero, at most `most`, and returns how many. May write up to `most` bytes. */
static inline size_t zgi_copy_run(uint8_t *to, const uint8_t *from, size_t most)
{
    size_t i = 0;

    if (most >= 96)
        return zgi_copy_long_run(to, from, most);
    while (most - i >= 16 && zgi_copy_16(to + i, from + i))
        i += 16;
    if (most >= 16 && most - i < 16 && zgi_copy_16(to + most - 16, from + most - 16))
        return most; /* the last sixteen, some of them for the second time */
    while (most - i >= 8 && zgi_copy_8(to + i, from + i))
        i += 8;
    for (; i < most && from[i] != 0; i++)
        to[i] = from[i];
    return i;
}

#endif

#else

/* Copies up to 255 bytes up to a zero, and returns how many; four at a time where words may be unaligned. */
static inline uint8_t zgi_copy_run(uint8_t *to, const uint8_t *from, uint8_t most)
{
    uint8_t left = most;

#ifdef __ARM_FEATURE_UNALIGNED
    for (uint32_t word; left >= sizeof word; left = (uint8_t)(left - sizeof word)) {
        memcpy(&word, from, sizeof word);
        if (((word - UINT32_C(0x01010101)) & ~word & UINT32_C(0x80808080)) != 0)
            break;
        memcpy(to, &word, sizeof word);
        from += sizeof word;
        to += sizeof word;
    }
#endif
    for (; left > 0; left--) {
        uint8_t byte = *from++;
        if (byte == 0)
            break;
        *to++ = byte;
    }
    return (uint8_t)(most - left);
}

#endif

#endif
