/* SPDX-License-Identifier: MIT */
/*
 * Conversions that generated code needs between raw bits and C's numbers. They depend on neither the
 * machine's byte order nor the representation of negative numbers. Any context; constant time.
 */
#ifndef ZEUGMA_BYTES_H
#define ZEUGMA_BYTES_H

#include <stdint.h>
#include <string.h>

#include "zeugma/config.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The number that `raw`, `bits` wide with all higher bits 0, is in two's complement. */
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

/* The IEEE 754 binary32 bits of `value`; every NaN as the quiet, positive one without payload. */
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

#ifdef __cplusplus
}
#endif

#endif
