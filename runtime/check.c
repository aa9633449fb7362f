/* SPDX-License-Identifier: MIT */
#include "zeugma/check.h"

#include <string.h>

zg_check_word zg_check_value(const struct zg_check *check, const uint8_t *content, size_t covered)
{
    const struct zg_check_form *form = check->form;

    if (check->size == 0)
        return 0;
    zg_check_word state = check->update(check->parameters, check->start, content + check->skip, covered - check->skip);
    if (form && form->closing_size > 0)
        state = check->update(check->parameters, state, form->closing, form->closing_size);
    return check->finish(check->parameters, state);
}

/* Writes digits from the end of their room, as many as asked for. */
static void write_hex(zg_check_word value, uint8_t digits, bool lower, uint8_t *at)
{
    while (digits-- > 0) {
        const uint8_t digit = (uint8_t)(value & 15U);
        at[digits] = (uint8_t)(digit < 10 ? '0' + digit : (lower ? 'a' : 'A') + digit - 10);
        value = (zg_check_word)(value >> 4);
    }
}

static uint8_t write_decimal(zg_check_word value, uint8_t *at)
{
    uint8_t digits[20], count = 0;

    do {
        digits[count++] = (uint8_t)('0' + value % 10U);
        value = (zg_check_word)(value / 10U);
    } while (value > 0);
    for (uint8_t i = 0; i < count; i++)
        at[i] = digits[count - 1 - i];
    return count;
}

/* The check without what its form puts in front of it. */
static struct zg_check bare_check(const struct zg_check *check)
{
    struct zg_check bare = *check;

    bare.size = check->form->digits;
    return bare;
}

uint8_t zg_check_write(const struct zg_check *check, zg_check_word value, uint8_t *at)
{
    const struct zg_check_form *form = check->form;

    if (!form) {
        zg_check_store(check, value, at);
        return check->size;
    }
    memcpy(at, form->after, form->after_size);
    at += form->after_size;
    if (form->base == 10)
        return (uint8_t)(form->after_size + write_decimal(value, at));
    if (form->base == 16) {
        write_hex(value, form->digits, form->lower, at);
    } else {
        const struct zg_check bare = bare_check(check);
        zg_check_store(&bare, value, at);
    }
    return check->size;
}

/* The value of a digit; 255: it is none. */
static uint8_t digit_of(uint8_t byte)
{
    if (byte >= '0' && byte <= '9')
        return (uint8_t)(byte - '0');
    byte |= 0x20U;
    return byte >= 'a' && byte <= 'f' ? (uint8_t)(byte - 'a' + 10) : 255;
}

/* Reads digits; false: something else is among them, or they exceed the register. */
static bool read_digits(const struct zg_check_form *form, const uint8_t *at, uint8_t count, zg_check_word *value)
{
    const zg_check_word most = (zg_check_word) ~(zg_check_word)0;

    *value = 0;
    for (uint8_t i = 0; i < count; i++) {
        const uint8_t digit = digit_of(at[i]);
        if (digit >= form->base || *value > (zg_check_word)((zg_check_word)(most - digit) / form->base))
            return false;
        *value = (zg_check_word)(*value * form->base + digit);
    }
    return count > 0;
}

/* The digits behind the last literal that begins before the last byte; without one, too many. */
static uint8_t count_digits(const struct zg_check_form *form, const uint8_t *content, size_t length)
{
    uint8_t digits = 1;

    while (digits < form->digits && (size_t)digits + form->after_size < length &&
           memcmp(content + length - digits - form->after_size, form->after, form->after_size) != 0)
        digits++;
    return digits;
}

uint8_t zg_check_read(const struct zg_check *check, const uint8_t *content, size_t length, zg_check_word *value)
{
    const struct zg_check_form *form = check->form;
    const uint8_t digits = form->base == 10 ? count_digits(form, content, length) : form->digits;
    const uint8_t *const end = content + length;

    if (length < (size_t)digits + form->after_size ||
        memcmp(end - digits - form->after_size, form->after, form->after_size) != 0)
        return 0;
    if (form->base == 0) {
        const struct zg_check bare = bare_check(check);
        *value = zg_check_load(&bare, end - digits);
    } else if (!read_digits(form, end - digits, digits, value)) {
        return 0;
    }
    return (uint8_t)(digits + form->after_size);
}
