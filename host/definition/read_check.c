/* SPDX-License-Identifier: MIT */
/* The check: by name, or by a CRC's parameters. */
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

/* A check given by its parameters. Values that are too wide are reported once the width is known. */
struct check_reading {
    struct zg_check_choice *choice;
    yaml_node_t *poly, *init, *xor_out;
    yaml_node_t *name;
    struct zg_place order_place, case_place; /* line 0: not given */
};

GPtrArray *zg_check_names(void)
{
    GPtrArray *names = g_ptr_array_new();

    for (unsigned i = 0; i < zg_crc_table_length; i++)
        g_ptr_array_add(names, (gpointer)zg_crc_table[i].name);
    for (unsigned i = 0; i < zg_sum_table_length; i++)
        g_ptr_array_add(names, (gpointer)zg_sum_table[i].name);
    g_ptr_array_add(names, (gpointer) "none");
    g_ptr_array_add(names, NULL);
    return names;
}

/* Other spellings of named checks, from manuals and headers, and which name is usual for them. None is accepted
 * silently, because several of them mean different checks in different places. */
static const struct {
    const char *spelling; /* lower case, without punctuation */
    const char *names;
} other_spellings[] = {
    { "crc8", "crc8/smbus, crc8/maxim-dow, crc8/autosar or crc8/sae-j1850" },
    { "crc8ccitt", "crc8/smbus" },
    { "crc8dallas", "crc8/maxim-dow" },
    { "crc8maxim", "crc8/maxim-dow" },
    { "crc16", "crc16/arc, crc16/modbus, crc16/ibm-3740, crc16/xmodem or crc16/kermit" },
    { "crc16ibm", "crc16/arc" },
    { "crc16ansi", "crc16/arc" },
    { "crc16lha", "crc16/arc" },
    { "crc16ccitt", "crc16/ibm-3740, crc16/kermit or crc16/xmodem" },
    { "crcccitt", "crc16/ibm-3740, crc16/kermit or crc16/xmodem" },
    { "ccitt", "crc16/ibm-3740, crc16/kermit or crc16/xmodem" },
    { "crc16ccittfalse", "crc16/ibm-3740" },
    { "ccittfalse", "crc16/ibm-3740" },
    { "crc16autosar", "crc16/ibm-3740" },
    { "crc16x25", "crc16/ibm-sdlc" },
    { "x25", "crc16/ibm-sdlc" },
    { "crc16hdlc", "crc16/ibm-sdlc" },
    { "fcs16", "crc16/ibm-sdlc" },
    { "modbus", "crc16/modbus" },
    { "xmodem", "crc16/xmodem" },
    { "kermit", "crc16/kermit" },
    { "crc24", "crc24/openpgp or crc24/ble" },
    { "crc32", "crc32/iso-hdlc (the one of most files and networks) or crc32/mpeg-2" },
    { "crc32ieee", "crc32/iso-hdlc" },
    { "crc32ethernet", "crc32/iso-hdlc" },
    { "crc32zip", "crc32/iso-hdlc" },
    { "crc32zlib", "crc32/iso-hdlc" },
    { "crc32c", "crc32/iscsi" },
    { "crc32castagnoli", "crc32/iscsi" },
    { "crc32posix", "crc32/cksum" },
    { "crc64", "crc64/xz or crc64/ecma-182" },
    { "checksum", "sum8, xor8, fletcher16 or internet" },
    { "checksum8", "sum8" },
    { "sum", "sum8" },
    { "xor", "xor8" },
    { "lrc", "xor8 or sum8/negated" },
    { "bcc", "xor8" },
    { "fletcher", "fletcher16" },
    { "adler", "adler32" },
};

/* What was probably meant: the names for another spelling, the CRCs of the same width, or the nearest word. Free with
 * g_free(). */
static char *check_hint(const char *word)
{
    g_autoptr(GPtrArray) names = zg_check_names();
    g_autoptr(GString) plain = g_string_new(NULL);
    g_autoptr(GString) alike = g_string_new(NULL);
    const char *nearest = zg_word_nearest(word, (const char *const *)names->pdata);

    for (const char *c = word; *c; c++)
        if (g_ascii_isalnum(*c))
            g_string_append_c(plain, g_ascii_tolower(*c));
    for (size_t i = 0; i < G_N_ELEMENTS(other_spellings); i++)
        if (strcmp(plain->str, other_spellings[i].spelling) == 0)
            return g_strdup_printf("; did you mean %s? zeugma crc distinguishes them by a value",
                                   other_spellings[i].names);
    const unsigned width =
        g_str_has_prefix(plain->str, "crc") ? (unsigned)g_ascii_strtoull(plain->str + 3, NULL, 10) : 0;
    for (unsigned i = 0; i < zg_crc_table_length; i++) {
        const bool same = zg_crc_table[i].width == width;
        if (same)
            g_string_append_printf(alike, "%s%s", alike->len > 0 ? ", " : "", zg_crc_table[i].name);
        if (nearest && strcmp(nearest, zg_crc_table[i].name) == 0 && width != 0 && !same)
            nearest = NULL; /* only the letters are alike */
    }
    if (nearest)
        return g_strdup_printf("; did you mean \"%s\"?", nearest);
    if (alike->len > 0)
        return g_strdup_printf("; with this width there are %s", alike->str);
    return zg_word_hint(word, (const char *const *)names->pdata);
}

