/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

static void read_baud(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    zgi_read_unsigned(reader, entry->value, "a baud rate", 50, 100000000, &definition->line.baud);
}

/* --- format */

static struct zg_line *line_of(void *into)
{
    return &((struct zg_definition *)into)->line;
}

static const char *const stop_words[] = { "1", "1.5", "2", NULL };

static void set_data_bits(struct zgi_reader *reader, struct zg_line *line, const yaml_node_t *node, unsigned bits)
{
    if (bits == 9)
        zgi_error(reader->diagnostics, zgi_place(node),
                  "a character of 9 data bits carries no byte; expected 8, 5 to 7 where the bytes fit, or 4");
    else
        line->data_bits = bits;
}

/* The short form: data bits, parity, stop bits: "8N1", "7E1.5" */
static void read_short_format(struct zgi_reader *reader, yaml_node_t *node, struct zg_line *line)
{
    static const char expected[] =
        "a line format such as 8N1: 4 to 8 data bits, parity N E O M or S, stop bits 1, 1.5 or 2";
    const char *text = zgi_scalar(reader, node, expected);

    if (!text)
        return;
    unsigned bits;
    if (zg_parse_format(text, &bits, &line->parity, &line->half_stops))
        set_data_bits(reader, line, node, bits);
    else
        zgi_error(reader->diagnostics, zgi_place(node), "expected %s, found \"%s\"", expected, text);
}

static void read_data(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    uint64_t bits;
    if (zgi_read_unsigned(reader, entry->value, "data bits", 4, 9, &bits))
        set_data_bits(reader, line_of(into), entry->value, (unsigned)bits);
}

static void read_parity(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "none", "even", "odd", "mark", "space", NULL };
    unsigned index;
    if (zgi_read_choice(reader, entry->value, "a parity", words, &index))
        line_of(into)->parity = "NEOMS"[index];
}

static void read_stop(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    unsigned index;
    if (zgi_read_choice(reader, entry->value, "stop bits", stop_words, &index))
        line_of(into)->half_stops = 2 + index;
}

static bool read_either(struct zgi_reader *reader, const struct zgi_entry *entry, const char *what, const char *usual,
                        const char *other, bool *is_other)
{
    const char *const words[] = { usual, other, NULL };
    unsigned index;
    const bool good = zgi_read_choice(reader, entry->value, what, words, &index);
    if (good)
        *is_other = index == 1;
    return good;
}

static void read_bit_order(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)read_either(reader, entry, "the bit that goes first", "lsb", "msb", &line_of(into)->msb_first);
}

static void read_idle(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)read_either(reader, entry, "a level", "high", "low", &line_of(into)->idle_low);
}

/* Read once the idle level is known. */
static void read_stop_level(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    bool low;
    if (read_either(reader, entry, "a level", "high", "low", &low))
        line_of(into)->stop_level = low ? ZG_STOP_LOW : ZG_STOP_HIGH;
}

const struct zgi_key zgi_format_keys[] = {
    { "data", false, read_data, "data_bits",
      "Data bits of a character, 5 to 8, or 4: a byte is two characters; default 8" },
    { "parity", false, read_parity, "parity", "none (default), even, odd, mark or space" },
    { "stop", false, read_stop, "stop_bits", "Stop bits: 1 (default), 1.5 or 2" },
    { "order", false, read_bit_order, "bit_order", "Which data bit goes first: lsb (default) or msb" },
    { "idle", false, read_idle, "level", "The level between characters: high (default) or low" },
    { "stop_level", false, read_stop_level, "level",
      "The level of stop bits; if not the idle one, a bit of that follows them" },
    { 0 }
};

static void read_format(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    line_of(into)->format_place = zgi_place(entry->value);
    if (entry->value->type == YAML_MAPPING_NODE)
        zgi_read_mapping(reader, entry->value, entry->place, "the format", zgi_format_keys, into);
    else
        read_short_format(reader, entry->value, line_of(into));
}

/* --- clocked lines and carriers */

static void read_line_kind(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)read_either(reader, entry, "a kind of line", "async", "clocked", &line_of(into)->is_clocked);
}

static void read_frequency(struct zgi_reader *reader, const struct zgi_entry *entry, double *hertz)
{
    static const char expected[] = "a frequency with its unit (16 MHz, 32.768 kHz)";
    const char *text = zgi_scalar(reader, entry->value, expected);
    if (text && (!g_str_has_suffix(text, "Hz") || !zg_parse_frequency(text, hertz)))
        zgi_error(reader->diagnostics, zgi_place(entry->value), "expected %s, found \"%s\"", expected, text);
}

static void read_carrier(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    line_of(into)->carrier_place = entry->place;
    read_frequency(reader, entry, &line_of(into)->carrier_hz);
}

static void read_edge(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)read_either(reader, entry, "an edge", "falling", "rising", &line_of(into)->pair.samples_rising);
}

