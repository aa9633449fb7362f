/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

/* --- the line */

static void read_baud(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    zgi_read_unsigned(reader, entry->value, "a baud rate", 50, 100000000, &definition->line.baud);
}

/* format = data bits, parity, stop bits: "8N1", "7E1.5" */
static void read_format(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_line *line = &((struct zg_definition *)into)->line;
    static const char expected[] = "a line format such as 8N1: data bits, parity N E O M or S, stop bits 1, 1.5 or 2";
    static const char *const stops[] = { "1", "1.5", "2", NULL };
    const char *text = zgi_scalar(reader, entry->value, expected);

    if (!text)
        return;
    size_t length = strlen(text);
    const char *stop = length >= 3 ? text + 2 : "";
    if (text[0] < '5' || text[0] > '9' || !strchr("NEOMS", text[1]) || !g_strv_contains(stops, stop)) {
        zgi_error(reader->diagnostics, zgi_place(entry->value), "expected %s, found \"%s\"", expected, text);
        return;
    }
    if (text[0] != '8')
        zgi_error(reader->diagnostics, zgi_place(entry->value),
                  "a line of %c data bits cannot carry frames of bytes; expected 8, as in 8%s", text[0], text + 1);
    line->parity = text[1];
    line->half_stops = strcmp(stop, "1") == 0 ? 2 : strcmp(stop, "2") == 0 ? 4 : 3;
}

void zgi_read_clocked_time(struct zgi_reader *reader, const struct zgi_entry *entry, uint64_t *nanoseconds)
{
    const uint64_t longest_ns = UINT64_C(1800000000000); /* half of what a 32-bit microsecond clock tells apart */

    if (zgi_read_time(reader, entry->value, entry->key, nanoseconds) && *nanoseconds > longest_ns)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "%s is over 30 min; choose a shorter one", entry->key);
}

static void read_duplex(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "full", "half", NULL };
    unsigned index;
    if (zgi_read_choice(reader, entry->value, "a duplex", words, &index))
        ((struct zg_definition *)into)->line.half_duplex = index == 1;
}

static void read_gap(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_clocked_time(reader, entry, &((struct zg_definition *)into)->line.gap_ns);
}

static void read_byte_timeout(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_clocked_time(reader, entry, &((struct zg_definition *)into)->line.byte_timeout_ns);
}

/* A time that 0 would make absent, which leaving the key out says. */
static void read_watch(struct zgi_reader *reader, const struct zgi_entry *entry, uint64_t *nanoseconds)
{
    zgi_read_clocked_time(reader, entry, nanoseconds);
    if (*nanoseconds == 0)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "%s of 0; leave the key out for none", entry->key);
}

static void read_keepalive(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_line *line = &((struct zg_definition *)into)->line;
    line->keepalive_place = entry->place;
    line->keepalive_ns = 1;
    read_watch(reader, entry, &line->keepalive_ns);
}

static void read_link_timeout(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_line *line = &((struct zg_definition *)into)->line;
    line->link_timeout_ns = 1;
    read_watch(reader, entry, &line->link_timeout_ns);
}

const struct zgi_key zgi_line_keys[] = {
    { "baud", false, read_baud, "baud", "Bits a second; default 115200" },
    { "format", false, read_format, "format", "Data bits, parity N E O M or S, stop bits 1, 1.5 or 2; default 8N1" },
    { "duplex", false, read_duplex, "duplex", "full (default) or half" },
    { "gap", false, read_gap, "time", "Least idle time that a sender leaves between frames; default none" },
    { "byte_timeout", false, read_byte_timeout, "time", "Silence inside a frame that abandons it; default 20 ms" },
    { "keepalive", false, read_keepalive, "positive_time", "An idle node sends hello this often; absent: never" },
    { "link_timeout", false, read_link_timeout, "positive_time",
      "Silence after which the link is reported down; absent: never" },
    { 0 }
};

void zgi_read_line(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    ((struct zg_definition *)into)->line.place = entry->place;
    zgi_read_mapping(reader, entry->value, entry->place, "the line", zgi_line_keys, into);
}

/* --- the frame */

static void read_framing_word(struct zgi_reader *reader, yaml_node_t *node)
{
    static const char *const kinds[] = { "cobs", "slip", "hdlc", "length", "marks", "fixed", "gap", NULL };
    unsigned index;

    if (zgi_read_choice(reader, node, "a framing", kinds, &index) && index != 0)
        zgi_error(reader->diagnostics, zgi_place(node),
                  "the framing \"%s\" is part of the language but not supported by this version yet; expected cobs",
                  kinds[index]);
}

static void read_framing_kind(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)into;
    read_framing_word(reader, entry->value);
}

const struct zgi_key zgi_framing_keys[] = { { "kind", true, read_framing_kind, "framing_kind", "The framing: cobs" },
                                            { "lead", false, NULL, "bool", "A delimiter in front of each frame, too" },
                                            { 0 } };

static void read_framing(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    if (entry->value->type == YAML_MAPPING_NODE)
        zgi_read_mapping(reader, entry->value, entry->place, "the framing", zgi_framing_keys, into);
    else
        read_framing_word(reader, entry->value);
}

/* Read before all other keys by zgi_read_frame(). */
static void skip_byte_order(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    (void)entry;
    (void)into;
}

/* --- the check */

/* A check given by its parameters; a value too wide is told once the width is known. */
struct check_reading {
    struct zg_definition *definition;
    yaml_node_t *poly, *init, *xor_out;
    yaml_node_t *name;
};

