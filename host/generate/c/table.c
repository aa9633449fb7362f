/* SPDX-License-Identifier: MIT */
#include "generate/c/table.h"

#include <glib.h>

/* The register after one byte, from zero: in its low bits if bytes are reflected, otherwise at the top of the type. */
static uint64_t entry(const struct zg_crc_parameters *crc, unsigned type, unsigned byte)
{
    uint64_t reg = crc->reflect_in ? byte : (uint64_t)byte << (type - 8);
    uint64_t poly = crc->reflect_in ? zg_bits_reversed(crc->poly, crc->width) : crc->poly << (type - crc->width);
    uint64_t mask = UINT64_MAX >> (64 - type);

    for (unsigned i = 0; i < 8; i++) {
        if (crc->reflect_in)
            reg = reg >> 1 ^ (reg & 1 ? poly : 0);
        else
            reg = (reg << 1 & mask) ^ (reg >> (type - 1) & 1 ? poly : 0);
    }
    return reg;
}

char *zg_crc_table_as_c(const struct zg_crc_parameters *crc)
{
    unsigned type = crc->width <= 8 ? 8 : crc->width <= 16 ? 16 : crc->width <= 32 ? 32 : 64;
    unsigned row = type == 64 ? 4 : 8, left = type - crc->width;
    uint64_t init = crc->reflect_in ? zg_bits_reversed(crc->init, crc->width) : crc->init << left;
    int digits = (int)type / 4;
    GString *text = g_string_new("#include <stddef.h>\n#include <stdint.h>\n\n");

    g_string_append_printf(text,
                           "/* %s%s%u bits, polynomial 0x%" G_GINT64_MODIFIER "x, initial value 0x%" G_GINT64_MODIFIER
                           "x, bytes %sreflected, result %sreflected, final XOR 0x%" G_GINT64_MODIFIER "x */\n",
                           crc->name ? crc->name : "", crc->name ? ": " : "", crc->width, crc->poly, crc->init,
                           crc->reflect_in ? "" : "not ", crc->reflect_out ? "" : "not ", crc->xor_out);
    g_string_append_printf(text, "static const uint%u_t crc_table[256] = {\n", type);
    for (unsigned i = 0; i < 256; i++)
        g_string_append_printf(text, "%sUINT%u_C(0x%0*" G_GINT64_MODIFIER "X),%s", i % row == 0 ? "    " : " ", type,
                               digits, entry(crc, type, i), i % row == row - 1 ? "\n" : "");
    g_string_append_printf(text,
                           "};\n\nuint%u_t crc(const uint8_t *bytes, size_t count)\n{\n"
                           "    uint%u_t reg = UINT%u_C(0x%0*" G_GINT64_MODIFIER "X);\n"
                           "    size_t i;\n\n    for (i = 0; i < count; i++)\n",
                           type, type, type, digits, init);
    if (type == 8)
        g_string_append(text, "        reg = crc_table[(uint8_t)(reg ^ bytes[i])];\n");
    else if (crc->reflect_in)
        g_string_append_printf(text, "        reg = (uint%u_t)((reg >> 8) ^ crc_table[(uint8_t)(reg ^ bytes[i])]);\n",
                               type);
    else
        g_string_append_printf(
            text, "        reg = (uint%u_t)((uint%u_t)(reg << 8) ^ crc_table[(uint8_t)((reg >> %u) ^ bytes[i])]);\n",
            type, type, type - 8);
    if (!crc->reflect_in && left > 0)
        g_string_append_printf(text, "    reg = (uint%u_t)(reg >> %u);\n", type, left);
    if (crc->reflect_in != crc->reflect_out)
        g_string_append_printf(text,
                               "    {\n        uint%u_t turned = 0;\n        for (i = 0; i < %u; i++)\n"
                               "            if ((reg >> i & 1) != 0)\n"
                               "                turned = (uint%u_t)(turned | (uint%u_t)((uint%u_t)1 << (%u - i)));\n"
                               "        reg = turned;\n    }\n",
                               type, crc->width, type, type, type, crc->width - 1);
    g_string_append_printf(text, "    return (uint%u_t)(reg ^ UINT%u_C(0x%0*" G_GINT64_MODIFIER "X));\n}\n", type, type,
                           digits, crc->xor_out);
    return g_string_free(text, FALSE);
}
