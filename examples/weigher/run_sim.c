/* SPDX-License-Identifier: MIT */
/* Weigher and PC on one simulated line, ten virtual minutes, with bit errors and lost bytes: lines without a check show
 * what that means. */
#include <inttypes.h>
#include <stdio.h>
#include <string.h>

#include "device.h"
#include "host.h"
#include "sim/line.h"

enum { DEVICE_END, HOST_END };

static const uint64_t step_ns = 1000000, run_ns = UINT64_C(600000000000), minute_ns = UINT64_C(60000000000);

static struct device device;
static struct host host;

int main(void)
{
    const struct zg_sim_faults faults = { .bit_error_rate = 1e-4, .drop = 2e-4 }, none = { .drop = 0 };
    const struct zg_sim_settings settings = {
        .baud = 9600, .half_bits = 20, .faults = { faults, none }, .seed = 3, .clock_us = UINT32_C(0) - 300000000
    };
    struct zg_sim_line *line = zg_sim_line_new(&settings);
    uint32_t seen = 0, wrong = 0, unnoticed = 0;

    if (device_begin(&device, &zg_sim_port, zg_sim_context(line, DEVICE_END)) != 0)
        return 1;
    zg_sim_attach(line, DEVICE_END, &device.node.link);
    if (host_begin(&host, &zg_sim_port, zg_sim_context(line, HOST_END)) != 0)
        return 1;
    zg_sim_attach(line, HOST_END, &host.node.link);
    for (uint64_t now = step_ns; now <= run_ns; now += step_ns) {
        const uint32_t contradictory = host.contradictory;
        zg_sim_advance(line, now);
        device_loop(&device);
        host_loop(&host);
        if (host.weights > seen) { /* within the period in which it was sent */
            const bool is_wrong = host.last.gross != device.shown.gross || host.last.net != device.shown.net ||
                                  host.last.motion != device.shown.motion;
            seen = host.weights;
            wrong += is_wrong;
            unnoticed += is_wrong && host.contradictory == contradictory;
        }
        if (now % minute_ns == minute_ns / 2 + 150000000)
            host_tare(&host, 0.25 * (double)(1 + now / minute_ns));
    }
    const struct zg_counters *counters = &host.node.link.counters;
    printf("weigher in lines of text at 9600 baud: 10 virtual minutes, bit errors 1e-4, dropped bytes 2e-4\n");
    printf("  weights %6" PRIu32 " shown, %" PRIu32 " read; %" PRIu32 " lines were no message\n", device.weights,
           host.weights,
           counters->bad_payload + counters->unknown_id + counters->malformed + counters->too_long +
               counters->timed_out);
    printf("  wrong   %6" PRIu32 " of the weights read: there is no check. Gross, net and tare disagree in %" PRIu32
           " of them\n",
           wrong, wrong - unnoticed);
    printf("  batches %6u sent, %" PRIu32 " read, %" PRIu32 " without moisture; %.2f kg in all\n", device.batches,
           host.batches, host.dry, host.total);
    printf("  tare    %6" PRIu32 " times set, now %.2f kg\n", device.tares, (double)device.tare / 100);
    zg_sim_line_free(line);
    return device.not_sent == 0 && device.tare == host.tare && host.weights <= device.weights && wrong > 0 &&
                   host.weights * UINT64_C(100) > device.weights * UINT64_C(90)
               ? 0
               : 1;
}
