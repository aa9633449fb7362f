/* SPDX-License-Identifier: MIT */
/* The pattern PC: loads the next row with each pick, sets the tension, and monitors the loom. */
#include "host.h"

#include <string.h>

static void on_pick(void *context, const struct loom_pick *pick, const struct zg_frame *frame)
{
    struct host *host = context;
    const struct loom_load_row row = { host->row, (uint16_t)(0x5555U << (host->row & 1U)) };
    double tension = loom_pick_tension_in_N(pick);
    (void)frame;
    host->picks++;
    host->picks_missed += pick->number - host->last_pick - 1;
    host->last_pick = pick->number;
    if (tension > host->most_tension)
        host->most_tension = tension;
    if (loom_host_send_load_row(&host->node, &row) == 0) { /* otherwise the last two are not answered yet */
        host->row++;
        host->rows_loaded++;
    }
}

static void on_stop(void *context, const struct loom_stop *stop, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)frame;
    host->stops += stop->cause == LOOM_STOP_CAUSE_WEFT_BREAK;
}

static void on_row_settled(void *context, const struct loom_load_row *row, enum zg_settled how)
{
    struct host *host = context;
    (void)row;
    if (how == ZG_DELIVERED)
        host->rows_answered++;
    else
        host->rows_failed++;
}

static void on_tension(void *context, const struct loom_variable_target_tension *tension, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)tension;
    (void)frame;
    host->tensions_set++;
}

static void on_console(void *context, const struct loom_console *message, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)frame;
    if (message->text_count > sizeof host->console - host->console_size)
        host->console_size = 0;
    memcpy(host->console + host->console_size, message->text, message->text_count);
    host->console_size = (uint8_t)(host->console_size + message->text_count);
}

static const struct loom_host_handlers handlers = { .pick = on_pick,
                                                    .stop = on_stop,
                                                    .load_row_settled = on_row_settled,
                                                    .variable_target_tension = on_tension,
                                                    .console = on_console };

int host_begin(struct host *host, const struct zg_port *port, void *port_context)
{
    memset(host, 0, sizeof *host);
    return loom_host_init(&host->node, port, port_context, &handlers, host);
}

void host_loop(struct host *host)
{
    loom_host_poll(&host->node);
}

void host_set_tension(struct host *host, double newton)
{
    struct loom_variable_target_tension tension;
    if (loom_variable_target_tension_set_value_in_N(&tension, newton) == 0)
        (void)loom_host_write_target_tension(&host->node, &tension);
}
