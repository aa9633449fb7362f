/* SPDX-License-Identifier: MIT */
/* The pattern PC on a serial port: run_port PORT BAUD SECONDS. Reports at the end what it saw; status 1: frames are
 * missing. */
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "host.h"
#include "posix/serial.h"

static uint32_t now_us(void *context)
{
    (void)context;
    return (uint32_t)(zg_channel_now_ns() / 1000);
}

static void start_transmit(void *context)
{
    (void)context; /* the loop below checks by itself */
}

static uint16_t boot_number(void *context)
{
    (void)context;
    return (uint16_t)(zg_channel_now_ns() >> 10);
}

static const struct zg_port port = { .now_us = now_us, .start_transmit = start_transmit, .boot_number = boot_number };

/* Passes what the node wants to send to the system. */
static long send_due(struct zg_channel *channel, struct host *host)
{
    static uint8_t bytes[4096];
    static size_t waiting;

    while (waiting < sizeof bytes && loom_host_transmit_isr(&host->node, &bytes[waiting]))
        waiting++;
    long count = zg_channel_write(channel, bytes, waiting);
    if (count > 0) {
        waiting -= (size_t)count;
        memmove(bytes, bytes + count, waiting);
    }
    return count;
}

static bool run(struct zg_channel *channel, struct host *host, uint64_t until_ns)
{
    uint8_t bytes[4096];

    while (zg_channel_now_ns() < until_ns) {
        long count = zg_channel_read(channel, bytes, sizeof bytes);
        if (count < 0 || send_due(channel, host) < 0)
            return false;
        loom_host_receive(&host->node, bytes, (size_t)count);
        host_loop(host);
        if (count == 0)
            zg_channel_wait(channel, false, -1, 1000000);
    }
    return true;
}

int main(int argc, char **argv)
{
    static struct host host;
    struct zg_channel channel;
    enum zg_serial_fault fault;
    unsigned long made;

    if (argc != 4) {
        (void)fprintf(stderr, "usage: loom_port PORT BAUD SECONDS\n");
        return 2;
    }
    const struct zg_serial_settings settings = {
        .baud = strtoul(argv[2], NULL, 10), .data_bits = 8, .parity = 'N', .half_stops = 2
    };
    int error = zg_serial_open(&channel, argv[1], &settings, &fault, &made);
    if (error) {
        (void)fprintf(stderr, "%s: %s\n", argv[1], strerror(-error));
        return 3;
    }
    (void)host_begin(&host, &port, NULL);
    host_set_tension(&host, 120);
    const bool ran = run(&channel, &host, zg_channel_now_ns() + strtoul(argv[3], NULL, 10) * UINT64_C(1000000000));
    const struct zg_counters *counters = &host.node.link.counters;
    printf("%" PRIu32 " picks, %" PRIu32 " frames lost, %" PRIu32 " failed, %" PRIu32
           " rows answered, tension set %" PRIu32 " times\n",
           host.picks, counters->lost, counters->failed_check + counters->malformed + counters->timed_out,
           host.rows_answered, host.tensions_set);
    zg_channel_close(&channel);
    return ran && host.picks > 0 && counters->lost == 0 ? 0 : 1;
}
