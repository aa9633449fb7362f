/* SPDX-License-Identifier: MIT */
#include "sim/resample.h"

static unsigned bits_of(const struct zg_resampler *line)
{
    return 1 + line->data_bits + line->parity + 1;
}

/* The level of bit `bit` of a byte: start bit low, data least significant bit first, the rest high. */
static bool level_of_bit(const struct zg_resampler *line, uint8_t byte, unsigned bit)
{
    return bit > line->data_bits || (bit > 0 && (byte >> (bit - 1) & 1) != 0);
}

static bool level_at(const struct zg_resampler *line, double at_ns)
{
    for (unsigned i = 0; i < line->count; i++) {
        const unsigned slot = (line->first + i) % ZG_RESAMPLE_KEPT;
        const double since = at_ns - line->starts[slot];
        if (since >= 0 && since < bits_of(line) * line->sent_bit_ns)
            return level_of_bit(line, line->bytes[slot], (unsigned)(since / line->sent_bit_ns));
    }
    return true;
}

/* The next falling edge at or after look_ns. Negative: there is none yet. */
static double next_edge(const struct zg_resampler *line)
{
    for (unsigned i = 0; i < line->count; i++) {
        const unsigned slot = (line->first + i) % ZG_RESAMPLE_KEPT;
        for (unsigned bit = 0; bit < bits_of(line); bit++) {
            const double at = line->starts[slot] + bit * line->sent_bit_ns;
            const bool before = bit == 0 || level_of_bit(line, line->bytes[slot], bit - 1);
            if (at >= line->look_ns && before && !level_of_bit(line, line->bytes[slot], bit))
                return at;
        }
    }
    return -1;
}

/* Drops bytes that end before the receiver's position. */
static void forget(struct zg_resampler *line)
{
    while (line->count > 0 && line->starts[line->first] + bits_of(line) * line->sent_bit_ns <= line->look_ns) {
        line->first = (line->first + 1) % ZG_RESAMPLE_KEPT;
        line->count--;
    }
}

/* Reads what can be read of a line that is known up to `known_ns`. */
static size_t read_on(struct zg_resampler *line, double known_ns, uint8_t *read, size_t room, unsigned *framing)
{
    const unsigned stop = 1 + line->data_bits + line->parity;
    size_t count = 0;

    for (;;) {
        const double edge = next_edge(line);
        const double end = edge + (stop + 0.5) * line->read_bit_ns;
        if (edge < 0 || end > known_ns || count == room)
            return count;
        uint8_t byte = 0;
        for (unsigned bit = 0; bit < line->data_bits; bit++)
            byte = (uint8_t)(byte | level_at(line, edge + (bit + 1.5) * line->read_bit_ns) << bit);
        *framing += !level_at(line, end);
        read[count++] = byte;
        line->look_ns = end;
        forget(line);
    }
}

size_t zg_resample_send(struct zg_resampler *line, double now_ns, uint8_t byte, uint8_t *read, size_t room,
                        unsigned *framing)
{
    const double start = now_ns > line->free_ns ? now_ns : line->free_ns;
    size_t count = read_on(line, start, read, room, framing);

    if (line->count == ZG_RESAMPLE_KEPT) { /* the receiver is too slow for the bytes that are kept */
        line->first = (line->first + 1) % ZG_RESAMPLE_KEPT;
        line->count--;
    }
    const unsigned slot = (line->first + line->count++) % ZG_RESAMPLE_KEPT;
    line->starts[slot] = start;
    line->bytes[slot] = byte;
    line->free_ns = start + bits_of(line) * line->sent_bit_ns;
    return count + read_on(line, line->free_ns, read + count, room - count, framing);
}

size_t zg_resample_idle(struct zg_resampler *line, double now_ns, uint8_t *read, size_t room, unsigned *framing)
{
    return now_ns > line->free_ns ? read_on(line, now_ns, read, room, framing) : 0;
}
