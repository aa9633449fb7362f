/* SPDX-License-Identifier: MIT */
#include "definition/read.h"

/* --- the frame */

/* zgi_read_frame() reads it before all other keys. */
static void skip_byte_order(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    (void)entry;
    (void)into;
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

static void read_coding(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "hex", "HEX", NULL };
    unsigned index;

    if (zgi_read_choice(reader, entry->value, "a coding", words, &index))
        ((struct zg_definition *)into)->framing.coding = index == 0 ? ZG_CODING_LOWER : ZG_CODING_UPPER;
}

static void read_frame_layout(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_layout(reader, entry->value, true, &((struct zg_definition *)into)->layout);
}

const struct zgi_key zgi_frame_keys[] = {
    { "framing", true, zgi_read_framing, "framing",
      "How frames are separated: cobs, slip, hdlc, length, marks, fixed, gap or packet" },
    { "coding", false, read_coding, "coding", "hex or HEX: contents are sent as hex digits; default: as they are" },
    { "byte_order", false, skip_byte_order, "byte_order", "Byte order of numbers: little (default) or big" },
    { "header", false, zgi_read_header, "header", "Roles before the payload, [version: u3, id: u5, sequence: u8]" },
    { "check", true, zgi_read_check, "check", "Check after the payload: a name, or the parameters of a CRC" },
    { "max_payload", false, read_max_payload, "max_payload",
      "Bytes before stuffing that every message must fit; absent: the largest message's" },
    { "layout", false, read_frame_layout, "whole_layout",
      "How the fields of all messages without a layout of their own are arranged" },
    { "max_frame", false, read_max_frame, "max_frame", "Bytes on the wire, with the worst stuffing; absent: no limit" },
    { 0 }
};

void zgi_read_frame(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;

    yaml_node_t *order = zgi_lookup(reader, entry->value, "byte_order");

    definition->frame_place = entry->place;
    if (order) /* other keys of the mapping depend on it */
        zgi_read_order(reader, order, &definition->big_endian);
    definition->check.big_endian = definition->big_endian;
    zgi_read_mapping(reader, entry->value, entry->place, "the frame", zgi_frame_keys, definition);
}
