/* SPDX-License-Identifier: MIT */
#include "zeugma/crc.h"

#include "zeugma/error.h"

#define TOP_BIT ((zg_check_word)((zg_check_word)1 << (ZG_CHECK_BITS - 1)))

static zg_check_word low_bits(unsigned width)
{
    return (zg_check_word)((zg_check_word) ~(zg_check_word)0 >> (ZG_CHECK_BITS - width));
}

static zg_check_word reverse(zg_check_word value, unsigned width)
{
    zg_check_word out = 0;
    for (unsigned i = 0; i < width; i++)
        if (((zg_check_word)(value >> i) & 1U) != 0)
            out = (zg_check_word)(out | (zg_check_word)((zg_check_word)1U << (width - 1U - i)));
    return out;
}

static zg_check_word step_bits(const struct zg_crc *crc, zg_check_word reg, unsigned bits)
{
    while (bits-- > 0) {
        if (crc->reflected)
            reg = (zg_check_word)(reg & 1U ? (zg_check_word)(reg >> 1) ^ crc->poly : reg >> 1);
        else
            reg = (zg_check_word)(reg & TOP_BIT ? (zg_check_word)(reg << 1) ^ crc->poly : reg << 1);
    }
    return reg;
}

#if ZG_CRC_TABLE != 0
/* What the register becomes when it holds only the bits that one look-up takes. */
static void fill_table(const struct zg_crc *crc, zg_check_word *table)
{
    for (unsigned i = 0; i < ZG_CRC_TABLE_ENTRIES; i++) {
        zg_check_word reg = (zg_check_word)i;
        if (!crc->reflected)
            reg = ZG_CRC_TOP(i, ZG_CRC_TABLE);
        table[i] = step_bits(crc, reg, ZG_CRC_TABLE);
    }
}
#endif

/* A polynomial or initial value as the register holds it. */
static zg_check_word place(const struct zg_crc *crc, zg_check_word value)
{
    if (crc->reflected)
        return reverse(value, crc->width);
    return ZG_CRC_TOP(value, crc->width);
}

int zg_crc_make(struct zg_crc *crc, unsigned width, uint64_t poly, uint64_t init, bool reflect_in, bool reflect_out,
                uint64_t xor_out, zg_check_word *table)
{
    if (width < 3 || width > ZG_CHECK_BITS || ((poly | init | xor_out) & ~(uint64_t)low_bits(width)) != 0)
        return ZG_EINVALID;
    crc->width = (uint8_t)width;
    crc->reflected = reflect_in;
    crc->turned = reflect_in != reflect_out;
    crc->poly = place(crc, (zg_check_word)poly);
    crc->init = place(crc, (zg_check_word)init);
    crc->xor_out = (zg_check_word)xor_out;
    crc->table = table;
#if ZG_CRC_TABLE != 0
    if (!table)
        return ZG_EINVALID;
    fill_table(crc, table);
#endif
    return 0;
}

zg_check_word zg_crc_start(const struct zg_crc *crc)
{
    return crc->init;
}

#if ZG_CRC_TABLE == 8

zg_check_word zg_crc_update(const struct zg_crc *crc, zg_check_word reg, const uint8_t *bytes, size_t count)
{
    const zg_check_word *table = crc->table;
    if (crc->reflected)
        for (size_t i = 0; i < count; i++)
            reg = (zg_check_word)((reg >> 4 >> 4) ^ table[(uint8_t)(reg ^ bytes[i])]);
    else
        for (size_t i = 0; i < count; i++)
            reg = (zg_check_word)((zg_check_word)(reg << 4 << 4) ^
                                  table[(uint8_t)((reg >> (ZG_CHECK_BITS - 8)) ^ bytes[i])]);
    return reg;
}

#elif ZG_CRC_TABLE == 4

zg_check_word zg_crc_update(const struct zg_crc *crc, zg_check_word reg, const uint8_t *bytes, size_t count)
{
    const zg_check_word *table = crc->table;
    for (size_t i = 0; i < count; i++) {
        if (crc->reflected) {
            reg ^= bytes[i];
            reg = (zg_check_word)((reg >> 4) ^ table[reg & 15U]);
            reg = (zg_check_word)((reg >> 4) ^ table[reg & 15U]);
        } else {
            reg = (zg_check_word)(reg ^ (zg_check_word)((zg_check_word)bytes[i] << (ZG_CHECK_BITS - 8)));
            reg = (zg_check_word)((zg_check_word)(reg << 4) ^ table[reg >> (ZG_CHECK_BITS - 4)]);
            reg = (zg_check_word)((zg_check_word)(reg << 4) ^ table[reg >> (ZG_CHECK_BITS - 4)]);
        }
    }
    return reg;
}

#else

zg_check_word zg_crc_update(const struct zg_crc *crc, zg_check_word reg, const uint8_t *bytes, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        zg_check_word byte = bytes[i];
        if (!crc->reflected)
            byte = (zg_check_word)(byte << (ZG_CHECK_BITS - 8));
        reg = step_bits(crc, (zg_check_word)(reg ^ byte), 8);
    }
    return reg;
}

#endif

zg_check_word zg_crc_finish(const struct zg_crc *crc, zg_check_word reg)
{
    if (!crc->reflected)
        reg = (zg_check_word)(reg >> (ZG_CHECK_BITS - crc->width));
    if (crc->turned)
        reg = reverse(reg, crc->width);
    return (zg_check_word)((reg ^ crc->xor_out) & low_bits(crc->width));
}

zg_check_word zg_check_crc_update(const void *crc, zg_check_word reg, const uint8_t *bytes, size_t count)
{
    return zg_crc_update((const struct zg_crc *)crc, reg, bytes, count);
}

zg_check_word zg_check_crc_finish(const void *crc, zg_check_word reg)
{
    return zg_crc_finish((const struct zg_crc *)crc, reg);
}
