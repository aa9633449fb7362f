/* SPDX-License-Identifier: MIT */
/* Sluice and PC on one simulated line, a virtual day, with bit errors and lost bytes: what a sum of one byte notices.
 */
#include <inttypes.h>
#include <stdio.h>
#include <string.h>

#include "device.h"
#include "host.h"
#include "sim/line.h"

enum { DEVICE_END, HOST_END };

static const uint64_t step_ns = 5000000, run_ns = UINT64_C(86400000000000);

static struct device device;
static struct host host;

static bool is_as_sent(const struct sluice_state *sent, const struct sluice_state *heard)
{
    return sent->gate == heard->gate && sent->upper == heard->upper && sent->lower == heard->lower &&
           sent->motion == heard->motion && sent->faults == heard->faults && sent->has_wind == heard->has_wind &&
           (!sent->has_wind || sent->wind == heard->wind);
}

int main(void)
{
    const struct zg_sim_faults faults = { .bit_error_rate = 2e-4, .drop = 1e-4 }, none = { .drop = 0 };
    const struct zg_sim_settings settings = {
        .baud = 19200, .half_bits = 20, .faults = { faults, none }, .seed = 5, .clock_us = UINT32_C(0) - 300000000
    };
    struct zg_sim_line *line = zg_sim_line_new(&settings);
    uint32_t seen = 0, wrong = 0;

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
        if (host.blocks > seen) { /* within the period in which it was printed */
            seen = host.blocks;
            wrong += !is_as_sent(&device.state, &host.last);
        }
    }
    const struct zg_counters *counters = &host.node.link.counters;
    const uint32_t failed = counters->failed_check + counters->malformed + counters->too_long + counters->timed_out;
    printf("sluice at 19200 baud: a virtual day of blocks, bit errors 2e-4, dropped bytes 1e-4\n");
    printf("  blocks  %6" PRIu32 " printed, %" PRIu32 " read, %" PRIu32 " candidates failed\n", device.blocks,
           host.blocks, failed);
    printf("  passed  %6" PRIu32 " whose sum was right by chance and whose lines were not, %" PRIu32 " of them read\n",
           counters->bad_payload + wrong, wrong);
    printf("  wind    %6" PRIu32 " blocks without it; at most %.1f m/s\n", host.iced, host.highest);
    zg_sim_line_free(line);
    return device.not_sent == 0 && host.blocks <= device.blocks &&
                   host.blocks * UINT64_C(100) > device.blocks * UINT64_C(75) && wrong * UINT64_C(100) < host.blocks &&
                   failed > 0
               ? 0
               : 1;
}
