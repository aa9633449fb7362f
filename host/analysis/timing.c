/* SPDX-License-Identifier: MIT */
#include "analysis/timing.h"

#include <math.h>

/* Where the third sample of a bit may be, at the latest, behind the bit's middle; and that in which the receiver is
 * ready again. In bits. */
static double last_sample(const struct zg_character *character)
{
    return 1.0 / character->samples;
}

static double later(const struct zg_character *character)
{
    return character->edges_late > 0 ? character->edges_late : 0;
}

static double earlier(const struct zg_character *character)
{
    return character->edges_late < 0 ? -character->edges_late : 0;
}

/* From the stop bit on up to the next start bit. */
static double length_behind(const struct zg_character *character)
{
    return character->stop + (character->stop_opposite ? 1 : 0) + character->idle;
}

struct zg_margin zg_timing_margin(const struct zg_character *character, double excess)
{
    const double before = character->before_stop, span = before / (1 + excess);
    const double slow = before + 0.5 - later(character) - span;
    const double fast = span - (before - 0.5 + last_sample(character) + earlier(character));
    const double next =
        (before + length_behind(character)) / (1 + excess) - (before + 0.5 + 2 * last_sample(character));
    const double stop = (before + character->stop) / (1 + excess) - (before + 0.5 + last_sample(character));
    struct zg_margin margin = { slow, ZG_LIMIT_SLOW };

    if (fast < margin.bits)
        margin = (struct zg_margin){ fast, ZG_LIMIT_FAST };
    if (character->stop_opposite && stop < margin.bits)
        margin = (struct zg_margin){ stop, ZG_LIMIT_FAST };
    if (next < margin.bits)
        margin = (struct zg_margin){ next, ZG_LIMIT_NEXT };
    return margin;
}

void zg_timing_limits(const struct zg_character *character, double *slowest, double *fastest)
{
    const double before = character->before_stop;
    const double fast = before / (before - 0.5 + last_sample(character) + earlier(character)) - 1;
    const double next = (before + length_behind(character)) / (before + 0.5 + 2 * last_sample(character)) - 1;
    const double stop = (before + character->stop) / (before + 0.5 + last_sample(character)) - 1;

    *slowest = before / (before + 0.5 - later(character)) - 1;
    *fastest = fmin(fmin(fast, next), character->stop_opposite ? stop : fast);
}

struct zg_character zg_timing_character(const struct zg_line *line, unsigned samples)
{
    const struct zg_uart_format format = zg_line_format(line);

    return (struct zg_character){ .before_stop = zg_uart_before_stop(&format),
                                  .stop = line->half_stops / 2.0,
                                  .stop_opposite = line->stop_opposite,
                                  .samples = samples };
}

struct zg_made_rate zg_timing_rate(double clock_hz, struct zg_divider divider, unsigned divisor_bits, double baud)
{
    const double parts = ldexp(1, (int)divider.fraction_bits), ticks = clock_hz / divider.samples;
    const double most = divisor_bits > 0 ? ldexp(1, (int)divisor_bits) - 1 / parts : HUGE_VAL;
    const double ideal = ticks / baud, below = fmin(fmax(floor(ideal * parts) / parts, 1), most);
    const double above = fmin(fmax(ceil(ideal * parts) / parts, 1), most);
    const double divisor = fabs(ticks / below - baud) <= fabs(ticks / above - baud) ? below : above;

    return (struct zg_made_rate){ divisor, ticks / divisor, ticks / divisor / baud - 1 };
}

/* A reading of a sender whose rate is within `tolerance` of `baud`, by a receiver with its own. */
static struct zg_reading reading_of(const struct zg_character *character, double sender, double sender_tolerance,
                                    double receiver, double receiver_tolerance)
{
    struct zg_reading reading = { .low = sender * (1 - sender_tolerance) / (receiver * (1 + receiver_tolerance)) - 1,
                                  .high = sender * (1 + sender_tolerance) / (receiver * (1 - receiver_tolerance)) - 1 };
    const struct zg_margin slow = zg_timing_margin(character, reading.low),
                           fast = zg_timing_margin(character, reading.high);

    reading.margin = slow.bits < fast.bits ? slow : fast;
    return reading;
}

/* How much later the edges to the idle level are, if rising ones are later by so much. What takes a carrier off sees
 * its end up to a period late. */
static double edges_of(const struct zg_line *line, double rising_late)
{
    const double late = line->carrier_hz > 0 ? rising_late + (double)line->baud / line->carrier_hz : rising_late;
    return line->idle_low ? -late : late;
}

static struct zg_timing timing_at(const struct zg_line *line, const struct zg_uart_ends *ends, struct zg_made_rate made)
{
    enum { HOST_SAMPLES = 16 };
    const struct zg_clock *clock = &line->clock;
    struct zg_character at_device = zg_timing_character(line, ends->divider.samples),
                        at_host = zg_timing_character(line, HOST_SAMPLES);

    at_device.idle = at_host.idle = ends->idle;
    at_device.edges_late = at_host.edges_late = edges_of(line, ends->edges_late);
    return (struct zg_timing){
        .made = made,
        .by_device = reading_of(&at_device, ends->host_baud, clock->host_tolerance, made.baud, clock->device_tolerance),
        .by_host = reading_of(&at_host, made.baud, clock->device_tolerance, ends->host_baud, clock->host_tolerance)
    };
}

