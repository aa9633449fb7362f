/* SPDX-License-Identifier: MIT */
/* The checks known by name. */
#ifndef ZEUGMA_CHECKS_H
#define ZEUGMA_CHECKS_H

#include <stdbool.h>
#include <stdint.h>

/* What kind of check a frame has. */
enum zg_check_kind {
    ZG_CHECK_CRC,
    ZG_CHECK_NONE,
    ZG_CHECK_SUM8,
    ZG_CHECK_SUM8_NEGATED,
    ZG_CHECK_SUM8_INVERTED,
    ZG_CHECK_XOR8,
    ZG_CHECK_FLETCHER16,
    ZG_CHECK_ADLER32,
    ZG_CHECK_INTERNET
};

/* The kinds other than CRCs, each with its name, bits, and the check value of the ASCII string "123456789". */
struct zg_sum {
    enum zg_check_kind kind;
    const char *name;
    unsigned width;
    uint64_t check;
};

extern const struct zg_sum zg_sum_table[];
extern const unsigned zg_sum_table_length;
const struct zg_sum *zg_sum_by_name(const char *name);

/* A CRC's parameters as published: neither shifted nor reversed. */
struct zg_crc_parameters {
    const char *name; /* NULL: given by parameters */
    unsigned width;   /* bits, 3 to 64 */
    uint64_t poly;
    uint64_t init;
    bool reflect_in;
    bool reflect_out;
    uint64_t xor_out;
    uint64_t check; /* of the ASCII string "123456789"; 0: not known, if given by parameters */
};

/* The table, and one of its rows by name (NULL: unknown). */
extern const struct zg_crc_parameters zg_crc_table[];
extern const unsigned zg_crc_table_length;
const struct zg_crc_parameters *zg_crc_by_name(const char *name);

/* The lowest `width` bits in reverse order. */
uint64_t zg_bits_reversed(uint64_t value, unsigned width);

/* The length in bits up to which a check other than a CRC detects any two flipped bits. 0: it misses some at every
 * length. */
uint64_t zg_sum_order(enum zg_check_kind kind);

/* The length in bits up to which any two flipped bits are detected: the least n with x^n = 1 modulo the polynomial, or
 * `most` if that is larger. Linear in the result. */
uint64_t zg_crc_order(const struct zg_crc_parameters *crc, uint64_t most);

#endif
