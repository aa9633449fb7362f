/* SPDX-License-Identifier: MIT */
#include "codec/json.h"

#include <float.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "codec/hex.h"
#include "definition/words.h"

static const int64_t whole_in_double = (int64_t)1 << 53;

static bool append_special(GString *text, double value)
{
    if (isnan(value))
        g_string_append(text, "nan");
    else if (isinf(value))
        g_string_append(text, value < 0 ? "-inf" : "inf");
    else if (value == 0 && signbit(value))
        g_string_append(text, "-0.0"); /* "-0" would be read as an integer, which has no negative zero */
    else
        return false;
    return true;
}

static void append_unsigned(GString *text, uint64_t value)
{
    char digits[20];
    unsigned at = sizeof digits;

    do
        digits[--at] = (char)('0' + value % 10);
    while ((value /= 10) > 0);
    g_string_append_len(text, digits + at, sizeof digits - at);
}

/* A number with few decimals, below `most`: the fewest with which whole / 10^decimals gives the number again. The
 * division rounds correctly if both are exact in a double (W. D. Clinger, "How to read floating point numbers
 * accurately", 1990). False: there is none. */
static bool append_decimals(GString *text, double value, double most, bool is_float)
{
    static const double tens[] = { 1, 10, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8 };
    const double size = fabs(value);

    if (!(size >= 1e-4 && size < most) && size > 0)
        return false;
    for (unsigned decimals = 0; decimals < G_N_ELEMENTS(tens); decimals++) {
        const double whole = rint(size * tens[decimals]), again = whole / tens[decimals];
        if (whole >= (is_float ? 1e9 : 1e15))
            return false;
        if (is_float ? (float)again != (float)size : again < size || again > size)
            continue;
        const uint64_t ten = (uint64_t)tens[decimals], digits = (uint64_t)whole;
        if (value < 0)
            g_string_append_c(text, '-');
        append_unsigned(text, digits / ten);
        if (decimals == 0)
            return true;
        char fraction[9];
        fraction[0] = '.';
        uint64_t rest = digits % ten;
        for (unsigned at = decimals; at > 0; at--, rest /= 10)
            fraction[at] = (char)('0' + rest % 10);
        g_string_append_len(text, fraction, decimals + 1);
        return true;
    }
    return false;
}

/* From `least` to `most` significant digits, until they read back. Subnormal numbers have fewer digits than the type.
 */
static void append_shortest(GString *text, double value, int least, int most, bool is_float)
{
    char digits[G_ASCII_DTOSTR_BUF_SIZE];
    char format[8];

    for (int precision = least; precision <= most; precision++) {
        g_snprintf(format, sizeof format, "%%.%dg", precision);
        g_ascii_formatd(digits, sizeof digits, format, value);
        const double again = g_ascii_strtod(digits, NULL);
        if (is_float ? (float)again == (float)value : again == value)
            break;
    }
    g_string_append(text, digits);
}

void zg_append_double(GString *text, double value)
{
    if (!append_special(text, value) && !append_decimals(text, value, 1e15, false))
        append_shortest(text, value, fabs(value) < DBL_MIN ? 1 : 15, 17, false);
}

void zg_append_float(GString *text, float value)
{
    if (!append_special(text, (double)value) && !append_decimals(text, (double)value, 1e6, true))
        append_shortest(text, (double)value, fabsf(value) < FLT_MIN ? 1 : 6, 9, true);
}

/* Bytes at the beginning of a string that need no escape. What terminals act on needs one. */
static size_t plain_run(const char *text, size_t length)
{
    size_t run = 0;

    while (run < length) {
        const uint8_t byte = (uint8_t)text[run];
        if (byte < 0x20 || byte == '"' || byte == '\\' || byte == 0x7F)
            break;
        if (byte >= 0xC2) { /* beyond ASCII, it may be invisible */
            const gunichar c = g_utf8_get_char_validated(text + run, (gssize)(length - run));
            if (c < 0x110000 && zg_is_hidden(c))
                break;
        }
        run++;
    }
    return run;
}

