/* SPDX-License-Identifier: MIT */
/*
 * Cyclic redundancy checks of 3 to 64 bits, in the parameter model of Ross Williams, "A Painless Guide to CRC Error
 * Detection Algorithms" (1993): width, polynomial, initial value, reflection of input and output, final XOR.
 * Stateless; the caller owns the parameters. Any context; time is linear in the bytes.
 */
#ifndef ZEUGMA_CRC_H
#define ZEUGMA_CRC_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/config.h"
#include "zeugma/detail/flash.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Entries of a CRC's table. 0: it has none. */
#define ZG_CRC_TABLE_ENTRIES (ZG_CRC_TABLE == 0 ? 0 : 1 << ZG_CRC_TABLE)

struct zg_crc {
    uint8_t width;              /* bits, 3 to 64 */
    bool reflected;             /* bytes enter least significant bit first */
    bool turned;                /* output reflected differently from input */
    zg_check_word poly;         /* reflected: bit-reversed, in the low bits; otherwise in the top bits */
    zg_check_word init;         /* as poly */
    zg_check_word xor_out;      /* in the low bits */
    const zg_check_word *table; /* ZG_CRC_TABLE_ENTRIES words, in ZG_FLASH or not; unused if there are none */
};

/* The place in the word of a polynomial, initial value or table entry of a CRC that is not reflected. */
#define ZG_CRC_TOP(value, width) ((zg_check_word)((zg_check_word)(value) << (ZG_CHECK_BITS - (width))))

/* Fills `crc` from parameters as they are published, neither shifted nor reversed. `table` is the caller's memory of
 * ZG_CRC_TABLE_ENTRIES words, filled here and kept, or NULL if there are none. Returns 0, or ZG_EINVALID: a width
 * outside 3 to ZG_CHECK_BITS; a polynomial, init or xor_out wider than that; a missing table; or, on targets that read
 * tables from flash (AVR), a ZG_CRC_TABLE other than 0. */
int zg_crc_make(struct zg_crc *crc, unsigned width, uint64_t poly, uint64_t init, bool reflect_in, bool reflect_out,
                uint64_t xor_out, zg_check_word *table);

/* The register before the first byte. */
zg_check_word zg_crc_start(const struct zg_crc *crc);

/* Private: the register after `bits` more bits, which it already holds. */
static inline zg_check_word zgi_crc_step(const struct zg_crc *crc, zg_check_word reg, unsigned bits)
{
    while (bits-- > 0) {
        if (crc->reflected)
            reg = (zg_check_word)(reg & 1U ? (zg_check_word)(reg >> 1) ^ crc->poly : reg >> 1);
        else
            reg = (zg_check_word)(reg >> (ZG_CHECK_BITS - 1) ? (zg_check_word)(reg << 1) ^ crc->poly : reg << 1);
    }
    return reg;
}

#if defined(__AVR_HAVE_MUL__) && __AVR_HAVE_MUL__
#include "zeugma/detail/crc_avr.h"
#endif

#if (ZG_CRC_TABLE != 8 || defined(ZGI_CRC_BYTES)) && ZG_CHECK_BITS >= 16

/* Private: the register after `count` more bytes, for the polynomial x^16 + x^12 + x^5 + 1. Its eight steps are a few
 * shifts: the byte's upper half is added to its lower half, and the sum to the places of the three lower terms. */
#ifdef ZGI_CRC_BYTES

static inline zg_check_word zgi_crc_ccitt(const struct zg_crc *crc, zg_check_word reg, const uint8_t *bytes,
                                          size_t count)
{
    uint16_t both = (uint16_t)(crc->reflected ? reg : reg >> (ZG_CHECK_BITS - 16));

    if (crc->reflected) {
        ZGI_CRC_BYTES(both, "%A[crc]", "%B[crc]", bytes, count, 8, "r1", "r0");
        return both;
    }
    ZGI_CRC_BYTES(both, "%B[crc]", "%A[crc]", bytes, count, 32, "r0", "r1");
    return ZG_CRC_TOP(both, 16);
}

#elif UINTPTR_MAX > 0xFFFF && ZG_CHECK_BITS >= 32

static inline zg_check_word zgi_crc_ccitt(const struct zg_crc *crc, zg_check_word reg, const uint8_t *bytes,
                                          size_t count)
{
    const uint8_t *const end = bytes + count;
    uint32_t both = (uint32_t)(crc->reflected ? reg : reg >> (ZG_CHECK_BITS - 32));

    for (; bytes != end; bytes++) {
        if (crc->reflected) {
            uint32_t sum = (both ^ *bytes) & 0xFFU;
            sum = (sum ^ sum << 4) & 0xFFU;
            both = both >> 8 ^ sum << 8 ^ sum << 3 ^ sum >> 4;
        } else {
            uint32_t sum = both >> 24 ^ *bytes;
            sum ^= sum >> 4;
            both = both << 8 ^ sum << 28 ^ sum << 21 ^ sum << 16;
        }
    }
    return crc->reflected ? (zg_check_word)both : ZG_CRC_TOP(both, 32);
}

#else /* the register as two halves, as small processors hold it */

