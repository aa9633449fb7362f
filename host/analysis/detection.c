/* SPDX-License-Identifier: MIT */
#include "analysis/detection.h"

#include <glib.h>

/* What flipping the bit n places from the end changes in the check: x^n modulo the polynomial. */
static uint64_t next_change(const struct zg_crc_parameters *crc, uint64_t change)
{
    uint64_t top = UINT64_C(1) << (crc->width - 1);
    return (change << 1 & (top | (top - 1))) ^ (change & top ? crc->poly : 0);
}

/* The place of the flipped bit for each change of the check: change -> bits from the end, plus one. */
static gpointer key_of(uint64_t change)
{
    return (gpointer)(guintptr)change;
}

/* Patterns that begin and end with a flipped bit and have one in between: 1 + x^k + x^n is divisible. */
static bool third_is_known(GHashTable *places, uint64_t change)
{
    return g_hash_table_contains(places, key_of(change ^ 1));
}

/* With two in between: 1 + x^j + x^k + x^n. */
static bool fourth_is_known(GHashTable *places, const GArray *changes, uint64_t change)
{
    for (unsigned i = 1; i < changes->len; i++) {
        gpointer place = g_hash_table_lookup(places, key_of(change ^ 1 ^ g_array_index(changes, uint64_t, i)));
        if (place && GPOINTER_TO_SIZE(place) != i + 1)
            return true;
    }
    return false;
}

uint64_t zg_crc_sees(const struct zg_crc_parameters *crc, unsigned flips, uint64_t most)
{
    if (flips == 1) /* only a polynomial with one term divides a single bit */
        return crc->poly != 0 ? most : MIN(most, crc->width);
    if (flips == 2)
        return zg_crc_order(crc, most);
    g_autoptr(GHashTable) places = g_hash_table_new(NULL, NULL);
    g_autoptr(GArray) changes = g_array_new(FALSE, FALSE, sizeof(uint64_t));
    uint64_t change = 1;

    for (uint64_t n = 0; n < most; n++, change = next_change(crc, change)) {
        if (n > 0 && (flips == 3 ? third_is_known(places, change) : fourth_is_known(places, changes, change)))
            return n;
        g_array_append_val(changes, change);
        g_hash_table_replace(places, key_of(change), GSIZE_TO_POINTER(n + 1));
    }
    return most;
}

/* Whether the changes that flipped bits make are independent: no pattern of them adds up to zero. */
static bool are_independent(const uint64_t *changes, unsigned count)
{
    uint64_t basis[64] = { 0 };

    for (unsigned i = 0; i < count; i++) {
        uint64_t left = changes[i];
        for (unsigned bit = 64; bit-- > 0 && left != 0;)
            if ((left >> bit & 1) != 0 && basis[bit] != 0)
                left ^= basis[bit];
            else if ((left >> bit & 1) != 0) {
                basis[bit] = left;
                break;
            }
        if (left == 0)
            return false;
    }
    return true;
}

unsigned zg_crc_burst(const struct zg_crc_parameters *crc, bool line)
{
    const bool in_order = crc->reflect_in == line; /* the CRC takes bits in the order in which they are sent */
    uint64_t changes[80], change = 1, window[64];

    for (unsigned i = 0; i < G_N_ELEMENTS(changes); i++, change = next_change(crc, change))
        changes[i] = change;
    for (unsigned length = 1; length <= crc->width; length++)
        for (unsigned first = 0; first < 8; first++) {
            for (unsigned i = 0; i < length; i++) {
                const unsigned at = first + i;
                window[i] = changes[in_order ? at : at / 8 * 8 + 7 - at % 8];
            }
            if (!are_independent(window, length))
                return length - 1;
        }
    return crc->width;
}
