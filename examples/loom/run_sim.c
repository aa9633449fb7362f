/* SPDX-License-Identifier: MIT */
/* Device and host on one simulated line, ten virtual minutes, with bit errors and lost bytes. */
#include <inttypes.h>
#include <stdio.h>

#include "device.h"
#include "host.h"
#include "sim/line.h"

enum { DEVICE_END, HOST_END };

static const uint64_t step_ns = 200000, run_ns = UINT64_C(600000000000), minute_ns = UINT64_C(60000000000);

static struct device device;
static struct host host;

static void print_end(const char *name, const struct zg_counters *counters)
{
    printf("  %-8s%8" PRIu32 " frames out %8" PRIu32 " in %6" PRIu32 " failed their check %4" PRIu32
           " malformed or timed out %5" PRIu32 " lost by sequence\n",
           name, counters->frames_out, counters->frames_in, counters->failed_check,
           counters->malformed + counters->timed_out, counters->lost);
}

int main(void)
{
    const struct zg_sim_faults faults = { .bit_error_rate = 2e-5, .drop = 1e-4, .latency_ns = 1000000 };
    const struct zg_sim_settings settings = {
        .baud = 500000, .half_bits = 20, .faults = { faults, faults }, .seed = 7, .clock_us = UINT32_C(0) - 300000000
    };
    struct zg_sim_line *line = zg_sim_line_new(&settings);

    if (device_begin(&device, &zg_sim_port, zg_sim_context(line, DEVICE_END)) != 0)
        return 1;
    zg_sim_attach(line, DEVICE_END, &device.node.link);
    if (host_begin(&host, &zg_sim_port, zg_sim_context(line, HOST_END)) != 0)
        return 1;
    zg_sim_attach(line, HOST_END, &host.node.link);
    for (uint64_t now = step_ns; now <= run_ns; now += step_ns) {
        zg_sim_advance(line, now);
        device_loop(&device);
        host_loop(&host);
        if (now % minute_ns == minute_ns / 2)
            host_set_tension(&host, 12.0 + (double)(now / minute_ns));
    }
    const struct zg_counters *counters = &host.node.link.counters;
    printf("loom on a simulated line: 10 virtual minutes, bit errors 2e-5, dropped bytes 1e-4, the clocks wrap "
           "half-way\n");
    print_end("device", &device.node.link.counters);
    print_end("host", counters);
    printf("  console: %.*s", host.console_size, host.console);
    printf("  picks   %8" PRIu32 " sent %8" PRIu32 " received %8" PRIu32 " missed; most tension %.2f N\n",
           device.pick.number, host.picks, host.picks_missed, host.most_tension);
    printf("  stops   %8" PRIu32 " sent %8" PRIu32 " acknowledged %4" PRIu32 " received\n", device.stops,
           device.stops_told, host.stops);
    printf("  rows    %8" PRIu32 " loaded %6" PRIu32 " answered %8" PRIu32 " failed %10" PRIu32 " taken by the loom\n",
           host.rows_loaded, host.rows_answered, host.rows_failed, device.node.variables.rows_woven.value);
    printf("  tension set %4" PRIu32 " times; %" PRIu32 " messages sent again\n", host.tensions_set,
           counters->resent + device.node.link.counters.resent);
    zg_sim_line_free(line);
    /* every pick was received or is known to be missing, except one that may be on its way; every stop and row came
     * once */
    return device.pick.number - host.picks - host.picks_missed <= 1 && device.send_failures == 0 &&
                   device.stops == host.stops && device.stops == device.stops_told && host.rows_failed == 0 &&
                   host.rows_loaded - host.rows_answered <= 2 && host.tensions_set == 10 &&
                   device.node.variables.rows_woven.value - host.rows_answered <= 2
               ? 0
               : 1;
}
