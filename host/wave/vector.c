/* SPDX-License-Identifier: MIT */
#include "wave/vector.h"

#include <string.h>

static void append_byte(GString *bits, uint8_t byte)
{
    for (unsigned bit = 8; bit-- > 0;)
        g_string_append_c(bits, byte >> bit & 1U ? '1' : '0');
}

char *zgi_vcd_text(const char *text, size_t most)
{
    GString *bits = g_string_new("b");
    const size_t length = MIN(strlen(text), most);

    for (size_t i = 0; i < length; i++)
        append_byte(bits, (uint8_t)text[i]);
    if (length == 0)
        g_string_append_c(bits, '0');
    return g_string_free(bits, FALSE);
}

char *zgi_vcd_byte(uint8_t byte)
{
    GString *bits = g_string_new("b");

    append_byte(bits, byte);
    return g_string_free(bits, FALSE);
}
