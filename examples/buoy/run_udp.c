/* SPDX-License-Identifier: MIT */
/* The harbour's end over UDP: run_udp HOST PORT SECONDS. Prints each report; status 1: none came. */
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "host.h"
#include "posix/channel.h"

static uint32_t now_us(void *context)
{
    (void)context;
    return (uint32_t)(zg_channel_now_ns() / 1000);
}

static uint16_t boot_number(void *context)
{
    (void)context;
    return (uint16_t)(zg_channel_now_ns() >> 10);
}

/* One packet, one datagram. */
static bool send_packet(void *context, const uint8_t *bytes, size_t size)
{
    return zg_channel_write(context, bytes, size) != 0; /* an error is found when it is read */
}

static const struct zg_port port = { .now_us = now_us, .boot_number = boot_number, .send_packet = send_packet };

static void print_report(const struct buoy_sea *sea)
{
    printf("water %.2f degC, waves %.2f m, battery %.2f V\n", buoy_sea_water_in_degC(sea), buoy_sea_waves_in_m(sea),
           buoy_sea_battery_in_V(sea));
    (void)fflush(stdout);
}

int main(int argc, char **argv)
{
    static struct host host;
    static uint8_t bytes[BUOY_MAX_FRAME + 1]; /* what is longer is no packet of ours */
    struct zg_channel channel;
    uint32_t seen = 0;
    bool has_set = false;

    if (argc != 4) {
        (void)fprintf(stderr, "usage: run_udp HOST PORT SECONDS\n");
        return 2;
    }
    const int error = zg_channel_connect_udp(&channel, argv[1], argv[2]);
    if (error) {
        (void)fprintf(stderr, "%s: %s\n", argv[1], strerror(-error));
        return 3;
    }
    (void)host_begin(&host, &port, &channel);
    const uint64_t until_ns = zg_channel_now_ns() + strtoul(argv[3], NULL, 10) * UINT64_C(1000000000);
    while (zg_channel_now_ns() < until_ns) {
        const long size = zg_channel_read(&channel, bytes, sizeof bytes);
        if (size < 0)
            return 3;
        buoy_host_receive_packet(&host.node, bytes, (size_t)size);
        host_loop(&host);
        has_set = has_set || host_set_pace(&host, 1);
        if (host.reports > seen)
            print_report(&host.last);
        seen = host.reports;
        if (size == 0)
            zg_channel_wait(&channel, false, -1, 1000000);
    }
    zg_channel_close(&channel);
    printf("%" PRIu32 " reports, pace set %" PRIu32 " times\n", host.reports, host.settled);
    return host.reports > 0 ? 0 : 1;
}
