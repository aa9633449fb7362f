/* SPDX-License-Identifier: MIT */
/* The registrant's PC: asks for one thing after the other. */
#include "host.h"

#include <string.h>

static void on_number(void *context, const struct panel_number *message, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)frame;
    host->numbers++;
    if (host->is_touch)
        host->touch = message->value;
}

static void on_text(void *context, const struct panel_text *message, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)frame;
    host->texts++;
    memcpy(host->name, message->text, message->text_count);
    host->name[message->text_count] = '\0';
}

static void on_failed(void *context, const struct panel_failed *message, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)message;
    (void)frame;
    host->refusals++;
}

static void settled(struct host *host, enum zg_settled how)
{
    host->answered += how == ZG_DELIVERED;
    host->given_up += how != ZG_DELIVERED;
}

static void on_wind(void *context, const struct panel_read_wind *message, enum zg_settled how)
{
    (void)message;
    settled(context, how);
}

static void on_stop(void *context, const struct panel_read_stop *message, enum zg_settled how)
{
    (void)message;
    settled(context, how);
}

static void on_touch(void *context, const struct panel_read_touch *message, enum zg_settled how)
{
    (void)message;
    settled(context, how);
}

static void on_pull(void *context, const struct panel_pull *message, enum zg_settled how)
{
    (void)message;
    settled(context, how);
}

int host_begin(struct host *host, const struct zg_port *port, void *port_context)
{
    static const struct panel_host_handlers handlers = { .number = on_number,
                                                         .text = on_text,
                                                         .failed = on_failed,
                                                         .read_wind_settled = on_wind,
                                                         .read_stop_settled = on_stop,
                                                         .read_touch_settled = on_touch,
                                                         .pull_settled = on_pull };

    memset(host, 0, sizeof *host);
    return panel_host_init(&host->node, port, port_context, &handlers, host);
}

/* The next request; a function says ZG_EROOM while another is open. */
static int ask(struct host *host)
{
    const struct panel_read_wind wind = { 0 };
    const struct panel_read_touch touch = { 0 };
    const struct panel_read_stop stop = { .stop = (uint8_t)(host->asked / 4 % 10 + 1) };
    const struct panel_pull pull = { .stop = (uint8_t)(host->asked / 4 % 8 + 1) };

    switch (host->asked % 4) {
    case 0: return panel_host_send_read_wind(&host->node, &wind);
    case 1: return panel_host_send_read_touch(&host->node, &touch);
    case 2: return panel_host_send_read_stop(&host->node, &stop);
    default: return panel_host_send_pull(&host->node, &pull);
    }
}

void host_loop(struct host *host)
{
    panel_host_poll(&host->node);
    if (host->asked > host->answered + host->given_up || ask(host) != 0)
        return;
    host->is_touch = host->asked % 4 == 1;
    host->asked++;
}