static void append_quoted(GString *text, const char *value, size_t length)
{
    g_string_append_c(text, '"');
    for (size_t at = 0; at < length;) {
        const size_t run = plain_run(value + at, length - at);
        g_string_append_len(text, value + at, (gssize)run);
        at += run;
        if (at == length)
            break;
        if (value[at] == '"' || value[at] == '\\')
            g_string_append_printf(text, "\\%c", value[at]);
        else if ((uint8_t)value[at] < 0x80)
            g_string_append_printf(text, "\\u%04x", (unsigned)(unsigned char)value[at]);
        else {
            g_string_append_printf(text, "\\u%04x", g_utf8_get_char(value + at));
            at += (size_t)(g_utf8_next_char(value + at) - (value + at)) - 1;
        }
        at++;
    }
    g_string_append_c(text, '"');
}

static void new_line(struct zg_json *json)
{
    if (json->indented)
        g_string_append_printf(json->text, "\n%*s", (int)(2 * json->depth), "");
}

/* What comes before a value: comma, line end, key. */
static void lead_in(struct zg_json *json, const char *key)
{
    if (!json->first)
        g_string_append_c(json->text, ',');
    if (json->depth > 0)
        new_line(json);
    json->first = false;
    if (!key)
        return;
    append_quoted(json->text, key, strlen(key));
    g_string_append(json->text, json->indented ? ": " : ":");
}

void zg_json_begin(struct zg_json *json, bool indented)
{
    zg_json_begin_in(json, g_string_new(NULL), indented);
}

void zg_json_begin_in(struct zg_json *json, GString *text, bool indented)
{
    *json = (struct zg_json){ text, indented, 0, true };
}

char *zg_json_end(struct zg_json *json)
{
    return g_string_free(json->text, FALSE);
}

void zg_json_open(struct zg_json *json, const char *key, char bracket)
{
    lead_in(json, key);
    g_string_append_c(json->text, bracket);
    json->depth++;
    json->first = true;
}

void zg_json_close(struct zg_json *json, char bracket)
{
    json->depth--;
    if (!json->first)
        new_line(json);
    g_string_append_c(json->text, bracket);
    json->first = false;
}

void zg_json_string(struct zg_json *json, const char *key, const char *value)
{
    zg_json_text(json, key, value, strlen(value));
}

void zg_json_text(struct zg_json *json, const char *key, const char *text, size_t length)
{
    lead_in(json, key);
    append_quoted(json->text, text, length);
}

void zg_json_bool(struct zg_json *json, const char *key, bool value)
{
    lead_in(json, key);
    g_string_append(json->text, value ? "true" : "false");
}

void zg_json_null(struct zg_json *json, const char *key)
{
    lead_in(json, key);
    g_string_append(json->text, "null");
}

void zg_json_unsigned(struct zg_json *json, const char *key, uint64_t value)
{
    const char *quote = value > (uint64_t)whole_in_double ? "\"" : "";
    lead_in(json, key);
    g_string_append(json->text, quote);
    append_unsigned(json->text, value);
    g_string_append(json->text, quote);
}

void zg_json_signed(struct zg_json *json, const char *key, int64_t value)
{
    const char *quote = value > whole_in_double || value < -whole_in_double ? "\"" : "";
    lead_in(json, key);
    g_string_append_printf(json->text, "%s%" G_GINT64_FORMAT "%s", quote, value, quote);
}

/* A float's digits, quoted if they are no number. */
static void write_float(struct zg_json *json, const char *key, double value, bool is_float)
{
    const char *quote = isfinite(value) ? "" : "\"";

    lead_in(json, key);
    g_string_append(json->text, quote);
    if (is_float)
        zg_append_float(json->text, (float)value);
    else
        zg_append_double(json->text, value);
    g_string_append(json->text, quote);
}

void zg_json_double(struct zg_json *json, const char *key, double value)
{
    write_float(json, key, value, false);
}

void zg_json_float(struct zg_json *json, const char *key, float value)
{
    write_float(json, key, (double)value, true);
}

void zg_json_literal(struct zg_json *json, const char *key, const char *digits)
{
    lead_in(json, key);
    g_string_append(json->text, digits);
}

void zg_json_seconds(struct zg_json *json, const char *key, uint64_t ns)
{
    char digits[32];

    (void)g_snprintf(digits, sizeof digits, "%.6f", (double)ns / 1e9);
    zg_json_literal(json, key, digits);
}

void zg_json_hex(struct zg_json *json, const char *key, const uint8_t *bytes, size_t count)
{
    lead_in(json, key);
    g_string_append_c(json->text, '"');
    zg_append_hex(json->text, bytes, count);
    g_string_append_c(json->text, '"');
}
