/* SPDX-License-Identifier: MIT */
/* Buoy and harbour over a simulated radio, a virtual day: packets are lost and repeated. */
#include <inttypes.h>
#include <stdio.h>

#include "device.h"
#include "host.h"
#include "sim/line.h"

enum { DEVICE_END, HOST_END };

static const uint64_t step_ns = 5000000, run_ns = UINT64_C(86400000000000), pace_ns = UINT64_C(3600000000000);

static struct device device;
static struct host host;

static void to_device(void *data, const uint8_t *bytes, size_t size)
{
    (void)data;
    buoy_device_receive_packet(&device.node, bytes, size);
}

static void to_host(void *data, const uint8_t *bytes, size_t size)
{
    (void)data;
    buoy_host_receive_packet(&host.node, bytes, size);
}

int main(void)
{
    const struct zg_sim_faults faults = { .drop = 0.05, .twice = 0.02, .latency_ns = 40000000 };
    const struct zg_sim_settings settings = {
        .baud = 9600, .half_bits = 20, .faults = { faults, faults }, .seed = 4, .clock_us = UINT32_C(0) - 300000000
    };
    struct zg_sim_line *radio = zg_sim_line_new(&settings);
    uint32_t asked = 0;

    if (device_begin(&device, &zg_sim_port, zg_sim_context(radio, DEVICE_END)) != 0)
        return 1;
    zg_sim_attach(radio, DEVICE_END, &device.node.link);
    zg_sim_keep_packets(radio, DEVICE_END, to_device, NULL);
    if (host_begin(&host, &zg_sim_port, zg_sim_context(radio, HOST_END)) != 0)
        return 1;
    zg_sim_attach(radio, HOST_END, &host.node.link);
    zg_sim_keep_packets(radio, HOST_END, to_host, NULL);
    for (uint64_t now = step_ns; now <= run_ns; now += step_ns) {
        zg_sim_advance(radio, now);
        device_loop(&device);
        host_loop(&host);
        if (now % pace_ns == pace_ns / 2)
            asked += host_set_pace(&host, (uint16_t)(2 + now / pace_ns % 5));
    }
    const struct zg_counters *counters = &host.node.link.counters;
    printf("buoy over a radio that loses 5 %% of the packets, and repeats 2 %%: a virtual day\n");
    printf("  reports  %6" PRIu32 " sent, %" PRIu32 " read; %" PRIu32 " frames lost, %" PRIu32 " repeated\n",
           device.reported - device.busy, host.reports, counters->lost, counters->repeated);
    printf("  pace     %6" PRIu32 " times set, %" PRIu32 " settled, %" PRIu32 " given up; sent again %" PRIu32
           " times\n",
           asked, host.settled, host.given_up, counters->resent);
    zg_sim_line_free(radio);
    const uint32_t sent = device.reported - device.busy;
    return asked > 20 && host.settled == asked && counters->repeated > 0 &&
                   host.reports * UINT64_C(100) > sent * UINT64_C(93) &&
                   host.reports * UINT64_C(100) < sent * UINT64_C(102)
               ? 0
               : 1;
}
