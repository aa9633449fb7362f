/* SPDX-License-Identifier: MIT */
#include "codec/scan_json.h"

#include <string.h>

#include "codec/values.h"

enum { DEEPEST = 8 /* nesting of a value that is skipped */ };

static bool expected(struct zgi_json_cursor *cursor, const char *what)
{
    cursor->expected = what;
    return false;
}

bool zgi_json_take_word(struct zgi_json_cursor *cursor, const char *word)
{
    const size_t size = strlen(word);

    if ((size_t)(cursor->end - cursor->at) < size || memcmp(cursor->at, word, size) != 0)
        return expected(cursor, "true, false or null");
    cursor->at += size;
    return true;
}

static bool take_unit(struct zgi_json_cursor *cursor, gunichar *unit)
{
    *unit = 0;
    for (unsigned i = 0; i < 4; i++, cursor->at++) {
        const int digit = cursor->at < cursor->end ? g_ascii_xdigit_value(*cursor->at) : -1;
        if (digit < 0)
            return expected(cursor, "four hex digits behind \\u");
        *unit = *unit << 4 | (gunichar)digit;
    }
    return true;
}

/* \uXXXX, which may be the first half of a pair. A half alone is no character. */
static bool take_unicode(struct zgi_json_cursor *cursor, GString *out)
{
    static const char other_half[] = "the other half of a surrogate pair, \\uDC00 to \\uDFFF";
    const char *const begin = cursor->at;
    gunichar first, second;

    if (!take_unit(cursor, &first))
        return false;
    if (first >= 0xD800 && first < 0xDC00) {
        if (!zgi_json_take_word(cursor, "\\u"))
            return expected(cursor, other_half);
        if (!take_unit(cursor, &second))
            return false;
        if (second < 0xDC00 || second > 0xDFFF) {
            cursor->at -= strlen("\\uXXXX");
            return expected(cursor, other_half);
        }
        first = 0x10000 + ((first - 0xD800) << 10 | (second - 0xDC00));
    } else if (first >= 0xDC00 && first <= 0xDFFF) {
        cursor->at = begin;
        return expected(cursor, "a character, or the first half of a surrogate pair");
    }
    if (first == 0)
        g_string_append_c(out, '\0');
    else
        g_string_append_unichar(out, first);
    return true;
}

static bool take_escape(struct zgi_json_cursor *cursor, GString *out)
{
    static const char from[] = "\"\\/bfnrt", to[] = "\"\\/\b\f\n\r\t";
    const char c = cursor->at < cursor->end ? *cursor->at : '\0';
    const char *escape = c ? strchr(from, c) : NULL;

    if (c != 'u' && !escape)
        return expected(cursor, "one of \" \\ / b f n r t u behind \\");
    cursor->at++;
    if (c == 'u')
        return take_unicode(cursor, out);
    g_string_append_c(out, to[escape - from]);
    return true;
}

/* A string ends at a character that cannot stand in it, or with the text. */
static bool not_closed(struct zgi_json_cursor *cursor)
{
    return expected(cursor, cursor->at == cursor->end ? "a closing \"" : "an escape for a control character");
}

/* Characters up to the closing quote, behind those that `*out` has. */
static bool take_characters(struct zgi_json_cursor *cursor, GString *out)
{
    for (;;) {
        const char *const from = cursor->at;
        while (cursor->at < cursor->end && *cursor->at != '"' && *cursor->at != '\\' && (uint8_t)*cursor->at >= 0x20)
            cursor->at++;
        g_string_append_len(out, from, cursor->at - from);
        if (cursor->at == cursor->end || (uint8_t)*cursor->at < 0x20)
            return not_closed(cursor);
        if (*cursor->at++ == '"')
            return zg_is_utf8((const uint8_t *)out->str, out->len);
        cursor->escaped = true;
        if (!take_escape(cursor, out))
            return false;
    }
}

bool zgi_json_take_rest(struct zgi_json_cursor *cursor, struct zgi_json_characters *out)
{
    if (!out->scratch)
        out->scratch = g_string_new(NULL);
    g_string_truncate(out->scratch, 0);
    g_string_append_len(out->scratch, out->at, (gssize)out->size);
    if (!take_characters(cursor, out->scratch))
        return false;
    out->at = out->scratch->str;
    out->size = out->scratch->len;
    return true;
}

static bool take_digits(struct zgi_json_cursor *cursor)
{
    const char *const from = cursor->at;

    while (cursor->at < cursor->end && g_ascii_isdigit(*cursor->at))
        cursor->at++;
    return cursor->at > from || expected(cursor, "a digit");
}

static bool take_one(struct zgi_json_cursor *cursor, char wanted)
{
    const bool is_there = cursor->at < cursor->end && *cursor->at == wanted;

    cursor->at += is_there;
    return is_there;
}

bool zgi_json_take_number(struct zgi_json_cursor *cursor, const char **number, size_t *size)
{
    (void)zgi_json_peek(cursor);
    *number = cursor->at;
    (void)take_one(cursor, '-');
    const char *const whole = cursor->at;
    if (!take_digits(cursor))
        return false;
    if (*whole == '0' && cursor->at - whole > 1) {
        cursor->at = whole;
        return expected(cursor, "a number without zeros in front");
    }
    if (take_one(cursor, '.') && !take_digits(cursor))
        return false;
    if (take_one(cursor, 'e') || take_one(cursor, 'E')) {
        if (!take_one(cursor, '+'))
            (void)take_one(cursor, '-');
        if (!take_digits(cursor))
            return false;
    }
    *size = (size_t)(cursor->at - *number);
    return true;
}

static bool skip_value(struct zgi_json_cursor *cursor, unsigned depth)
{
    g_auto(zgi_json_characters_auto) text = { NULL, 0, NULL };
    const char first = zgi_json_peek(cursor);
    const char *number;
    size_t size;

    if (first == '"')
        return zgi_json_take_string(cursor, &text);
    if (first == 't' || first == 'f' || first == 'n')
        return zgi_json_take_word(cursor, "true") || zgi_json_take_word(cursor, "false") ||
               zgi_json_take_word(cursor, "null");
    if (first != '{' && first != '[')
        return zgi_json_take_number(cursor, &number, &size);
    if (depth == DEEPEST)
        return false;
    const char last = first == '{' ? '}' : ']';
    cursor->at++;
    if (zgi_json_peek(cursor) == last)
        return zgi_json_take(cursor, last);
    do {
        if (first == '{' && (!zgi_json_take_string(cursor, &text) || !zgi_json_take(cursor, ':')))
            return false;
        if (!skip_value(cursor, depth + 1))
            return false;
    } while (zgi_json_take(cursor, ','));
    return zgi_json_take(cursor, last);
}

bool zgi_json_skip(struct zgi_json_cursor *cursor)
{
    return skip_value(cursor, 0);
}
