/* SPDX-License-Identifier: MIT */
/* The weigher in its mode with a check, on the line of run_sim.c; and a query whose answer is a bare number. */
#include <inttypes.h>
#include <stdio.h>
#include <string.h>

#include "checked_weigher_device.h"
#include "checked_weigher_host.h"
#include "sim/line.h"

enum { DEVICE_END, HOST_END };

static const uint64_t step_ns = 1000000, run_ns = UINT64_C(600000000000), period_ns = 200000000;
static const uint64_t query_ns = UINT64_C(10000000000);
static const uint32_t number = 20417;

static struct checked_weigher_device device;
static struct checked_weigher_host host;
static struct checked_weigher_weight shown;
static uint32_t weights, heard, wrong, asked, answered, given_up, wrong_numbers;

static void on_ask(void *context, const struct checked_weigher_ask_serial *message, const struct zg_frame *frame)
{
    const struct checked_weigher_serial answer = { .number = number };
    (void)context;
    (void)message;
    (void)frame;
    (void)checked_weigher_device_send_serial(&device, &answer); /* without room it is asked again */
}

static void on_weight(void *context, const struct checked_weigher_weight *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    heard++;
    wrong += message->gross != shown.gross || message->net != shown.net || message->motion != shown.motion;
}

static void on_serial(void *context, const struct checked_weigher_serial *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    wrong_numbers += message->number != number;
}

static void on_settled(void *context, const struct checked_weigher_ask_serial *message, enum zg_settled how)
{
    (void)context;
    (void)message;
    answered += how == ZG_DELIVERED;
    given_up += how != ZG_DELIVERED;
}

static void device_loop(uint64_t now)
{
    checked_weigher_device_poll(&device);
    if (now % period_ns != 0)
        return;
    weights++;
    shown.gross = (int32_t)(weights % 1350) * 37 - 4;
    shown.net = shown.gross - 25;
    shown.motion = CHECKED_WEIGHER_MOTION_MOVING;
    (void)checked_weigher_device_send_weight(&device, &shown);
}

static void host_loop(uint64_t now)
{
    static const struct checked_weigher_ask_serial ask;

    checked_weigher_host_poll(&host);
    if (now % query_ns == query_ns / 2)
        asked += checked_weigher_host_send_ask_serial(&host, &ask) == 0;
}

int main(void)
{
    static const struct checked_weigher_device_handlers device_handlers = { .ask_serial = on_ask };
    static const struct checked_weigher_host_handlers host_handlers = { .weight = on_weight,
                                                                        .serial = on_serial,
                                                                        .ask_serial_settled = on_settled };
    const struct zg_sim_faults faults = { .bit_error_rate = 1e-4, .drop = 2e-4 };
    const struct zg_sim_settings settings = {
        .baud = 9600, .half_bits = 20, .faults = { faults, faults }, .seed = 3, .clock_us = UINT32_C(0) - 300000000
    };
    struct zg_sim_line *line = zg_sim_line_new(&settings);

    checked_weigher_device_init(&device, &zg_sim_port, zg_sim_context(line, DEVICE_END), &device_handlers, NULL);
    zg_sim_attach(line, DEVICE_END, &device.link);
    checked_weigher_host_init(&host, &zg_sim_port, zg_sim_context(line, HOST_END), &host_handlers, NULL);
    zg_sim_attach(line, HOST_END, &host.link);
    for (uint64_t now = step_ns; now <= run_ns; now += step_ns) {
        zg_sim_advance(line, now);
        device_loop(now);
        host_loop(now);
    }
    printf("weigher with a check behind `*`: the same 10 virtual minutes and faults, the host's way too\n");
    printf("  weights %6" PRIu32 " shown, %" PRIu32 " read; %" PRIu32 " failed their check\n", weights, heard,
           host.link.counters.failed_check);
    printf("  wrong   %6" PRIu32 " of the weights read\n", wrong);
    printf("  serial  %6" PRIu32 " times asked for, %" PRIu32 " answered, %" PRIu32 " given up; asked again %" PRIu32
           " times\n",
           asked, answered, given_up, host.link.counters.resent);
    zg_sim_line_free(line);
    return heard <= weights && heard * UINT64_C(100) > weights * UINT64_C(90) && wrong * UINT64_C(500) < weights &&
                   answered + given_up == asked && answered * UINT64_C(10) > asked * UINT64_C(9) && wrong_numbers == 0
               ? 0
               : 1;
}