static void read_pair_order(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    bool is_msb;
    if (read_either(reader, entry, "the bit that goes first", "lsb", "msb", &is_msb))
        line_of(into)->pair.lsb_first = !is_msb;
}

static void read_pair_idle(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)read_either(reader, entry, "a level", "low", "high", &line_of(into)->pair.idle_high);
}

static void read_byte_gap(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_clocked_time(reader, entry, &line_of(into)->pair.byte_gap_ns);
}

const struct zgi_key zgi_pair_keys[] = {
    { "edge", false, read_edge, "clock_edge", "The clock edge at which data is sampled: falling (default) or rising" },
    { "order", false, read_pair_order, "bit_order", "Which bit of a byte goes first: msb (default) or lsb" },
    { "idle", false, read_pair_idle, "level", "The clock's level between bytes: low (default) or high" },
    { "byte_gap", true, read_byte_gap, "time", "Least pause between bytes, at least 4 clocks" },
    { 0 }
};

static void read_pair(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    line_of(into)->pair_place = entry->place;
    zgi_read_mapping(reader, entry->value, entry->place, "the pair", zgi_pair_keys, into);
}

/* --- times */

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

static void read_idle_gap(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
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
    return &line_of(into)->clock;
}

static void read_clock_device(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_frequency(reader, entry, &clock_of(into)->device_hz);
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
    { "kind", false, read_line_kind, "line_kind", "async (default), or clocked: a data and a clock wire" },
    { "format", false, read_format, "format", "Data bits, parity N E O M or S, stop bits 1, 1.5 or 2; default 8N1" },
    { "duplex", false, read_duplex, "duplex", "full (default) or half" },
    { "gap", false, read_idle_gap, "time", "Least idle time that a sender leaves between frames; default none" },
    { "byte_timeout", false, read_byte_timeout, "time", "Silence within a frame that abandons it; default 20 ms" },
    { "keepalive", false, read_keepalive, "positive_time", "An idle node sends hello this often; absent: never" },
    { "link_timeout", false, read_link_timeout, "positive_time",
      "Silence after which the link is reported down; absent: never" },
    { "clock", false, read_clock, "clock", "The clocks of both ends, for zeugma timing" },
    { "carrier", false, read_carrier, "frequency", "A low level is sent as this carrier, a high one as nothing" },
    { "pair", false, read_pair, "pair", "Of a clocked line: the sampling edge, bit order, idle level and byte_gap" },
    { 0 }
};

/* --- what excludes what */

static void check_async(struct zgi_reader *reader, struct zg_line *line)
{
    line->stop_opposite = line->stop_level != ZG_STOP_AS_IDLE && (line->stop_level == ZG_STOP_LOW) != line->idle_low;
    if (line->pair_place.line)
        zgi_error(reader->diagnostics, line->pair_place, "pair belongs to a line of kind clocked; add kind: clocked");
    if (line->carrier_hz > 0 && line->idle_low)
        zgi_error(reader->diagnostics, line->carrier_place,
                  "with a carrier the line idles high, which is no carrier; omit idle: low");
    if (line->carrier_hz > 0 && line->carrier_hz < 4 * (double)line->baud)
        zgi_error(reader->diagnostics, line->carrier_place,
                  "a carrier of %g Hz has under 4 periods a bit at %" G_GUINT64_FORMAT
                  " baud; expected %" G_GUINT64_FORMAT " Hz or more",
                  line->carrier_hz, line->baud, 4 * line->baud);
}

static void check_clocked(struct zgi_reader *reader, const struct zg_line *line)
{
    const struct zg_pair *pair = &line->pair;

    if (line->format_place.line)
        zgi_error(reader->diagnostics, line->format_place,
                  "a clocked line has no start and stop bits; omit format, and give the bit order in pair");
    if (line->carrier_place.line)
        zgi_error(reader->diagnostics, line->carrier_place, "a clocked line has no carrier; omit it");
    if (!line->pair_place.line)
        zgi_error(reader->diagnostics, line->place,
                  "a clocked line needs pair with byte_gap, the least pause between bytes: { byte_gap: 40 us }");
    else if (pair->byte_gap_ns > 0 && pair->byte_gap_ns * line->baud < UINT64_C(4000000000))
        zgi_error(reader->diagnostics, line->pair_place,
                  "a byte_gap of %.4g us is under 4 clocks at %" G_GUINT64_FORMAT
                  " baud, and a receiver could not tell it from a bit; expected %.4g us or more",
                  (double)pair->byte_gap_ns / 1e3, line->baud, 4e6 / (double)line->baud);
}

void zgi_read_line(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_line *line = line_of(into);

    line->place = entry->place;
    zgi_read_mapping(reader, entry->value, entry->place, "the line", zgi_line_keys, into);
    if (line->is_clocked)
        check_clocked(reader, line);
    else
        check_async(reader, line);
}
