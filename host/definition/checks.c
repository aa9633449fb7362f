/* SPDX-License-Identifier: MIT */
#include "definition/checks.h"

#include <string.h>

#include "zeugma/sums.h"

/* clang-format off */
const struct zg_crc_parameters zg_crc_table[] = {
    /* name, width, poly, init, reflect in, reflect out, xor out, check */
    { "crc5/usb", 5, 0x05, 0x1f, true, true, 0x1f, 0x19 },
    { "crc7/mmc", 7, 0x09, 0x00, false, false, 0x00, 0x75 },
    { "crc8/smbus", 8, 0x07, 0x00, false, false, 0x00, 0xf4 },
    { "crc8/maxim-dow", 8, 0x31, 0x00, true, true, 0x00, 0xa1 },
    { "crc8/autosar", 8, 0x2f, 0xff, false, false, 0xff, 0xdf },
    { "crc8/sae-j1850", 8, 0x1d, 0xff, false, false, 0xff, 0x4b },
    { "crc8/bluetooth", 8, 0xa7, 0x00, true, true, 0x00, 0x26 },
    { "crc10/atm", 10, 0x233, 0x000, false, false, 0x000, 0x199 },
    { "crc11/flexray", 11, 0x385, 0x01a, false, false, 0x000, 0x5a3 },
    { "crc12/umts", 12, 0x80f, 0x000, false, true, 0x000, 0xdaf },
    { "crc15/can", 15, 0x4599, 0x0000, false, false, 0x0000, 0x059e },
    { "crc16/arc", 16, 0x8005, 0x0000, true, true, 0x0000, 0xbb3d },
    { "crc16/modbus", 16, 0x8005, 0xffff, true, true, 0x0000, 0x4b37 },
    { "crc16/usb", 16, 0x8005, 0xffff, true, true, 0xffff, 0xb4c8 },
    { "crc16/xmodem", 16, 0x1021, 0x0000, false, false, 0x0000, 0x31c3 },
    { "crc16/ibm-3740", 16, 0x1021, 0xffff, false, false, 0x0000, 0x29b1 },
    { "crc16/ibm-sdlc", 16, 0x1021, 0xffff, true, true, 0xffff, 0x906e },
    { "crc16/kermit", 16, 0x1021, 0x0000, true, true, 0x0000, 0x2189 },
    { "crc16/genibus", 16, 0x1021, 0xffff, false, false, 0xffff, 0xd64e },
    { "crc16/dnp", 16, 0x3d65, 0x0000, true, true, 0xffff, 0xea82 },
    { "crc16/t10-dif", 16, 0x8bb7, 0x0000, false, false, 0x0000, 0xd0db },
    { "crc16/profibus", 16, 0x1dcf, 0xffff, false, false, 0xffff, 0xa819 },
    { "crc24/openpgp", 24, 0x864cfb, 0xb704ce, false, false, 0x000000, 0x21cf02 },
    { "crc24/ble", 24, 0x00065b, 0x555555, true, true, 0x000000, 0xc25a56 },
    { "crc32/iso-hdlc", 32, 0x04c11db7, 0xffffffff, true, true, 0xffffffff, 0xcbf43926 },
    { "crc32/iscsi", 32, 0x1edc6f41, 0xffffffff, true, true, 0xffffffff, 0xe3069283 },
    { "crc32/autosar", 32, 0xf4acfb13, 0xffffffff, true, true, 0xffffffff, 0x1697d06a },
    { "crc32/mpeg-2", 32, 0x04c11db7, 0xffffffff, false, false, 0x00000000, 0x0376e6e7 },
    { "crc32/bzip2", 32, 0x04c11db7, 0xffffffff, false, false, 0xffffffff, 0xfc891918 },
    { "crc32/cksum", 32, 0x04c11db7, 0x00000000, false, false, 0xffffffff, 0x765e7680 },
    { "crc64/xz", 64, 0x42f0e1eba9ea3693, 0xffffffffffffffff, true, true, 0xffffffffffffffff, 0x995dc9bbdf1939fa },
    { "crc64/ecma-182", 64, 0x42f0e1eba9ea3693, 0x0000000000000000, false, false, 0x0000000000000000, 0x6c40df5f0b497347 },
};
/* clang-format on */

