/* SPDX-License-Identifier: MIT */
#include "plan/folded_crc.h"

#ifdef __x86_64__

#include <immintrin.h>

#define FOLDING __attribute__((target("pclmul,ssse3,sse4.1")))

static uint64_t reversed(uint64_t word)
{
    uint64_t out = 0;
    for (unsigned i = 0; i < 64; i++)
        out |= (word >> i & 1U) << (63 - i);
    return out;
}

static uint64_t times_x(uint64_t value, uint64_t poly)
{
    return value << 1 ^ (value >> 63 ? poly : 0);
}

/* x^power modulo x^64 + poly; power is 64 or more. */
static uint64_t power_of_x(unsigned power, uint64_t poly)
{
    uint64_t value = poly;
    for (; power > 64; power--)
        value = times_x(value, poly);
    return value;
}

/* x^128 divided by x^64 + poly, without the highest term. */
static uint64_t quotient_of(uint64_t poly)
{
    uint64_t quotient = 0, rest = poly;
    for (unsigned i = 0; i < 64; i++) {
        quotient = quotient << 1 | rest >> 63;
        rest = times_x(rest, poly);
    }
    return quotient;
}

bool zg_folded_crc_init(struct zg_folded_crc *folded, const struct zg_crc *crc)
{
    uint64_t poly = crc->reflected ? reversed(crc->poly) : crc->poly;
    unsigned less = crc->reflected; /* a product of reflected words is one bit lower */
    uint64_t *const words[] = { &folded->near[0],   &folded->near[1],   &folded->far[0],     &folded->far[1],
                                &folded->reduce[0], &folded->reduce[1], &folded->quotient[0] };

    folded->reflected = crc->reflected;
    folded->near[0] = power_of_x(192 - less, poly);
    folded->near[1] = power_of_x(128 - less, poly);
    folded->far[0] = power_of_x(576 - less, poly);
    folded->far[1] = power_of_x(512 - less, poly);
    folded->reduce[0] = power_of_x(128 - less, poly);
    folded->reduce[1] = poly;
    folded->quotient[0] = quotient_of(poly);
    folded->quotient[1] = 0;
    for (unsigned i = 0; crc->reflected && i < sizeof words / sizeof words[0]; i++)
        *words[i] = reversed(*words[i]);
    return __builtin_cpu_supports("pclmul") && __builtin_cpu_supports("ssse3");
}

/* Sixteen bytes with the first one highest, for a CRC that is not reflected. */
FOLDING static inline __m128i turned(__m128i bytes)
{
    return _mm_shuffle_epi8(bytes, _mm_set_epi8(0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15));
}

FOLDING static inline __m128i load(const uint8_t *at, bool reflected)
{
    __m128i bytes = _mm_loadu_si128((const __m128i *)(const void *)at);
    return reflected ? bytes : turned(bytes);
}

FOLDING static inline __m128i constants(const uint64_t words[2])
{
    return _mm_loadu_si128((const __m128i *)(const void *)words);
}

/* 128 bits multiplied by the power of x of the constants. */
FOLDING static inline __m128i fold(__m128i bits, __m128i by, bool reflected)
{
    if (reflected)
        return _mm_xor_si128(_mm_clmulepi64_si128(bits, by, 0x00), _mm_clmulepi64_si128(bits, by, 0x11));
    return _mm_xor_si128(_mm_clmulepi64_si128(bits, by, 0x01), _mm_clmulepi64_si128(bits, by, 0x10));
}

