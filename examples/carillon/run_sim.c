/* SPDX-License-Identifier: MIT */
/* Console and eight strikers on one pair of wires for ten virtual minutes, with a few bit errors; the fifth striker is
 * disconnected for one of them. */
#include <inttypes.h>
#include <stdio.h>

#include "device.h"
#include "host.h"
#include "sim/bus.h"

static const uint64_t step_ns = 500000, run_ns = UINT64_C(600000000000);
static const uint64_t cut_ns = UINT64_C(200000000000), back_ns = UINT64_C(260000000000);

static struct device devices[BELLS];
static struct host host;

int main(void)
{
    const struct zg_sim_bus_settings settings = {
        .baud = 19200, .half_bits = 20, .faults = { .bit_error_rate = 1e-5 }, .seed = 3, .clock_us = UINT32_C(0) - 1000
    };
    struct zg_sim_bus *bus = zg_sim_bus_new(&settings);
    bool all_well = true;

    if (host_begin(&host, &zg_sim_bus_port, zg_sim_bus_context(bus, 0)) != 0)
        return 1;
    zg_sim_bus_attach(bus, 0, &host.node.link);
    for (unsigned i = 0; i < BELLS; i++) {
        if (device_begin(&devices[i], (uint8_t)(i + 1), &zg_sim_bus_port, zg_sim_bus_context(bus, i + 1)) != 0)
            return 1;
        zg_sim_bus_attach(bus, i + 1, &devices[i].node.link);
    }
    for (uint64_t now = step_ns; now <= run_ns; now += step_ns) {
        zg_sim_bus_advance(bus, now);
        host_loop(&host);
        for (unsigned i = 0; i < BELLS; i++)
            device_loop(&devices[i]);
        if (now == cut_ns || now == back_ns)
            zg_sim_bus_cut(bus, 5, now == cut_ns);
    }
    printf("carillon at 19200 baud, half duplex: ten virtual minutes, bit errors 1e-5, bell 5 cut off for one of them\n"
           "%" PRIu32 " strokes of five bells sent to everybody; %" PRIu64 " bytes collided\n"
           "  bell   strikes  struck  missed   asked answered   blows  down  up   frames not for it\n",
           host.strokes, zg_sim_bus_collisions(bus));
    for (unsigned i = 0; i < BELLS; i++) {
        const struct bell *bell = &host.bells[i];
        printf("  %4u %9" PRIu32 "%8" PRIu32 "%8" PRIu32 "%8" PRIu32 "%9" PRIu32 "%8u%6" PRIu32 "%4" PRIu32 "%20" PRIu32
               "\n",
               i + 1, bell->strikes, bell->struck, bell->missed, bell->asked, bell->answered, bell->blows, bell->downs,
               bell->ups, devices[i].node.link.counters.not_for_us);
        /* each strike is reported as struck or missed, and never struck twice; only bell 5 was ever down, and it came
         * back */
        all_well = all_well && bell->strikes - bell->struck - bell->missed <= 1 && devices[i].strikes >= bell->struck &&
                   devices[i].strikes <= bell->strikes && bell->downs == (i == 4) && bell->ups == 1 + bell->downs &&
                   (i == 4 || bell->missed <= 2);
    }
    zg_sim_bus_free(bus);
    return all_well ? 0 : 1;
}