struct zg_timing zg_timing_of(const struct zg_line *line, const struct zg_uart_ends *ends)
{
    return timing_at(line, ends,
                     zg_timing_rate(ends->device_hz, ends->divider, ends->divisor_bits, (double)line->baud));
}

/* The least margin, if the device's rate is off by so much. */
static double least_at(const struct zg_line *line, unsigned samples, double off)
{
    const double baud = (double)line->baud;
    const struct zg_uart_ends ends = { .host_baud = baud, .divider = { samples, 0 } };
    const struct zg_timing timing = timing_at(line, &ends, (struct zg_made_rate){ 1, baud * (1 + off), off });

    return zg_timing_least(&timing);
}

bool zg_timing_range(const struct zg_line *line, unsigned samples, double margin, double *slowest, double *fastest)
{
    double low = -0.5, high = 0.5;

    for (unsigned i = 0; i < 80; i++) { /* the best: margins fall to both sides of it */
        const double third = (high - low) / 3;
        if (least_at(line, samples, low + third) < least_at(line, samples, high - third))
            low += third;
        else
            high -= third;
    }
    const double best = (low + high) / 2;
    if (least_at(line, samples, best) < margin)
        return false;
    for (unsigned side = 0; side < 2; side++) {
        double good = best, bad = side == 0 ? -0.5 : 0.5;
        for (unsigned i = 0; i < 40; i++) {
            const double middle = (good + bad) / 2;
            *(least_at(line, samples, middle) >= margin ? &good : &bad) = middle;
        }
        *(side == 0 ? slowest : fastest) = good;
    }
    return true;
}

double zg_timing_least(const struct zg_timing *timing)
{
    return fmin(timing->by_device.margin.bits, timing->by_host.margin.bits);
}

static bool leaves_enough(const struct zg_line *line, const struct zg_uart_ends *ends)
{
    const struct zg_timing timing = zg_timing_of(line, ends);
    return zg_timing_least(&timing) >= ZG_TIMING_MARGINAL;
}

static const double usual_crystals[] = { 1.8432e6,  2.4576e6, 3.6864e6, 4e6,  7.3728e6,  8e6,  10e6, 11.0592e6, 12e6,
                                         14.7456e6, 16e6,     18.432e6, 20e6, 22.1184e6, 24e6, 25e6, 32e6,      48e6 };

/* Adds a clock and a rate, if both ends read each other there. The host's rate follows in proportion, as do the times
 * of edges. */
static void add_other(GArray *reading, const struct zg_line *line, const struct zg_uart_ends *ends, double clock_hz,
                      double baud)
{
    const double ratio = baud / (double)line->baud;
    struct zg_line other = *line;
    struct zg_uart_ends there = *ends;

    other.baud = (uint64_t)baud;
    there.device_hz = clock_hz;
    there.host_baud *= ratio;
    there.edges_late *= ratio;
    const struct zg_timing timing = zg_timing_of(&other, &there);
    const struct zg_other_timing found = { clock_hz, baud, timing.made.error, zg_timing_least(&timing) };
    if (found.margin >= 0)
        g_array_append_val(reading, found);
}

GArray *zg_timing_rates(const struct zg_line *line, const struct zg_uart_ends *ends)
{
    GArray *reading = g_array_new(FALSE, FALSE, sizeof(struct zg_other_timing));

    for (size_t k = 0; k < zg_timing_usual_rate_count; k++)
        add_other(reading, line, ends, ends->device_hz, zg_timing_usual_rates[k]);
    return reading;
}

GArray *zg_timing_crystals(const struct zg_line *line, const struct zg_uart_ends *ends)
{
    GArray *reading = g_array_new(FALSE, FALSE, sizeof(struct zg_other_timing));

    for (size_t k = 0; k < G_N_ELEMENTS(usual_crystals); k++)
        add_other(reading, line, ends, usual_crystals[k], (double)line->baud);
    return reading;
}

enum zg_cure zg_timing_cure(const struct zg_line *line, const struct zg_uart_ends *ends, struct zg_divider *divider)
{
    static const struct zg_divider others[] = { { 16, 0 }, { 8, 0 }, { 16, 4 }, { 8, 3 }, { 16, 6 } };
    struct zg_line stopping = *line;
    struct zg_uart_ends with = *ends;

    stopping.half_stops = 4;
    if (leaves_enough(&stopping, ends))
        return ZG_CURE_STOP;
    with.idle = 1;
    if (leaves_enough(line, &with))
        return ZG_CURE_PAUSE;
    with.idle = ends->idle;
    for (size_t i = 0; i < G_N_ELEMENTS(others); i++) {
        with.divider = *divider = others[i];
        if (leaves_enough(line, &with))
            return ZG_CURE_DIVIDER;
    }
    return ZG_CURE_NONE;
}

const double zg_timing_usual_rates[] = { 300,    600,    1200,   2400,   4800,    9600,    14400,
                                         19200,  28800,  38400,  57600,  76800,   115200,  230400,
                                         250000, 460800, 500000, 921600, 1000000, 2000000, 3000000 };
const size_t zg_timing_usual_rate_count = G_N_ELEMENTS(zg_timing_usual_rates);

double zg_timing_usual_rate(double baud)
{
    double nearest = zg_timing_usual_rates[0];

    for (size_t i = 1; i < zg_timing_usual_rate_count; i++)
        if (fabs(log(zg_timing_usual_rates[i] / baud)) < fabs(log(nearest / baud)))
            nearest = zg_timing_usual_rates[i];
    return nearest;
}
