/* SPDX-License-Identifier: MIT */
/* The waterworks' PC: asks one pump after the other for all of its registers, and sets one of them now and then. */
#include "host.h"

#include <string.h>

enum { SETPOINT = 4, REGISTERS = 6, SETS_EVERY = 16, LIES_EVERY = 50 /* requests */ };

static struct pump *pump_of(struct host *host, const struct zg_frame *frame)
{
    return &host->pumps[(frame->header.source - 1U) % PUMPS];
}

static void on_registers(void *context, const struct dosing_registers *message, const struct zg_frame *frame)
{
    struct pump *pump = pump_of(context, frame);

    for (unsigned i = 0; i < message->values_count && i < REGISTERS; i++)
        pump->registers[i] = message->values[i];
}

static void on_refused(void *context, const struct dosing_read_refused *message, const struct zg_frame *frame)
{
    (void)message;
    pump_of(context, frame)->refused++;
}

static void settled(struct host *host, zg_header_number to, enum zg_settled how)
{
    struct pump *pump = &host->pumps[(to - 1U) % PUMPS];

    pump->answered += how == ZG_DELIVERED;
    pump->given_up += how != ZG_DELIVERED;
}

static void on_read_settled(void *context, zg_header_number to, const struct dosing_read_registers *message,
                            enum zg_settled how)
{
    (void)message;
    settled(context, to, how);
}

static void on_write_settled(void *context, zg_header_number to, const struct dosing_write_register *message,
                             enum zg_settled how)
{
    (void)message;
    settled(context, to, how);
}

static const struct dosing_host_handlers handlers = { .registers = on_registers,
                                                      .read_refused = on_refused,
                                                      .read_registers_settled = on_read_settled,
                                                      .write_register_settled = on_write_settled };

int host_begin(struct host *host, const struct zg_port *port, void *port_context)
{
    memset(host, 0, sizeof *host);
    int error = dosing_host_init(&host->node, port, port_context, &handlers, host);
    for (unsigned i = 0; i < PUMPS && !error; i++)
        error = dosing_host_add(&host->node, (zg_header_number)(i + 1));
    return error;
}

/* One request after the other: a function says ZG_EROOM while one is open. */
void host_loop(struct host *host)
{
    const unsigned pump = host->turn % PUMPS;
    const zg_header_number to = (zg_header_number)(pump + 1);
    const struct dosing_write_register set = { SETPOINT, (uint16_t)(20 + host->turn % 90) };
    const struct dosing_read_registers read = { 0, host->turn % LIES_EVERY == 1 ? REGISTERS + 1 : REGISTERS };

    dosing_host_poll(&host->node);
    const int error = host->turn % SETS_EVERY == 0 ? dosing_host_send_write_register(&host->node, to, &set)
                                                   : dosing_host_send_read_registers(&host->node, to, &read);
    if (error)
        return;
    host->pumps[pump].asked++;
    host->turn++;
}
