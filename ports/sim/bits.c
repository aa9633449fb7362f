/* SPDX-License-Identifier: MIT */
#include "sim/bits.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "sim/random.h"

/* A byte on the wire. */
struct zg_sent {
    double edge_ps; /* of its start bit, where it is read */
    uint64_t place;
    uint8_t byte;
};

enum { PHASE = 32 /* among the kinds that are drawn from one seed */ };

/* What follows from rates and medium. */
static void derive(struct zg_bits *bits)
{
    bits->character_ps = zg_uart_half_bits(&bits->settings.format) * bits->settings.sent_bit_ps / 2;
    zg_medium_lateness(&bits->medium, &bits->late_least_ps, &bits->late_most_ps);
}

void zg_bits_init(struct zg_bits *bits, const struct zg_bits_settings *settings, uint64_t seed, uint64_t purpose,
                  zg_bits_told *told, void *data)
{
    struct zg_random random = zg_random_seeded(seed, purpose + ((uint64_t)(PHASE + 1) << 32));

    memset(bits, 0, sizeof *bits);
    bits->settings = *settings;
    bits->told = told;
    bits->data = data;
    bits->before_stop = zg_uart_before_stop(&settings->format);
    for (unsigned i = 0; i < 256; i++)
        bits->characters[i] = zg_uart_bits(&settings->format, (uint8_t)i);
    bits->medium = zg_medium_seeded(&settings->medium, seed, purpose);
    derive(bits);
    bits->sampler = (struct zg_sampler){ .format = settings->format,
                                         .samples = settings->samples,
                                         .tick_ps = settings->read_bit_ps / settings->samples };
    bits->sampler.phase_ps = bits->sampler.tick_ps * zg_random_unit(&random);
}

void zg_bits_clear(struct zg_bits *bits)
{
    zg_levels_free(&bits->wire);
    zg_medium_clear(&bits->medium);
    free(bits->sent);
}

/* --- what became of what */

static void grow(struct zg_bits *bits)
{
    const size_t size = bits->sent_size ? 2 * bits->sent_size : 16;
    struct zg_sent *sent = malloc(size * sizeof *sent);

    if (!sent)
        abort();
    for (size_t i = bits->first; i != bits->last; i++)
        sent[i & (size - 1)] = bits->sent[i & (bits->sent_size - 1)];
    free(bits->sent);
    bits->sent = sent;
    bits->sent_size = size;
}

static struct zg_sent *oldest(const struct zg_bits *bits)
{
    return bits->first == bits->last ? NULL : &bits->sent[bits->first & (bits->sent_size - 1)];
}

/* Bytes that began half a bit before a moment, and were not read, will not be. */
static void give_up(struct zg_bits *bits, double before_ps)
{
    const struct zg_sent *sent;

    while ((sent = oldest(bits)) != NULL && sent->edge_ps + bits->settings.sent_bit_ps / 2 < before_ps) {
        const struct zg_heard heard = { .sent = sent->byte, .place = sent->place, .touches = ZG_TOUCH_DROPPED };
        bits->place = sent->place;
        bits->first++;
        bits->told(bits->data, &heard);
    }
}

static void tell(struct zg_bits *bits, const struct zg_sampled *sampled)
{
    struct zg_heard heard = {
        .is_read = true, .at_ps = (uint64_t)sampled->at_ps, .byte = sampled->byte, .errors = sampled->errors
    };

    give_up(bits, sampled->edge_ps);
    const struct zg_sent *sent = oldest(bits);
    if (sent && sent->edge_ps <= sampled->edge_ps + bits->settings.sent_bit_ps / 2) {
        heard.sent = sent->byte;
        heard.touches = sent->byte == sampled->byte ? 0 : ZG_TOUCH_CHANGED;
        bits->place = sent->place;
        bits->first++;
    } else
        heard.touches = ZG_TOUCH_INSERTED;
    heard.place = bits->place;
    bits->told(bits->data, &heard);
}

/* Reads what can be read if nothing more begins before `known_ps`. */
static void settle(struct zg_bits *bits, double known_ps)
{
    const double there_ps = zg_medium_pass(&bits->medium, known_ps, &bits->wire);
    struct zg_sampled sampled;

    while (zg_sampler_read(&bits->sampler, &bits->wire, there_ps, &sampled))
        tell(bits, &sampled);
    if (bits->sampler.state == ZG_SAMPLER_LOOKS)
        give_up(bits, fmin(zg_sampler_time(&bits->sampler, bits->sampler.next), there_ps));
}

void zg_bits_settle(struct zg_bits *bits, uint64_t known_ps)
{
    settle(bits, (double)known_ps);
}

