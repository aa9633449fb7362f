/* SPDX-License-Identifier: MIT */
/* Mast and station on one radio channel for half a virtual day; one in ten transmissions is lost. */
#include <inttypes.h>
#include <stdio.h>

#include "device.h"
#include "host.h"
#include "sim/bus.h"

enum { DEVICE_END, HOST_END };

static const uint64_t step_ns = 4000000, minute_ns = UINT64_C(60000000000), run_ns = UINT64_C(43200000000000);

static struct device device;
static struct host host;

int main(void)
{
    const struct zg_sim_bus_settings settings = {
        .baud = 1200, .half_bits = 20, .burst_loss = 0.1, .seed = 5, .clock_us = UINT32_C(0) - 300000000
    };
    struct zg_sim_bus *bus = zg_sim_bus_new(&settings);

    if (device_begin(&device, &zg_sim_bus_port, zg_sim_bus_context(bus, DEVICE_END)) != 0)
        return 1;
    zg_sim_bus_attach(bus, DEVICE_END, &device.node.link);
    if (host_begin(&host, &zg_sim_bus_port, zg_sim_bus_context(bus, HOST_END)) != 0)
        return 1;
    zg_sim_bus_attach(bus, HOST_END, &host.node.link);
    for (uint64_t now = step_ns; now <= run_ns; now += step_ns) {
        zg_sim_bus_advance(bus, now);
        device_loop(&device);
        host_loop(&host);
        if (now % minute_ns == 0)
            host_ask(&host, (uint8_t)(now / minute_ns % 4));
        if (now % (60 * minute_ns) == 0)
            host_change(&host, now / minute_ns % 120 == 0 ? 5 : 9);
    }
    const struct zg_counters *counters = &device.node.link.counters;
    printf(
        "tide_mast at 1200 baud, half duplex, frames of at most %u bytes: half a virtual day, one transmission in ten "
        "lost\n",
        TIDE_MAST_MAX_FRAME);
    printf("  readings %8u made, %" PRIu32 " delivered, %" PRIu32 " given up after six tries, %" PRIu32
           " found the window full\n",
           device.number, device.delivered, device.given_up, device.not_sent);
    printf("  at the host %5" PRIu32 " came, %" PRIu32 " of them twice; highest water %.3f m\n", host.readings,
           host.twice, host.highest);
    printf("  the host asked %" PRIu32 " times and got %" PRIu32 " answers, changed the interval %" PRIu32
           " times; %" PRIu32 " of both failed\n",
           host.asked, host.gauges, host.changed, host.refused);
    printf("  sent again %" PRIu32 " by the mast, %" PRIu32 " by the host; %" PRIu64 " transmissions lost, %" PRIu64
           " bytes collided; link down %" PRIu32 " times\n",
           counters->resent, host.node.link.counters.resent, zg_sim_bus_lost(bus), zg_sim_bus_collisions(bus),
           host.downs);
    zg_sim_bus_free(bus);
    /* each reading is accounted for, nearly all arrived, none twice, and those reported as delivered did arrive */
    uint32_t open = device.number - device.delivered - device.given_up - device.not_sent;
    return open <= 2 && host.twice == 0 && host.readings >= device.delivered &&
                   host.readings <= device.delivered + device.given_up + open && host.downs == 0 &&
                   device.delivered * UINT64_C(1000) >= device.number * UINT64_C(999)
               ? 0
               : 1;
}
