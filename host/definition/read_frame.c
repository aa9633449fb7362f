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
    const uint64_t longest_ns = UINT64_C(1800000000000); /* half the range of a 32-bit microsecond clock */

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

/* A time that must not be 0: 0 would mean none, which is said by leaving the key out. */
static void read_watch(struct zgi_reader *reader, const struct zgi_entry *entry, uint64_t *nanoseconds)
{
    zgi_read_clocked_time(reader, entry, nanoseconds);
    if (*nanoseconds == 0)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "%s of 0; omit the key for none", entry->key);
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

static struct zg_clock *clock_of(void *into)
{
    return &((struct zg_definition *)into)->line.clock;
}

static void read_clock_device(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char expected[] = "a frequency with its unit (16 MHz, 32.768 kHz)";
    const char *text = zgi_scalar(reader, entry->value, expected);
    if (text && !zg_parse_frequency(text, &clock_of(into)->device_hz))
        zgi_error(reader->diagnostics, zgi_place(entry->value), "expected %s, found \"%s\"", expected, text);
}

static void read_tolerance(struct zgi_reader *reader, const struct zgi_entry *entry, double *part)
{
    static const char expected[] = "a tolerance of at most 50 % (1 %, 50 ppm)";
    const char *text = zgi_scalar(reader, entry->value, expected);
    if (text && !zg_parse_tolerance(text, part))
        zgi_error(reader->diagnostics, zgi_place(entry->value), "expected %s, found \"%s\"", expected, text);
}

static void read_device_tolerance(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_tolerance(reader, entry, &clock_of(into)->device_tolerance);
}

static void read_host_tolerance(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_tolerance(reader, entry, &clock_of(into)->host_tolerance);
}

static void read_divider(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char expected[] = "16 or 8 samples a bit, with fraction bits as in 16+4";
    const char *text = zgi_scalar(reader, entry->value, expected);
    if (text && !zg_parse_divider(text, &clock_of(into)->divider))
        zgi_error(reader->diagnostics, zgi_place(entry->value), "expected %s, found \"%s\"", expected, text);
}

const struct zgi_key zgi_clock_keys[] = {
    { "device", false, read_clock_device, "frequency", "The device's clock, from which its UART makes the rate" },
    { "device_tolerance", false, read_device_tolerance, "tolerance", "How far that clock may be off; default 0" },
    { "host_tolerance", false, read_host_tolerance, "tolerance", "How far the host's rate may be off; default 0" },
    { "divider", false, read_divider, "divider", "Samples a bit, 16 or 8, and fraction bits: 16+4; default 16" },
    { 0 }
};

static void read_clock(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_mapping(reader, entry->value, entry->place, "the clock", zgi_clock_keys, into);
}

const struct zgi_key zgi_line_keys[] = {
    { "baud", false, read_baud, "baud", "Bits a second; default 115200" },
    { "format", false, read_format, "format", "Data bits, parity N E O M or S, stop bits 1, 1.5 or 2; default 8N1" },
    { "duplex", false, read_duplex, "duplex", "full (default) or half" },
    { "gap", false, read_gap, "time", "Least idle time that a sender leaves between frames; default none" },
    { "byte_timeout", false, read_byte_timeout, "time", "Silence within a frame that abandons it; default 20 ms" },
    { "keepalive", false, read_keepalive, "positive_time", "An idle node sends hello this often; absent: never" },
    { "link_timeout", false, read_link_timeout, "positive_time",
      "Silence after which the link is reported down; absent: never" },
    { "clock", false, read_clock, "clock", "The clocks of both ends, for zeugma timing" },
    { 0 }
};

void zgi_read_line(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    ((struct zg_definition *)into)->line.place = entry->place;
    zgi_read_mapping(reader, entry->value, entry->place, "the line", zgi_line_keys, into);
}

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