static inline zg_check_word zgi_crc_ccitt(const struct zg_crc *crc, zg_check_word reg, const uint8_t *bytes,
                                          size_t count)
{
    const bool reflected = crc->reflected;
    const uint8_t *const end = bytes + count;
    uint8_t low = (uint8_t)(reflected ? reg : reg >> (ZG_CHECK_BITS - 16));
    uint8_t high = (uint8_t)(reflected ? reg >> 8 : reg >> (ZG_CHECK_BITS - 8));

    for (; bytes != end; bytes++) {
        uint8_t sum = (uint8_t)((reflected ? low : high) ^ *bytes);
        if (reflected) {
            sum = (uint8_t)(sum ^ (uint8_t)(sum << 4));
            low = (uint8_t)(high ^ (uint8_t)(sum << 3) ^ (uint8_t)(sum >> 4));
            high = (uint8_t)(sum ^ (uint8_t)(sum >> 5));
        } else {
            sum = (uint8_t)(sum ^ (uint8_t)(sum >> 4));
            high = (uint8_t)(low ^ (uint8_t)(sum << 4) ^ (uint8_t)(sum >> 3));
            low = (uint8_t)(sum ^ (uint8_t)(sum << 5));
        }
    }
    const uint16_t both = (uint16_t)((uint16_t)high << 8 | low);
    return reflected ? (zg_check_word)both : ZG_CRC_TOP(both, 16);
}

#endif

/* Whether a CRC has that polynomial. */
static inline bool zgi_crc_is_ccitt(const struct zg_crc *crc)
{
    return crc->width == 16 && crc->poly == (crc->reflected ? 0x8408U : ZG_CRC_TOP(0x1021U, 16));
}

#else

static inline zg_check_word zgi_crc_ccitt(const struct zg_crc *crc, zg_check_word reg, const uint8_t *bytes,
                                          size_t count)
{
    (void)crc;
    (void)bytes;
    (void)count;
    return reg;
}

static inline bool zgi_crc_is_ccitt(const struct zg_crc *crc)
{
    (void)crc;
    return false;
}

#endif

/* Private: the register after one more byte, in the form that ZG_CRC_TABLE selects. */
static inline zg_check_word zgi_crc_byte(const struct zg_crc *crc, zg_check_word reg, uint8_t byte)
{
#if ZG_CRC_TABLE == 8
    if (crc->reflected)
        return (zg_check_word)((reg >> 4 >> 4) ^ zgi_flash_word(&crc->table[(uint8_t)(reg ^ byte)]));
    return (zg_check_word)((zg_check_word)(reg << 4 << 4) ^
                           zgi_flash_word(&crc->table[(uint8_t)((uint8_t)(reg >> (ZG_CHECK_BITS - 8)) ^ byte)]));
#elif ZG_CRC_TABLE == 4
    if (crc->reflected) {
        reg ^= byte;
        reg = (zg_check_word)((reg >> 4) ^ zgi_flash_word(&crc->table[reg & 15U]));
        return (zg_check_word)((reg >> 4) ^ zgi_flash_word(&crc->table[reg & 15U]));
    }
    reg = (zg_check_word)(reg ^ (zg_check_word)((zg_check_word)byte << (ZG_CHECK_BITS - 8)));
    reg = (zg_check_word)((zg_check_word)(reg << 4) ^ zgi_flash_word(&crc->table[reg >> (ZG_CHECK_BITS - 4)]));
    return (zg_check_word)((zg_check_word)(reg << 4) ^ zgi_flash_word(&crc->table[reg >> (ZG_CHECK_BITS - 4)]));
#else
    reg = (zg_check_word)(reg ^ (crc->reflected ? byte : ZG_CRC_TOP(byte, 8)));
    return zgi_crc_step(crc, reg, 8);
#endif
}

/* The register after `count` more bytes. If the compiler knows the parameters, it drops what they do not need. */
static inline zg_check_word zg_crc_update(const struct zg_crc *crc, zg_check_word reg, const uint8_t *bytes,
                                          size_t count)
{
    if (zgi_crc_is_ccitt(crc))
        return zgi_crc_ccitt(crc, reg, bytes, count);
    const uint8_t *const end = bytes + count;
#if ZG_CRC_TABLE == 8 && UINTPTR_MAX > 0xFFFF
    for (; (size_t)(end - bytes) >= 4; bytes += 4) { /* unrolled: with a table, speed is what matters */
        reg = zgi_crc_byte(crc, reg, bytes[0]);
        reg = zgi_crc_byte(crc, reg, bytes[1]);
        reg = zgi_crc_byte(crc, reg, bytes[2]);
        reg = zgi_crc_byte(crc, reg, bytes[3]);
    }
#endif
    for (; bytes != end; bytes++)
        reg = zgi_crc_byte(crc, reg, *bytes);
    return reg;
}

/* Private: a word with its low `width` bits in reverse order. */
zg_check_word zgi_crc_reverse(zg_check_word value, unsigned width);

/* The check value at the end, in the low bits. */
static ZGI_INLINE zg_check_word zg_crc_finish(const struct zg_crc *crc, zg_check_word reg)
{
    if (!crc->reflected)
        reg = (zg_check_word)(reg >> (ZG_CHECK_BITS - crc->width));
    if (crc->turned)
        reg = zgi_crc_reverse(reg, crc->width);
    return (zg_check_word)((reg ^ crc->xor_out) &
                           (zg_check_word)((zg_check_word) ~(zg_check_word)0 >> (ZG_CHECK_BITS - crc->width)));
}

/* The same, as struct zg_check calls them (zeugma/check.h): `crc` is a struct zg_crc. */
zg_check_word zg_check_crc_update(const void *crc, zg_check_word reg, const uint8_t *bytes, size_t count);
zg_check_word zg_check_crc_finish(const void *crc, zg_check_word reg);

#ifdef __cplusplus
}
#endif

#endif
