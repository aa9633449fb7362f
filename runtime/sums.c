/* SPDX-License-Identifier: MIT */
#include "zeugma/sums.h"

zg_check_word zg_sum8_update(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count)
{
    uint8_t sum = (uint8_t)state;

    (void)parameters;
    for (size_t i = 0; i < count; i++)
        sum = (uint8_t)(sum + bytes[i]);
    return sum;
}

zg_check_word zg_sum8_finish(const void *parameters, zg_check_word state)
{
    (void)parameters;
    return state;
}

zg_check_word zg_sum8_negated_finish(const void *parameters, zg_check_word state)
{
    (void)parameters;
    return (uint8_t)(0U - (uint8_t)state);
}

zg_check_word zg_sum8_inverted_finish(const void *parameters, zg_check_word state)
{
    (void)parameters;
    return (uint8_t) ~(unsigned)state;
}

zg_check_word zg_xor8_update(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count)
{
    uint8_t sum = (uint8_t)state;

    (void)parameters;
    for (size_t i = 0; i < count; i++)
        sum = (uint8_t)(sum ^ bytes[i]);
    return sum;
}

#if ZG_CHECK_BITS >= 16

/* a + b modulo 255; both are below 255, or b is 255. */
static uint8_t add_255(uint8_t a, uint8_t b)
{
    uint16_t sum = (uint16_t)((uint16_t)a + b);
    return (uint8_t)(sum >= 255U ? sum - 255U : sum);
}

zg_check_word zg_fletcher16_update(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count)
{
    uint8_t first = (uint8_t)state, second = (uint8_t)(state >> 8);

    (void)parameters;
    for (size_t i = 0; i < count; i++) {
        first = add_255(first, bytes[i]);
        second = add_255(second, first);
    }
    return (zg_check_word)((zg_check_word)second << 8 | first);
}

zg_check_word zg_fletcher16_finish(const void *parameters, zg_check_word state)
{
    (void)parameters;
    return state;
}

#endif
#if ZG_CHECK_BITS >= 32

zg_check_word zg_adler32_update(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count)
{
    const uint32_t modulus = UINT32_C(65521);
    uint32_t first = (uint32_t)(state & 0xFFFFU), second = (uint32_t)(state >> 16 & 0xFFFFU);

    (void)parameters;
    for (size_t i = 0; i < count; i++) {
        first += bytes[i];
        first -= first >= modulus ? modulus : 0U;
        second += first;
        second -= second >= modulus ? modulus : 0U;
    }
    return (zg_check_word)((zg_check_word)second << 16 | first);
}

zg_check_word zg_adler32_finish(const void *parameters, zg_check_word state)
{
    (void)parameters;
    return state;
}

/* Bit 16 of the state: the next byte is the low byte of its word. */
#define ODD ((zg_check_word)0x10000)

zg_check_word zg_internet_update(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count)
{
    uint32_t sum = (uint32_t)(state & 0xFFFFU);
    zg_check_word odd = state & ODD;

    (void)parameters;
    for (size_t i = 0; i < count; i++) {
        sum += odd ? bytes[i] : (uint32_t)bytes[i] << 8;
        sum = (sum & 0xFFFFU) + (sum >> 16);
        odd ^= ODD;
    }
    return odd | (zg_check_word)sum;
}

zg_check_word zg_internet_finish(const void *parameters, zg_check_word state)
{
    (void)parameters;
    return (zg_check_word)(~state & 0xFFFFU);
}

#endif
