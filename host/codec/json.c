/* SPDX-License-Identifier: MIT */
#include "codec/json.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const int64_t whole_in_double = (int64_t)1 << 53;

static bool append_special(GString *text, double value)
{
    if (isnan(value))
        g_string_append(text, "nan");
    else if (isinf(value))
        g_string_append(text, value < 0 ? "-inf" : "inf");
    else if (value == 0 && signbit(value))
        g_string_append(text, "-0.0"); /* "-0" would be read as an integer, which has no such zero */
    else
        return false;
    return true;
}

void zg_append_double(GString *text, double value)
{
    char digits[G_ASCII_DTOSTR_BUF_SIZE];
    char format[8];

    if (append_special(text, value))
        return;
    for (int precision = 15; precision <= 17; precision++) {
        g_snprintf(format, sizeof format, "%%.%dg", precision);
        g_ascii_formatd(digits, sizeof digits, format, value);
        if (g_ascii_strtod(digits, NULL) == value)
            break;
    }
    g_string_append(text, digits);
}

void zg_append_float(GString *text, float value)
{
    char digits[G_ASCII_DTOSTR_BUF_SIZE];
    char format[8];

    if (append_special(text, (double)value))
        return;
    for (int precision = 6; precision <= 9; precision++) {
        g_snprintf(format, sizeof format, "%%.%dg", precision);
        g_ascii_formatd(digits, sizeof digits, format, (double)value);
        if ((float)g_ascii_strtod(digits, NULL) == value)
            break;
    }
    g_string_append(text, digits);
}

static void append_quoted(GString *text, const char *value, size_t length)
{
    g_string_append_c(text, '"');
    for (const char *c = value; c < value + length; c++) {
        if (*c == '"' || *c == '\\')
            g_string_append_printf(text, "\\%c", *c);
        else if ((unsigned char)*c < 0x20 || *c == 0x7F)
            g_string_append_printf(text, "\\u%04x", (unsigned)*c);
        else
            g_string_append_c(text, *c);
    }
    g_string_append_c(text, '"');
}

static void new_line(struct zg_json *json)
{
    if (json->indented)
        g_string_append_printf(json->text, "\n%*s", (int)(2 * json->depth), "");
}

/* What stands before a value: comma, line, key. */
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
    *json = (struct zg_json){ g_string_new(NULL), indented, 0, true };
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
    g_string_append_printf(json->text, "%s%" G_GUINT64_FORMAT "%s", quote, value, quote);
}

void zg_json_signed(struct zg_json *json, const char *key, int64_t value)
{
    const char *quote = value > whole_in_double || value < -whole_in_double ? "\"" : "";
    lead_in(json, key);
    g_string_append_printf(json->text, "%s%" G_GINT64_FORMAT "%s", quote, value, quote);
}

void zg_json_double(struct zg_json *json, const char *key, double value)
{
    const char *quote = isfinite(value) ? "" : "\"";
    lead_in(json, key);
    g_string_append(json->text, quote);
    zg_append_double(json->text, value);
    g_string_append(json->text, quote);
}

void zg_json_float(struct zg_json *json, const char *key, float value)
{
    const char *quote = isfinite(value) ? "" : "\"";
    lead_in(json, key);
    g_string_append(json->text, quote);
    zg_append_float(json->text, value);
    g_string_append(json->text, quote);
}

void zg_json_literal(struct zg_json *json, const char *key, const char *digits)
{
    lead_in(json, key);
    g_string_append(json->text, digits);
}

void zg_json_hex(struct zg_json *json, const char *key, const uint8_t *bytes, size_t count)
{
    lead_in(json, key);
    g_string_append_c(json->text, '"');
    for (size_t i = 0; i < count; i++)
        g_string_append_printf(json->text, "%02x", bytes[i]);
    g_string_append_c(json->text, '"');
}