const unsigned zg_crc_table_length = sizeof zg_crc_table / sizeof zg_crc_table[0];

const struct zg_crc_parameters *zg_crc_by_name(const char *name)
{
    for (unsigned i = 0; i < zg_crc_table_length; i++)
        if (strcmp(zg_crc_table[i].name, name) == 0)
            return &zg_crc_table[i];
    return NULL;
}

uint64_t zg_crc_order(const struct zg_crc_parameters *crc, uint64_t most)
{
    unsigned width = crc->width;
    uint64_t poly = crc->poly;

    if (poly == 0)
        return 1;
    for (; (poly & 1) == 0; width--) /* factors of x detect no further two-bit errors */
        poly >>= 1;
    uint64_t top = UINT64_C(1) << (width - 1), mask = top | (top - 1), power = 1;
    for (uint64_t n = 1; n < most; n++) {
        power = (power << 1 & mask) ^ (power & top ? poly & mask : 0);
        if (power == 1)
            return n;
    }
    return most;
}

/* The members for the runtime's functions and start value, and for their names. */
#define COMPUTED(update, finish, start) update, finish, start, #update, #finish, #start

const struct zg_sum zg_sum_table[] = {
    /* name, width, check, order, register bits */
    { "sum8", 8, 0xDD, 0, 8, COMPUTED(zg_sum8_update, zg_sum8_finish, ZG_SUM8_START),
      "the sum of all bytes modulo 256" },
    { "sum8/negated", 8, 0x23, 0, 8, COMPUTED(zg_sum8_update, zg_sum8_negated_finish, ZG_SUM8_START),
      "the sum of all bytes modulo 256, negated: bytes and check add up to 0" },
    { "sum8/inverted", 8, 0x22, 0, 8, COMPUTED(zg_sum8_update, zg_sum8_inverted_finish, ZG_SUM8_START),
      "the sum of all bytes modulo 256, all bits inverted" },
    { "xor8", 8, 0x31, 0, 8, COMPUTED(zg_xor8_update, zg_sum8_finish, ZG_XOR8_START), "the exclusive or of all bytes" },
#if ZG_CHECK_BITS >= 16
    /* order: opposite changes of a bit, 255 bytes apart, cancel out in both sums */
    { "fletcher16", 16, 0x1EDE, 8 * 255, 16, COMPUTED(zg_fletcher16_update, zg_fletcher16_finish, ZG_FLETCHER16_START),
      "two sums modulo 255, of the bytes and of the first sum after each byte; the second is the high byte" },
#endif
#if ZG_CHECK_BITS >= 32
    { "adler32", 32, 0x091E01DE, 8 * 65521, 32, COMPUTED(zg_adler32_update, zg_adler32_finish, ZG_ADLER32_START),
      "Adler-32 (RFC 1950)" },
    { "internet", 16, 0xF62A, 0, 32, COMPUTED(zg_internet_update, zg_internet_finish, ZG_INTERNET_START),
      "the Internet checksum (RFC 1071) over big-endian words" },
#endif
};

const unsigned zg_sum_table_length = sizeof zg_sum_table / sizeof zg_sum_table[0];

const struct zg_sum *zg_sum_by_name(const char *name)
{
    for (unsigned i = 0; i < zg_sum_table_length; i++)
        if (strcmp(zg_sum_table[i].name, name) == 0)
            return &zg_sum_table[i];
    return NULL;
}

uint64_t zg_bits_reversed(uint64_t value, unsigned width)
{
    uint64_t out = 0;
    for (unsigned i = 0; i < width; i++)
        out |= (value >> i & 1) << (width - 1 - i);
    return out;
}
