/* SPDX-License-Identifier: MIT */
/*
 * Conversions between raw bits and C's numbers, for generated code. They depend neither on the machine's byte order nor
 * on its representation of negative numbers. Any context; constant time.
 */
#ifndef ZEUGMA_BYTES_H
#define ZEUGMA_BYTES_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <string.h>

#include "zeugma/config.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Writes a number's four bytes, lowest first unless `big_endian`. */
static inline void zg_put_u32(uint8_t *at, uint32_t value, bool big_endian)
{
    for (uint8_t i = 0; i < 4; i++, value >>= 8)
        at[big_endian ? 3 - i : i] = (uint8_t)value;
}

/* The two's complement number in the low `bits` bits of `raw`, whose higher bits are 0. */
static inline int8_t zg_signed8(uint8_t raw, unsigned bits)
{
    uint8_t top = (uint8_t)(1U << (bits - 1U));
    return raw & top ? (int8_t)(-(int8_t)(uint8_t)((uint8_t)(top - 1U) - (uint8_t)(raw ^ top)) - 1) : (int8_t)raw;
}

static inline int16_t zg_signed16(uint16_t raw, unsigned bits)
{
    uint16_t top = (uint16_t)((uint16_t)1U << (bits - 1U));
    return raw & top ? (int16_t)(-(int16_t)(uint16_t)((uint16_t)(top - 1U) - (uint16_t)(raw ^ top)) - 1) : (int16_t)raw;
}

static inline int32_t zg_signed32(uint32_t raw, unsigned bits)
{
    uint32_t top = (uint32_t)1U << (bits - 1U);
    return raw & top ? -(int32_t)(top - 1U - (raw ^ top)) - 1 : (int32_t)raw;
}

static inline int64_t zg_signed64(uint64_t raw, unsigned bits)
{
    uint64_t top = (uint64_t)1U << (bits - 1U);
    return raw & top ? -(int64_t)(top - 1U - (raw ^ top)) - 1 : (int64_t)raw;
}

/* The IEEE 754 binary32 bits of `value`. Every NaN becomes the quiet, positive one without payload. */
static inline uint32_t zg_bits_of_f32(float value)
{
    uint32_t bits;
    ZG_ASSERT(sizeof value == sizeof bits, "float is IEEE 754 binary32");
    if (value != value)
        return 0x7FC00000U;
    memcpy(&bits, &value, sizeof bits);
    return bits;
}

static inline float zg_f32_of_bits(uint32_t bits)
{
    float value;
    memcpy(&value, &bits, sizeof value);
    return value;
}

/* The IEEE 754 binary64 bits of `value`, and back. Every NaN becomes the quiet, positive one without payload. Where
 * `double` has only 32 bits, these convert: what does not fit becomes an infinity or zero. */
static inline uint64_t zg_bits_of_f64(double value)
{
    uint64_t bits = 0;
    if (value != value)
        return UINT64_C(0x7FF8000000000000);
    if (sizeof value == sizeof bits) {
        memcpy(&bits, &value, sizeof value);
        return bits;
    }
    uint32_t narrow = zg_bits_of_f32((float)value);
    uint32_t exponent = narrow >> 23 & 0xFFU;
    uint64_t fraction = (uint64_t)(narrow & 0x7FFFFFU) << 29;
    bits = (uint64_t)(narrow >> 31) << 63;
    if (exponent == 0xFFU)
        return bits | UINT64_C(0x7FF0000000000000);
    if (exponent == 0) /* zero, or a subnormal, which is too small to matter on such a target */
        return bits;
    return bits | (uint64_t)(exponent + 1023U - 127U) << 52 | fraction;
}

static inline double zg_f64_of_bits(uint64_t bits)
{
    double value = 0;
    if (sizeof value == sizeof bits) {
        memcpy(&value, &bits, sizeof value);
        return value;
    }
    uint32_t exponent = (uint32_t)(bits >> 52) & 0x7FFU;
    uint32_t narrow = (uint32_t)(bits >> 63) << 31;
    if (exponent == 0x7FFU)
        narrow |= 0x7F800000U | (uint32_t)((bits & UINT64_C(0xFFFFFFFFFFFFF)) != 0) << 22;
    else if (exponent >= 1023U + 128U)
        narrow |= 0x7F800000U;
    else if (exponent > 1023U - 127U)
        narrow |= (exponent + 127U - 1023U) << 23 | ((uint32_t)(bits >> 29) & 0x7FFFFFU);
    return (double)zg_f32_of_bits(narrow);
}

/* Writes a text of at most `size` bytes, followed by zeros up to `size` bytes. */
static inline void zg_text_put(uint8_t *out, const char *text, size_t size)
{
    size_t i = 0;
    for (; i < size && text[i] != '\0'; i++)
        out[i] = (uint8_t)text[i];
    for (; i < size; i++)
        out[i] = 0;
}

/* How many of `size` characters are printable ASCII, 20 to 7E, up to the first that is not. Linear. */
static inline size_t zg_ascii_run(const char *text, size_t size)
{
    size_t run = 0;
    while (run < size && text[run] >= 0x20 && text[run] <= 0x7E)
        run++;
    return run;
}

/* Whether a text of at most `most` characters, which a zero ends if it is shorter, is printable ASCII. Linear. */
static inline bool zg_is_ascii_text(const char *text, size_t most)
{
    const size_t run = zg_ascii_run(text, most);
    return run == most || text[run] == '\0';
}

/* Whether `size` characters are printable ASCII filled up with zeros. Linear. */
static inline bool zg_is_ascii_filled(const char *text, size_t size)
{
    size_t run = zg_ascii_run(text, size);
    while (run < size && text[run] == '\0')
        run++;
    return run == size;
}

#ifdef __cplusplus
}
#endif

#endif