static bool known_check(struct zgi_reader *reader, yaml_node_t *node, struct zg_definition *definition)
{
    const char *word = zgi_scalar(reader, node, "the name of a check");

    if (!word)
        return false;
    const struct zg_crc_parameters *known = zg_crc_by_name(word);
    if (known) {
        definition->check = *known;
        definition->check_name = g_strdup(word);
        return true;
    }
    const struct zg_sum *sum = zg_sum_by_name(word);
    if (sum) {
        definition->check_kind = sum->kind;
        definition->check.width = sum->width;
        definition->check_name = g_strdup(word);
        return true;
    }
    g_autoptr(GPtrArray) names = g_ptr_array_new();
    for (unsigned i = 0; i < zg_crc_table_length; i++)
        g_ptr_array_add(names, (gpointer)zg_crc_table[i].name);
    for (unsigned i = 0; i < zg_sum_table_length; i++)
        g_ptr_array_add(names, (gpointer)zg_sum_table[i].name);
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(word, (const char *const *)names->pdata);
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
        ((struct check_reading *)into)->definition->check.width = (unsigned)width;
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
    zgi_read_bool(reader, entry->value, "reflect_in", &((struct check_reading *)into)->definition->check.reflect_in);
}

static void read_reflect_out(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_bool(reader, entry->value, "reflect_out", &((struct check_reading *)into)->definition->check.reflect_out);
}

static void read_check_order(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_order(reader, entry->value, &((struct check_reading *)into)->definition->check_big_endian);
}

static void read_covers(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "content", "payload", "all", NULL };
    unsigned index;
    if (zgi_read_choice(reader, entry->value, "what the check covers", words, &index))
        ((struct check_reading *)into)->definition->check_covers = (enum zg_covers)index;
}

const struct zgi_key zgi_named_check_keys[] = {
    { "name", true, keep_check_name, "check_name", "Name of a check" },
    { "order", false, read_check_order, "byte_order", "Byte order of the check; default the frame's" },
    { "covers", false, read_covers, "covers",
      "What it covers: content (default), payload, or all: sync and start bytes, too" },
    { 0 }
};

const struct zgi_key zgi_crc_keys[] = {
    { "crc", true, read_crc_width, "crc_width", "Width of the CRC in bits, 3 to 64" },
    { "poly", true, keep_poly, "natural", "Polynomial without its highest term, as published" },
    { "init", false, keep_init, "natural", "Initial value; default 0" },
    { "reflect_in", false, read_reflect_in, "bool", "Bytes are taken lowest bit first; default false" },
    { "reflect_out", false, read_reflect_out, "bool", "The result is reversed; default false" },
    { "xor_out", false, keep_xor_out, "natural", "XORed to the result; default 0" },
    { "order", false, read_check_order, "byte_order", "Byte order of the check; default the frame's" },
    { "covers", false, read_covers, "covers",
      "What it covers: content (default), payload, or all: sync and start bytes, too" },
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

static void read_check(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    struct check_reading reading = { .definition = definition };

    definition->check_place = zgi_place(entry->value);
    if (entry->value->type != YAML_MAPPING_NODE) {
        known_check(reader, entry->value, definition);
        return;
    }
    if (zgi_lookup(reader, entry->value, "name")) {
        zgi_read_mapping(reader, entry->value, entry->place, "the check", zgi_named_check_keys, &reading);
        if (reading.name)
            known_check(reader, reading.name, definition);
        return;
    }
    zgi_read_mapping(reader, entry->value, entry->place, "the check", zgi_crc_keys, &reading);
    unsigned width = definition->check.width;
    if (width == 0)
        return;
    read_crc_value(reader, reading.poly, "poly", width, &definition->check.poly);
    read_crc_value(reader, reading.init, "init", width, &definition->check.init);
    read_crc_value(reader, reading.xor_out, "xor_out", width, &definition->check.xor_out);
}

/* --- sizes */

static void read_max_payload(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_unsigned(reader, entry->value, "max_payload in bytes", 1, 65535,
                      &((struct zg_definition *)into)->max_payload);
}

static void read_max_frame(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_unsigned(reader, entry->value, "max_frame in bytes", 1, 1000000,
                      &((struct zg_definition *)into)->max_frame);
}

const struct zgi_key zgi_frame_keys[] = {
    { "framing", true, read_framing, "framing", "How a frame is told from the next: cobs" },
    { "byte_order", false, skip_byte_order, "byte_order", "Byte order of numbers: little (default) or big" },
    { "header", false, zgi_read_header, "header",
      "Roles in front of the payload, [version: u3, id: u5, sequence: u8]" },
    { "check", true, read_check, "check", "Check behind the payload: a name, or the parameters of a CRC" },
    { "max_payload", false, read_max_payload, "max_payload",
      "Bytes before stuffing that every message must fit; absent: the largest message" },
    { "max_frame", false, read_max_frame, "max_frame", "Bytes on the wire, stuffing at its worst; absent: no limit" },
    { 0 }
};

void zgi_read_frame(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;

    yaml_node_t *order = zgi_lookup(reader, entry->value, "byte_order");

    definition->frame_place = entry->place;
    if (order) /* what else the mapping holds depends on it */
        zgi_read_order(reader, order, &definition->big_endian);
    definition->check_big_endian = definition->big_endian;
    zgi_read_mapping(reader, entry->value, entry->place, "the frame", zgi_frame_keys, definition);
}
