/* SPDX-License-Identifier: MIT */
/* The checks known by name. */
#ifndef ZEUGMA_CHECKS_H
#define ZEUGMA_CHECKS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/config.h"

/* What kind of check a frame has. */
enum zg_check_kind { ZG_CHECK_CRC, ZG_CHECK_NONE, ZG_CHECK_SUM };

/* A check other than a CRC: everything that is known about it. Adding a row makes it available everywhere in C. */
struct zg_sum {
    const char *name;
    unsigned width; /* bits */
    uint64_t check; /* the value for the ASCII string "123456789" */
    uint64_t order; /* the length in bits up to which it detects any two flipped bits; 0: it misses some at any */
    unsigned register_bits; /* what ZG_CHECK_BITS must be at least */
    zg_check_word (*update)(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count);
    zg_check_word (*finish)(const void *parameters, zg_check_word state);
    zg_check_word start;
    const char *c_update, *c_finish, *c_start; /* the names of these three in zeugma/sums.h */
    const char *meaning;                       /* for a specification: "the exclusive or of all bytes" */
};

/* The table of those that ZG_CHECK_BITS allows, and one of its rows by name (NULL: unknown). "none" is not among them.
 */
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

/* The length in bits up to which any two flipped bits are detected: the least n with x^n = 1 modulo the polynomial, or
 * `most` if that is larger. Linear in the result. */
uint64_t zg_crc_order(const struct zg_crc_parameters *crc, uint64_t most);

#endif