static bool known_check(struct zgi_reader *reader, yaml_node_t *node, struct zg_check_choice *choice)
{
    const char *word = zgi_scalar(reader, node, "the name of a check");

    if (!word)
        return false;
    const struct zg_crc_parameters *known = zg_crc_by_name(word);
    if (known) {
        choice->crc = *known;
        choice->name = g_strdup(word);
        return true;
    }
    const struct zg_sum *sum = zg_sum_by_name(word);
    if (sum || strcmp(word, "none") == 0) {
        choice->kind = sum ? ZG_CHECK_SUM : ZG_CHECK_NONE;
        choice->crc.width = sum ? sum->width : 0;
        choice->sum = sum;
        choice->name = g_strdup(word);
        return true;
    }
    g_autofree char *hint = check_hint(word);
    zgi_error(reader->diagnostics, zgi_place(node), "unknown check \"%s\"%s", word, hint);
    return false;
}

static void keep_check_name(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    ((struct check_reading *)into)->name = entry->value;
}

static void read_crc_width(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    uint64_t width;
    if (zgi_read_unsigned(reader, entry->value, "a CRC's width in bits", 3, 64, &width))
        ((struct check_reading *)into)->choice->crc.width = (unsigned)width;
}

static void keep_poly(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    ((struct check_reading *)into)->poly = entry->value;
}

static void keep_init(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    ((struct check_reading *)into)->init = entry->value;
}

static void keep_xor_out(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    ((struct check_reading *)into)->xor_out = entry->value;
}

static void read_reflect_in(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_bool(reader, entry->value, "reflect_in", &((struct check_reading *)into)->choice->crc.reflect_in);
}

static void read_reflect_out(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_bool(reader, entry->value, "reflect_out", &((struct check_reading *)into)->choice->crc.reflect_out);
}

static void read_check_order(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct check_reading *reading = into;

    reading->order_place = entry->place;
    zgi_read_order(reader, entry->value, &reading->choice->big_endian);
}

static void read_covers(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "content", "payload", "all", "after_start", NULL };
    unsigned index;
    if (zgi_read_choice(reader, entry->value, "what the check covers", words, &index))
        ((struct check_reading *)into)->choice->covers = (enum zg_covers)index;
}

static void read_as(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "bytes", "hex", "decimal", NULL };
    unsigned index;
    if (zgi_read_choice(reader, entry->value, "how the check is written", words, &index))
        ((struct check_reading *)into)->choice->as = (enum zg_check_as)index;
}

static void read_case(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "upper", "lower", NULL };
    struct check_reading *reading = into;
    unsigned index;

    reading->case_place = entry->place;
    if (zgi_read_choice(reader, entry->value, "the case of the check's digits", words, &index))
        reading->choice->lower = index == 1;
}

static void read_after(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_mark *after = &((struct check_reading *)into)->choice->after;
    (void)zgi_read_bytes(reader, entry->value, "after", ZG_CHECK_AFTER_MAX, after->bytes, &after->size);
}

static void read_place(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "before_end", "after_end", NULL };
    unsigned index;
    if (zgi_read_choice(reader, entry->value, "where the check stands", words, &index))
        ((struct check_reading *)into)->choice->after_end = index == 1;
}

/* clang-format off */
#define SHARED_KEYS \
    { "covers", false, read_covers, "covers", \
      "What it covers: content (default), payload, all: start and end marks as well, or after_start" }, \
    { "as", false, read_as, "check_as", "How it is written: bytes (default), hex or decimal digits" }, \
    { "case", false, read_case, "case", "Of hex digits that are sent: upper (default) or lower; either is taken" }, \
    { "after", false, read_after, "after", "Up to 8 bytes in front of it, which it never covers" }, \
    { "place", false, read_place, "check_place", "before_end (default), or after_end: behind the end mark" }
/* clang-format on */

const struct zgi_key zgi_named_check_keys[] = { { "name", true, keep_check_name, "check_name", "Name of a check" },
                                                { "order", false, read_check_order, "byte_order",
                                                  "Byte order of the check; default: the frame's" },
                                                SHARED_KEYS,
                                                { 0 } };

