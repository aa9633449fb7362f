/* SPDX-License-Identifier: MIT */
#include "zeugma/crc.h"

#include "zeugma/error.h"

static zg_check_word low_bits(unsigned width)
{
    return (zg_check_word)((zg_check_word) ~(zg_check_word)0 >> (ZG_CHECK_BITS - width));
}

zg_check_word zgi_crc_reverse(zg_check_word value, unsigned width)
{
    zg_check_word out = 0;
    for (unsigned i = 0; i < width; i++)
        if (((zg_check_word)(value >> i) & 1U) != 0)
            out = (zg_check_word)(out | (zg_check_word)((zg_check_word)1U << (width - 1U - i)));
    return out;
}

#if ZG_CRC_TABLE != 0 && !defined(ZGI_FLASH_APART)
#define CAN_FILL 1
/* What the register becomes if it holds nothing but the bits of one look-up. */
static void fill_table(const struct zg_crc *crc, zg_check_word *table)
{
    for (unsigned i = 0; i < ZG_CRC_TABLE_ENTRIES; i++) {
        zg_check_word reg = (zg_check_word)i;
        if (!crc->reflected)
            reg = ZG_CRC_TOP(i, ZG_CRC_TABLE);
        table[i] = zgi_crc_step(crc, reg, ZG_CRC_TABLE);
    }
}
#else
#define CAN_FILL (ZG_CRC_TABLE == 0)
static void fill_table(const struct zg_crc *crc, zg_check_word *table)
{
    (void)crc;
    (void)table;
}
#endif

/* A polynomial or initial value as the register holds it. */
static zg_check_word place(const struct zg_crc *crc, zg_check_word value)
{
    if (crc->reflected)
        return zgi_crc_reverse(value, crc->width);
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
    if (ZG_CRC_TABLE != 0 && (!CAN_FILL || !table))
        return ZG_EINVALID;
    fill_table(crc, table);
    return 0;
}

zg_check_word zg_crc_start(const struct zg_crc *crc)
{
    return crc->init;
}

zg_check_word zg_check_crc_update(const void *crc, zg_check_word reg, const uint8_t *bytes, size_t count)
{
    return zg_crc_update((const struct zg_crc *)crc, reg, bytes, count);
}

zg_check_word zg_check_crc_finish(const void *crc, zg_check_word reg)
{
    return zg_crc_finish((const struct zg_crc *)crc, reg);
}