/* The register that 128 bits give: times x^64, modulo the polynomial (P. Barrett's reduction). */
FOLDING static inline uint64_t reduced(const struct zg_folded_crc *folded, __m128i bits, bool reflected)
{
    __m128i by = constants(folded->reduce), quotient = constants(folded->quotient);

    if (reflected) {
        __m128i value = _mm_xor_si128(_mm_clmulepi64_si128(bits, by, 0x00), _mm_srli_si128(bits, 8));
        __m128i times = _mm_clmulepi64_si128(value, quotient, 0x00);
        __m128i multiple = _mm_clmulepi64_si128(_mm_xor_si128(value, _mm_slli_epi64(times, 1)), by, 0x10);
        uint64_t low = (uint64_t)_mm_cvtsi128_si64(multiple), high = (uint64_t)_mm_extract_epi64(multiple, 1);
        return (uint64_t)_mm_extract_epi64(value, 1) ^ (high << 1 | low >> 63);
    }
    __m128i value = _mm_xor_si128(_mm_clmulepi64_si128(bits, by, 0x01), _mm_slli_si128(bits, 8));
    __m128i times = _mm_clmulepi64_si128(value, quotient, 0x01);
    __m128i multiple = _mm_clmulepi64_si128(_mm_xor_si128(value, times), by, 0x11);
    return (uint64_t)_mm_cvtsi128_si64(value) ^ (uint64_t)_mm_cvtsi128_si64(multiple);
}

/* Four registers side by side, each over every fourth 16 bytes, combined at the end. */
FOLDING static inline __m128i fold_far(const struct zg_folded_crc *folded, __m128i bits, const uint8_t **bytes,
                                       size_t *count, __m128i near, bool reflected)
{
    __m128i far = constants(folded->far);
    __m128i lanes[4];

    lanes[0] = _mm_xor_si128(fold(bits, near, reflected), load(*bytes, reflected));
    for (unsigned i = 1; i < 4; i++)
        lanes[i] = load(*bytes + 16 * i, reflected);
    for (*bytes += 64, *count -= 64; *count >= 64; *bytes += 64, *count -= 64)
        for (unsigned i = 0; i < 4; i++)
            lanes[i] = _mm_xor_si128(fold(lanes[i], far, reflected), load(*bytes + 16 * i, reflected));
    for (unsigned i = 1; i < 4; i++)
        lanes[i] = _mm_xor_si128(fold(lanes[i - 1], near, reflected), lanes[i]);
    return lanes[3];
}

/* Takes bytes in sixteens, counted from the end. Zero bytes before the first change nothing. */
FOLDING static inline uint64_t update(const struct zg_folded_crc *folded, uint64_t reg, const uint8_t *bytes,
                                      size_t count, bool reflected)
{
    static const uint8_t slide[48] = { 0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80,
                                       0x80, 0x80, 0x80, 0x80, 0,    1,    2,    3,    4,    5,    6,    7,
                                       8,    9,    10,   11,   12,   13,   14,   15,   0x80, 0x80, 0x80, 0x80,
                                       0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80, 0x80 };
    size_t odd = count % 16;
    __m128i start = _mm_set_epi64x(0, (long long)(reflected ? reg : __builtin_bswap64(reg)));
    __m128i first = _mm_xor_si128(load(bytes, true), start);
    __m128i near = constants(folded->near);

    first = _mm_shuffle_epi8(first, load(slide + odd, true)); /* the odd bytes, after zeros */
    start =
        _mm_shuffle_epi8(start, load(slide + 16 + odd, true)); /* the part of the start value that comes after them */
    if (!reflected) {
        first = turned(first);
        start = turned(start);
    }
    bytes += odd;
    count -= odd;
    __m128i bits = _mm_xor_si128(_mm_xor_si128(fold(first, near, reflected), load(bytes, reflected)), start);
    bytes += 16;
    count -= 16;
    if (count >= 64)
        bits = fold_far(folded, bits, &bytes, &count, near, reflected);
    for (; count > 0; bytes += 16, count -= 16)
        bits = _mm_xor_si128(fold(bits, near, reflected), load(bytes, reflected));
    return reduced(folded, bits, reflected);
}

FOLDING uint64_t zg_folded_crc_update(const struct zg_folded_crc *folded, uint64_t reg, const uint8_t *bytes,
                                      size_t count)
{
    return folded->reflected ? update(folded, reg, bytes, count, true) : update(folded, reg, bytes, count, false);
}

#else

bool zg_folded_crc_init(struct zg_folded_crc *folded, const struct zg_crc *crc)
{
    folded->reflected = crc->reflected;
    return false;
}

uint64_t zg_folded_crc_update(const struct zg_folded_crc *folded, uint64_t reg, const uint8_t *bytes, size_t count)
{
    (void)folded;
    (void)bytes;
    (void)count;
    return reg;
}

#endif