const struct zgi_key zgi_crc_keys[] = {
    { "crc", true, read_crc_width, "crc_width", "Width of the CRC in bits, 3 to 64" },
    { "poly", true, keep_poly, "natural", "Polynomial without its highest term, as published" },
    { "init", false, keep_init, "natural", "Initial value; default 0" },
    { "reflect_in", false, read_reflect_in, "bool", "Bytes enter lowest bit first; default false" },
    { "reflect_out", false, read_reflect_out, "bool", "The result is reversed; default false" },
    { "xor_out", false, keep_xor_out, "natural", "XORed with the result; default 0" },
    { "order", false, read_check_order, "byte_order", "Byte order of the check; default: the frame's" },
    SHARED_KEYS,
    { 0 }
};

static void read_crc_value(struct zgi_reader *reader, yaml_node_t *node, const char *what, unsigned width,
                           uint64_t *value)
{
    uint64_t most = width == 64 ? UINT64_MAX : ((uint64_t)1 << width) - 1;
    g_autofree char *name = g_strdup_printf("%s of a %u-bit CRC", what, width);
    if (node)
        zgi_read_unsigned(reader, node, name, 0, most, value);
}

/* What excludes each other in how a check is written. */
static void check_form(struct zgi_reader *reader, const struct check_reading *reading)
{
    const struct zg_check_choice *choice = reading->choice;

    if (choice->as != ZG_CHECK_AS_BYTES && reading->order_place.line > 0)
        zgi_error(reader->diagnostics, reading->order_place,
                  "digits have the most significant one first; order is for a check as bytes");
    if (choice->as != ZG_CHECK_AS_HEX && reading->case_place.line > 0)
        zgi_error(reader->diagnostics, reading->case_place, "only a check with as: hex has a case");
    if (choice->as == ZG_CHECK_AS_DECIMAL && choice->after.size == 0)
        zgi_error(reader->diagnostics, choice->place,
                  "a decimal check has no fixed number of digits; expected after: \"*\" or the like in front of it, "
                  "or as: hex");
    if (choice->as == ZG_CHECK_AS_DECIMAL && choice->after_end)
        zgi_error(reader->diagnostics, choice->place,
                  "behind the end mark the check must have one size; expected as: hex, or place: before_end");
    if (choice->covers == ZG_COVERS_AFTER_START && !choice->after_end)
        zgi_error(
            reader->diagnostics, choice->place,
            "covers: after_start takes the end mark in, so the check stands behind it; expected place: after_end, "
            "or covers: content");
    if (choice->kind == ZG_CHECK_NONE && (choice->after.size > 0 || choice->after_end || choice->as))
        zgi_error(reader->diagnostics, choice->place, "there is no check that could have a form or a place");
}

static void read_choice(struct zgi_reader *reader, const struct zgi_entry *entry, struct zg_check_choice *choice)
{
    struct check_reading reading = { .choice = choice };

    choice->place = zgi_place(entry->value);
    if (entry->value->type != YAML_MAPPING_NODE) {
        known_check(reader, entry->value, choice);
        return;
    }
    if (zgi_lookup(reader, entry->value, "name")) {
        zgi_read_mapping(reader, entry->value, entry->place, "the check", zgi_named_check_keys, &reading);
        if (reading.name)
            known_check(reader, reading.name, choice);
        check_form(reader, &reading);
        return;
    }
    zgi_read_mapping(reader, entry->value, entry->place, "the check", zgi_crc_keys, &reading);
    unsigned width = choice->crc.width;
    if (width == 0)
        return;
    read_crc_value(reader, reading.poly, "poly", width, &choice->crc.poly);
    read_crc_value(reader, reading.init, "init", width, &choice->crc.init);
    read_crc_value(reader, reading.xor_out, "xor_out", width, &choice->crc.xor_out);
    check_form(reader, &reading);
}

void zgi_read_check(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_choice(reader, entry, &((struct zg_definition *)into)->check);
}

bool zg_check_parse(const char *text, struct zg_check_choice *choice, struct zg_diagnostics *diagnostics)
{
    struct zgi_reader reader = { .diagnostics = diagnostics };

    *choice = (struct zg_check_choice){ .kind = ZG_CHECK_CRC };
    if (!zgi_yaml_parse(&reader, text, strlen(text)))
        return false;
    const struct zgi_entry entry = { "check", { 1, 1 }, yaml_document_get_root_node(&reader.document) };
    read_choice(&reader, &entry, choice);
    yaml_document_delete(&reader.document);
    return zg_diagnostics_errors(diagnostics) == 0;
}
