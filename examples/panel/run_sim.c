/* SPDX-License-Identifier: MIT */
/* Desk and PC on one simulated line, a virtual hour, with lost bytes: numbers are made of the end mark's byte. */
#include <inttypes.h>
#include <stdio.h>

#include "device.h"
#include "host.h"
#include "sim/line.h"

enum { DEVICE_END, HOST_END };

static const uint64_t step_ns = 1000000, run_ns = UINT64_C(3600000000000), period_ns = UINT64_C(10000000000);

static struct device device;
static struct host host;

/* A chord, held for a while: as the line sees it, often nothing but FE. */
static uint32_t chord(uint64_t now)
{
    static const uint32_t chords[] = { 0xFEFEFEFE, 0x000000FE, 0xFEFE0000, 0x01FEFE01, 0 };
    return chords[now / period_ns % (sizeof chords / sizeof chords[0])];
}

int main(void)
{
    const struct zg_sim_faults faults = { .drop = 1e-3 };
    const struct zg_sim_settings settings = {
        .baud = 38400, .half_bits = 20, .faults = { faults, faults }, .seed = 8, .clock_us = UINT32_C(0) - 300000000
    };
    struct zg_sim_line *line = zg_sim_line_new(&settings);
    uint32_t read = 0, numbers = 0, wrong = 0;

    if (device_begin(&device, &zg_sim_port, zg_sim_context(line, DEVICE_END)) != 0)
        return 1;
    zg_sim_attach(line, DEVICE_END, &device.node.link);
    if (host_begin(&host, &zg_sim_port, zg_sim_context(line, HOST_END)) != 0)
        return 1;
    zg_sim_attach(line, HOST_END, &host.node.link);
    for (uint64_t now = step_ns; now <= run_ns; now += step_ns) {
        const bool changes = chord(now) != chord(now - 500 * step_ns);
        zg_sim_advance(line, now);
        device.touch = chord(now);
        device.locked = now / period_ns % 7 == 6;
        device_loop(&device);
        host_loop(&host);
        if (host.numbers > numbers && host.is_touch && !changes) {
            read++;
            wrong += host.touch != device.touch;
        }
        numbers = host.numbers;
    }
    const struct zg_counters *counters = &host.node.link.counters;
    printf("panel at 38400 baud: a virtual hour of requests, dropped bytes 1e-3, no check\n");
    printf("  requests %7" PRIu32 ", %" PRIu32 " answered, %" PRIu32 " given up, %" PRIu32 " sent again\n", host.asked,
           host.answered, host.given_up, counters->resent);
    printf("  answers  %7" PRIu32 " numbers, %" PRIu32 " texts (the last one %s), %" PRIu32 " refusals\n", host.numbers,
           host.texts, host.name, host.refusals);
    printf("  chords   %7" PRIu32 " read, %" PRIu32 " of them wrong; %" PRIu32 " candidates without their end mark\n",
           read, wrong, counters->malformed);
    zg_sim_line_free(line);
    return device.not_sent == 0 && host.answered * UINT64_C(100) > host.asked * UINT64_C(99) &&
                   counters->malformed > 0 && read > 1000 && wrong * UINT64_C(200) < read
               ? 0
               : 1;
}
