/* SPDX-License-Identifier: MIT */
/* PC and three pumps on one pair of wires, ten virtual minutes, with bit errors. */
#include <inttypes.h>
#include <stdio.h>

#include "device.h"
#include "host.h"
#include "sim/bus.h"

static const uint64_t step_ns = 500000, run_ns = UINT64_C(600000000000);

static struct device devices[PUMPS];
static struct host host;

int main(void)
{
    const struct zg_sim_bus_settings settings = { .baud = 9600,
                                                  .half_bits = 20,
                                                  .faults = { .bit_error_rate = 2e-5 },
                                                  .seed = 7,
                                                  .clock_us = UINT32_C(0) - 300000000 };
    struct zg_sim_bus *bus = zg_sim_bus_new(&settings);
    bool all_well = true;

    if (host_begin(&host, &zg_sim_bus_port, zg_sim_bus_context(bus, 0)) != 0)
        return 1;
    zg_sim_bus_attach(bus, 0, &host.node.link);
    for (unsigned i = 0; i < PUMPS; i++) {
        if (device_begin(&devices[i], (uint8_t)(i + 1), &zg_sim_bus_port, zg_sim_bus_context(bus, i + 1)) != 0)
            return 1;
        zg_sim_bus_attach(bus, i + 1, &devices[i].node.link);
    }
    for (uint64_t now = step_ns; now <= run_ns; now += step_ns) {
        zg_sim_bus_advance(bus, now);
        host_loop(&host);
        for (unsigned i = 0; i < PUMPS; i++)
            device_loop(&devices[i]);
    }
    printf("dosing at 9600 baud, half duplex: ten virtual minutes, bit errors 2e-5; %" PRIu64 " bytes collided\n"
           "  pump   asked  answered  of them refused  given up  rate  frames not for it\n",
           zg_sim_bus_collisions(bus));
    for (unsigned i = 0; i < PUMPS; i++) {
        const struct pump *pump = &host.pumps[i];
        printf("  %4u %7" PRIu32 "%10" PRIu32 "%17" PRIu32 "%10" PRIu32 "%6u%19" PRIu32 "\n", i + 1, pump->asked,
               pump->answered, pump->refused, pump->given_up, pump->registers[RATE],
               devices[i].node.link.counters.not_for_us);
        all_well = all_well && pump->asked - pump->answered - pump->given_up <= 1 &&
                   pump->given_up * UINT64_C(100) <= pump->asked && pump->answered > 1000 && pump->refused > 0 &&
                   devices[i].writes > 50;
    }
    printf("  asked again %" PRIu32 " times, %" PRIu32 " answers too late\n", host.node.link.counters.resent,
           host.node.link.counters.late);
    zg_sim_bus_free(bus);
    return all_well ? 0 : 1;
}
