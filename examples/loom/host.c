/* SPDX-License-Identifier: MIT */
/* The pattern PC: loads the next row with each pick, again if no reply comes, and keeps watch over the loom. */
#include "host.h"

#include "zeugma/clock.h"

enum { REPLY_US = 50000 };

static void load_row(struct host *host)
{
    const struct loom_load_row row = { host->row, (uint16_t)(0x5555U << (host->row & 1U)) };
    host->row_sent_us = host->port->now_us(host->port_context);
    host->waiting = true;
    (void)loom_host_send_load_row(&host->node, &row); /* no room: sent again after REPLY_US */
}

static void on_pick(void *context, const struct loom_pick *pick, const struct zg_frame *frame)
{
    struct host *host = context;
    double tension = loom_pick_tension_in_N(pick);
    (void)frame;
    host->picks++;
    host->picks_missed += pick->number - host->last_pick - 1;
    host->last_pick = pick->number;
    if (tension > host->most_tension)
        host->most_tension = tension;
    if (!host->waiting)
        load_row(host);
}

static void on_stop(void *context, const struct loom_stop *stop, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)frame;
    host->stops += stop->cause == LOOM_STOP_CAUSE_WEFT_BREAK;
}

static void on_row_taken(void *context, const struct loom_row_taken *taken, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)frame;
    if (!host->waiting || taken->row != host->row)
        return; /* a second reply, to a row sent twice */
    host->waiting = false;
    host->rows_acknowledged++;
    host->row++;
}

static const struct loom_host_handlers handlers = { .pick = on_pick, .row_taken = on_row_taken, .stop = on_stop };

int host_begin(struct host *host, const struct zg_port *port, void *port_context)
{
    *host = (struct host){ .port = port, .port_context = port_context };
    int error = loom_host_init(&host->node, port, port_context, &handlers, host);
    if (error == 0)
        load_row(host);
    return error;
}

void host_loop(struct host *host)
{
    loom_host_poll(&host->node);
    if (host->waiting && zg_clock_since(host->port->now_us(host->port_context), host->row_sent_us) >= REPLY_US) {
        host->rows_again++;
        load_row(host);
    }
}
