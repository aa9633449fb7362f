/* SPDX-License-Identifier: MIT */
/* The console: plays a melody bell by bell, sometimes a chord, and asks one bell after the other for its state. */
#include "host.h"

#include <string.h>

#include "zeugma/clock.h"

enum { STRIKE_US = 300000, STROKE_US = 1000000, ASK_US = 100000 };

static struct bell *bell_at(struct host *host, zg_header_number address)
{
    return &host->bells[address - 1];
}

static void on_bell(void *context, const struct carillon_bell *message, const struct zg_frame *frame)
{
    struct bell *bell = bell_at(context, frame->header.source);
    bell->answered++;
    bell->blows = message->blows;
}

static void on_strike_settled(void *context, zg_header_number to, const struct carillon_strike *strike,
                              enum zg_settled how)
{
    struct bell *bell = bell_at(context, to);
    (void)strike;
    if (how == ZG_DELIVERED)
        bell->struck++;
    else
        bell->missed++;
}

static void on_link(void *context, zg_header_number address, enum zg_link_event event)
{
    bell_at(context, address)->downs += event == ZG_LINK_DOWN;
    bell_at(context, address)->ups += event == ZG_LINK_UP;
}

static const struct carillon_host_handlers handlers = { .bell = on_bell,
                                                        .strike_settled = on_strike_settled,
                                                        .link_changed = on_link };

int host_begin(struct host *host, const struct zg_port *port, void *port_context)
{
    memset(host, 0, sizeof *host);
    host->port = port;
    host->port_context = port_context;
    host->next_strike_us = host->next_stroke_us = host->next_ask_us = port->now_us(port_context) + STROKE_US;
    int error = carillon_host_init(&host->node, port, port_context, &handlers, host);
    for (zg_header_number address = 1; address <= BELLS && error == 0; address++)
        error = carillon_host_add(&host->node, address);
    return error;
}

static bool is_time(struct host *host, uint32_t *next_us, uint32_t period_us)
{
    if (!zg_clock_reached(host->port->now_us(host->port_context), *next_us))
        return false;
    *next_us += period_us;
    return true;
}

void host_loop(struct host *host)
{
    carillon_host_poll(&host->node);
    if (is_time(host, &host->next_strike_us, STRIKE_US)) {
        const zg_header_number address = 1 + host->melody++ * 5U % BELLS;
        const struct carillon_strike strike = { 60 };
        bell_at(host, address)->strikes += carillon_host_send_strike(&host->node, address, &strike) == 0;
    }
    if (is_time(host, &host->next_ask_us, ASK_US)) {
        const zg_header_number address = carillon_host_next(&host->node);
        const struct carillon_ask_bell ask = { 0 };
        bell_at(host, address)->asked += carillon_host_send_ask_bell(&host->node, address, &ask) == 0;
    }
    host->stroke_due = host->stroke_due || is_time(host, &host->next_stroke_us, STROKE_US);
    if (host->stroke_due) { /* until the line is free */
        const struct carillon_stroke stroke = { 0x95, 80 };
        host->stroke_due = carillon_host_send_stroke(&host->node, EVERYBODY, &stroke) != 0;
        host->strokes += !host->stroke_due;
        host->strokes_late += host->stroke_due;
    }
}
