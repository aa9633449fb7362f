/* SPDX-License-Identifier: MIT */
#include "zeugma/leb.h"

#include "zeugma/bytes.h"
#include "zeugma/error.h"

enum { MORE = 0x80, LONGEST = 10 };

unsigned zg_uleb_put(uint64_t value, uint8_t *at)
{
    unsigned size = 0;
    while (value > 0x7FU) {
        at[size++] = (uint8_t)(value | MORE);
        value >>= 7;
    }
    at[size++] = (uint8_t)value;
    return size;
}

/* Shifted down by seven bits, with the sign kept. */
static int64_t shift_down(int64_t value)
{
    return value < 0 ? -(int64_t)((uint64_t) - (value + 1) >> 7) - 1 : (int64_t)((uint64_t)value >> 7);
}

unsigned zg_sleb_put(int64_t value, uint8_t *at)
{
    unsigned size = 0;
    while (value > 0x3F || value < -0x40) {
        at[size++] = (uint8_t)((uint64_t)value | MORE);
        value = shift_down(value);
    }
    at[size++] = (uint8_t)((uint64_t)value & 0x7FU);
    return size;
}

unsigned zg_uleb_size(uint64_t value)
{
    unsigned size = 1;
    while (value > 0x7FU) {
        value >>= 7;
        size++;
    }
    return size;
}

unsigned zg_sleb_size(int64_t value)
{
    unsigned size = 1;
    while (value > 0x3F || value < -0x40) {
        value = shift_down(value);
        size++;
    }
    return size;
}

/* Gathers the bits of up to ten bytes. Returns how many bytes, or 0 if the last one is not among the first `length`. */
static unsigned gather(const uint8_t *at, size_t length, uint64_t *bits)
{
    unsigned size = 0;
    *bits = 0;
    while (size < LONGEST && size < length) {
        *bits |= (uint64_t)(at[size] & 0x7FU) << 7 * size; /* only one bit of the tenth byte is used */
        if ((at[size++] & MORE) == 0)
            return size;
    }
    return 0;
}

int zg_uleb_get(const uint8_t *at, size_t length, unsigned bits, uint64_t *value)
{
    uint64_t read;
    unsigned size = gather(at, length, &read);
    if (size == 0 || size != zg_uleb_size(read) || (size == LONGEST && at[LONGEST - 1] > 1) ||
        (bits < 64 && read >> (bits & 63U) != 0))
        return ZG_ESIZE;
    *value = read;
    return (int)size;
}

int zg_sleb_get(const uint8_t *at, size_t length, unsigned bits, int64_t *value)
{
    uint64_t read;
    unsigned size = gather(at, length, &read);
    if (size == 0 || (size == LONGEST && at[LONGEST - 1] != 0 && at[LONGEST - 1] != 0x7F))
        return ZG_ESIZE;
    int64_t number = size < LONGEST ? zg_signed64(read, 7 * size) : zg_signed64(read, 64);
    if (size != zg_sleb_size(number) || (bits == 32 && (number > INT32_MAX || number < INT32_MIN)))
        return ZG_ESIZE;
    *value = number;
    return (int)size;
}