void zg_bits_change(struct zg_bits *bits, const struct zg_bits_settings *settings, uint64_t now_ns)
{
    struct zg_sampler *sampler = &bits->sampler;
    const uint64_t tick = sampler->state == ZG_SAMPLER_LOOKS ? sampler->next : sampler->edge;
    const double at_ps = zg_sampler_time(sampler, tick);

    sampler->tick_ps = settings->read_bit_ps / sampler->samples;
    sampler->phase_ps = at_ps - (double)tick * sampler->tick_ps;
    bits->settings.sent_bit_ps = settings->sent_bit_ps;
    bits->settings.read_bit_ps = settings->read_bit_ps;
    bits->settings.medium = settings->medium;
    zg_medium_change(&bits->medium, &settings->medium, now_ns);
    derive(bits);
}

/* --- sending */

/* Whether the receiver looks for an edge on an idle wire, on which nothing happens until then but what is sent. */
static bool is_quiet(const struct zg_bits *bits, double until_ps)
{
    return bits->sampler.state == ZG_SAMPLER_LOOKS && !bits->sampler.active && bits->first == bits->last &&
           !zg_levels_are_there(&bits->wire) && !zg_levels_active(&bits->wire) &&
           zg_medium_is_quiet(&bits->medium, until_ps);
}

/* Reads a byte without looking at its samples, if the middle one of each bit lies within that bit, wherever in its
 * limits an edge comes: as rates are even, if that is so of the first two, the last and the stop bit. False: it may not
 * be.
 * A level lasts three ticks or more, so that the middle sample is what the majority is. */
static bool read_plainly(struct zg_bits *bits, double edge_ps, struct zg_sampled *sampled)
{
    struct zg_sampler *sampler = &bits->sampler;
    const double bit_ps = bits->settings.sent_bit_ps, read_bit_ps = bits->settings.read_bit_ps;
    const double early_ps = fmin(bits->late_least_ps, 0), late_ps = fmax(bits->late_most_ps, 0);
    const uint64_t edge = zg_sampler_tick(sampler, edge_ps);
    const uint64_t third = zg_sampler_third(sampler, edge);
    const double third_ps = zg_sampler_time(sampler, third);
    const double first_ps = zg_sampler_time(sampler, edge + sampler->samples / 2) - edge_ps;
    const double stop_ps = third_ps - sampler->tick_ps - edge_ps, last_ps = stop_ps - read_bit_ps;

    if (edge < sampler->next || bits->settings.format.stop_opposite ||
        bit_ps + early_ps - late_ps < 3 * sampler->tick_ps || first_ps >= bit_ps + early_ps ||
        first_ps + read_bit_ps < bit_ps + late_ps || last_ps >= bits->before_stop * bit_ps + early_ps ||
        stop_ps < bits->before_stop * bit_ps + late_ps || third_ps >= edge_ps + bits->character_ps)
        return false;
    sampled->edge_ps = zg_sampler_time(sampler, edge);
    sampled->at_ps = third_ps;
    sampler->next = third + 1;
    return true;
}

/* Puts a byte on the wire. */
static void put(struct zg_bits *bits, uint8_t byte, double start_ps, uint64_t place)
{
    const double bit_ps = bits->settings.sent_bit_ps;
    const unsigned levels = bits->characters[byte];
    unsigned level = 0;

    for (unsigned bit = 0; bit <= bits->before_stop; bit++)
        if ((levels >> bit & 1U) != level) {
            level ^= 1U;
            zg_medium_send(&bits->medium, start_ps + bit * bit_ps);
        }
    if (level != 0)
        zg_medium_send(&bits->medium, start_ps + (bits->before_stop + bits->settings.format.half_stops / 2.0) * bit_ps);
    if (bits->last - bits->first == bits->sent_size)
        grow(bits);
    bits->sent[bits->last++ & (bits->sent_size - 1)] =
        (struct zg_sent){ start_ps + zg_medium_delay(&bits->medium), place, byte };
}

static void send(struct zg_bits *bits, uint8_t byte, double start_ps, uint64_t place)
{
    const double edge_ps = start_ps + zg_medium_delay(&bits->medium);
    const double end_ps = edge_ps + bits->character_ps + bits->late_most_ps;
    struct zg_sampled sampled;

    if (!is_quiet(bits, end_ps))
        settle(bits, start_ps);
    if (is_quiet(bits, end_ps) && read_plainly(bits, edge_ps, &sampled)) {
        const struct zg_heard heard = {
            .is_read = true, .at_ps = (uint64_t)sampled.at_ps, .sent = byte, .byte = byte, .place = place
        };
        bits->place = place;
        bits->told(bits->data, &heard);
    } else
        put(bits, byte, start_ps, place);
}

void zg_bits_send(struct zg_bits *bits, const uint8_t *bytes, size_t count, uint64_t start_ps, uint64_t each_ps,
                  uint64_t place)
{
    for (size_t i = 0; i < count; i++)
        send(bits, bytes[i], (double)(start_ps + i * each_ps), place + i);
}
