/* SPDX-License-Identifier: MIT */
/* Runs of bytes other than zero: by words where a register holds eight bytes, else by the C library. */
#ifndef ZEUGMA_RUNS_H
#define ZEUGMA_RUNS_H

#include <stddef.h>
#include <stdint.h>
#include <string.h>

static inline size_t zgi_copy_long_run(uint8_t *to, const uint8_t *from, size_t most)
{
    const uint8_t *zero = (const uint8_t *)memchr(from, 0, most);
    size_t length = zero ? (size_t)(zero - from) : most;

    memcpy(to, from, length);
    return length;
}

#if UINTPTR_MAX > 0xFFFFFFFF

/* The top bit of each byte that is zero, and maybe of those above it. */
static inline uint64_t zgi_zeros(uint64_t word)
{
    return (word - UINT64_C(0x0101010101010101)) & ~word & UINT64_C(0x8080808080808080);
}

/* Copy eight bytes, or sixteen; tell whether none of them is zero. */
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

    memcpy(words, from, sizeof words);
    memcpy(to, words, sizeof words);
    return (zgi_zeros(words[0]) | zgi_zeros(words[1])) == 0;
}

/* Copies bytes up to a zero, at most `most`, and returns their number. Up to `most` bytes are written. */
static inline size_t zgi_copy_run(uint8_t *to, const uint8_t *from, size_t most)
{
    size_t i = 0;

    if (most >= 96)
        return zgi_copy_long_run(to, from, most);
    while (most - i >= 16 && zgi_copy_16(to + i, from + i))
        i += 16;
    if (most >= 16 && most - i < 16 && zgi_copy_16(to + most - 16, from + most - 16))
        return most; /* the last sixteen, some of them again */
    while (most - i >= 8 && zgi_copy_8(to + i, from + i))
        i += 8;
    for (; i < most && from[i] != 0; i++)
        to[i] = from[i];
    return i;
}

#else

static inline size_t zgi_copy_run(uint8_t *to, const uint8_t *from, size_t most)
{
    return zgi_copy_long_run(to, from, most);
}

#endif

#endif
