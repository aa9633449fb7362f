/* SPDX-License-Identifier: MIT */
/*
 * Beacon and shore, neither of which has a UART, for a virtual hour: both run ports/soft_uart, each by its own clock.
 * Between them is light, which a passing mast takes away for milliseconds, a glint adds, and a fog bank stops.
 */
#include <inttypes.h>
#include <stdio.h>
#include <string.h>

#include "beacon_line.h"
#include "device.h"
#include "host.h"
#include "sim/random.h"
#include "soft_uart/soft_uart.h"

enum { SAMPLES = 8, FOG_BANKS = 6 };

static const uint64_t second_ns = 1000000000, run_ns = UINT64_C(3600000000000), fog_ns = UINT64_C(8000000000);
static const double beacon_clock = 1.01, shore_clock = 0.999; /* over the nominal rate: their worst, apart */

static const struct zg_uart_format format = { .data_bits = BEACON_LINE_DATA_BITS,
                                              .parity = BEACON_LINE_PARITY,
                                              .half_stops = BEACON_LINE_HALF_STOPS,
                                              .msb_first = BEACON_LINE_MSB_FIRST };

static struct device device;
static struct host host;
static uint64_t now_ns;
static bool is_sending;

static uint32_t now_us(void *context)
{
    (void)context;
    return (uint32_t)(now_ns / 1000) - 60000000; /* wraps after a minute */
}

static void start_sending(void *context)
{
    (void)context;
    is_sending = true;
}

static const struct zg_port beacon_port = { .now_us = now_us, .start_transmit = start_sending };
static const struct zg_port shore_port = { .now_us = now_us };

/* What the shore sees of the light. */
struct air {
    struct zg_random random;
    uint64_t next_ns, until_ns; /* the next mast or glint, or the present one */
    bool is_glint;
};

static bool is_foggy(uint64_t at_ns)
{
    return at_ns % (run_ns / FOG_BANKS) >= run_ns / FOG_BANKS - fog_ns;
}

static bool passes(struct air *air, bool is_lit)
{
    if (now_ns >= air->until_ns && now_ns >= air->next_ns) {
        air->is_glint = zg_random_one_in(&air->random, 2);
        air->until_ns = now_ns + 500000 + zg_random_below(&air->random, 5000000);
        air->next_ns = air->until_ns + zg_random_below(&air->random, 20 * second_ns);
    }
    if (is_foggy(now_ns))
        return false;
    return now_ns < air->until_ns ? air->is_glint : is_lit;
}

static bool is_as_told(const struct beacon_state *told, const struct beacon_state *read)
{
    return told->lamp == read->lamp && told->faults == read->faults && told->battery == read->battery &&
           told->lens == read->lens;
}

int main(void)
{
    const double bit_ns = 1e9 / BEACON_LINE_BAUD / beacon_clock;
    const double sample_ns = 1e9 / BEACON_LINE_BAUD / SAMPLES / shore_clock;
    struct zg_soft_uart_sender sender;
    struct zg_soft_uart_samples samples;
    struct air air = { .random = zg_random_seeded(7, 0) };
    uint64_t bits = 0, taken = 0, heard_ns = 0, oldest_ns = 0;
    uint32_t seen = 0, wrong = 0;
    bool is_lit = false;

    if (device_begin(&device, &beacon_port, NULL) != 0 || host_begin(&host, &shore_port, NULL) != 0)
        return 1;
    zg_soft_uart_sender_init(&sender, &format);
    zg_soft_uart_samples_init(&samples, &format, SAMPLES);
    while (now_ns < run_ns) {
        const uint64_t bit_at = (uint64_t)((double)bits * bit_ns), sample_at = (uint64_t)((double)taken * sample_ns);
        if (bit_at <= sample_at) { /* the beacon's timer, and its loop */
            now_ns = bit_at;
            bits++;
            is_lit = !sender.high;
            is_sending = is_sending && zg_soft_uart_next(&sender, &device.node.link);
            device_loop(&device);
            continue;
        }
        now_ns = sample_at;
        taken++;
        zg_soft_uart_sample(&samples, &host.node.link, !passes(&air, is_lit));
        host_loop(&host);
        if (host.states > seen) {
            seen = host.states;
            heard_ns = now_ns;
            wrong += !is_as_told(&device.state, &host.last);
        }
        if (host.is_valid && now_ns - heard_ns > oldest_ns)
            oldest_ns = now_ns - heard_ns;
    }
    const struct zg_counters *counters = &host.node.link.counters;
    printf("beacon at %lu baud, half a byte a character: a virtual hour, clocks 1.1 %% apart\n", BEACON_LINE_BAUD);
    printf("  states  %6" PRIu32 " told, %" PRIu32 " read, %" PRIu32 " of them wrong\n", device.told, host.states,
           wrong);
    printf("  light   %6" PRIu32 " characters with a wrong stop bit, %" PRIu32 " with wrong parity; %" PRIu32
           " candidates failed\n",
           counters->line_framing, counters->line_parity,
           counters->failed_check + counters->malformed + counters->too_long + counters->timed_out);
    printf("  shown   %6.2f s old at most; not valid %" PRIu32 " times, with %d banks of fog\n",
           (double)oldest_ns / (double)second_ns, host.expired, FOG_BANKS);
    return device.not_sent == 0 && wrong == 0 && host.states * UINT64_C(100) > device.told * UINT64_C(90) &&
                   host.states < device.told && host.expired == FOG_BANKS && oldest_ns < 5 * second_ns + second_ns / 10
               ? 0
               : 1;
}
