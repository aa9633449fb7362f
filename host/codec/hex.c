/* SPDX-License-Identifier: MIT */
#include "codec/hex.h"

#include <string.h>

/* What may separate bytes in hex: blanks, commas and the like; and what may precede one: 0x, \\x. */
static const char *skip_between(const char *c)
{
    while (g_ascii_isspace(*c) || (*c && strchr(",;:-", *c)))
        c++;
    if ((c[0] == '0' || c[0] == '\\') && (c[1] == 'x' || c[1] == 'X') && g_ascii_isxdigit(c[2]))
        c += 2;
    return c;
}

GByteArray *zg_bytes_from_hex(const char *text, GError **error)
{
    g_autoptr(GByteArray) bytes = g_byte_array_new();

    for (const char *c = skip_between(text); *c; c = skip_between(c)) {
        if (!g_ascii_isxdigit(c[0]) || !g_ascii_isxdigit(c[1])) {
            const char *bad = g_ascii_isxdigit(c[0]) ? c + 1 : c;
            if (skip_between(bad) > bad || *bad == '\0')
                g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_HEX,
                            "hex: the digit at position %ld is alone; expected two digits for each byte",
                            (long)(c - text) + 1);
            else
                g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_HEX,
                            "hex: expected a hex digit at position %ld, found \"%.*s\"", (long)(bad - text) + 1,
                            (int)(g_utf8_validate(bad, -1, NULL) ? g_utf8_next_char(bad) - bad : 1), bad);
            return NULL;
        }
        guint8 byte = (guint8)(g_ascii_xdigit_value(c[0]) << 4 | g_ascii_xdigit_value(c[1]));
        g_byte_array_append(bytes, &byte, 1);
        c += 2;
    }
    return g_steal_pointer(&bytes);
}

void zg_append_hex(GString *text, const uint8_t *bytes, size_t count)
{
    static const char digits[] = "0123456789abcdef";
    const gsize at = text->len;

    g_string_set_size(text, at + 2 * count);
    for (size_t i = 0; i < count; i++) {
        text->str[at + 2 * i] = digits[bytes[i] >> 4];
        text->str[at + 2 * i + 1] = digits[bytes[i] & 15];
    }
}
