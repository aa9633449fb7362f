/* SPDX-License-Identifier: MIT */
/* The mill's PC: adds the batches up, and orders the tare of the next sack. */
#include "host.h"

#include <string.h>

static void on_weight(void *context, const struct weigher_weight *message, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)frame;
    host->weights++;
    host->contradictory += message->net != message->gross - host->tare;
    host->last = *message;
}

static void on_batch(void *context, const struct weigher_batch *message, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)frame;
    host->batches++;
    host->dry += !message->has_moisture;
    host->total += weigher_batch_total_in_kg(message);
}

static const struct weigher_host_handlers handlers = { .weight = on_weight, .batch = on_batch };

int host_begin(struct host *host, const struct zg_port *port, void *port_context)
{
    memset(host, 0, sizeof *host);
    return weigher_host_init(&host->node, port, port_context, &handlers, host);
}

void host_loop(struct host *host)
{
    weigher_host_poll(&host->node);
}

void host_tare(struct host *host, double kg)
{
    struct weigher_tare tare;

    if (weigher_tare_set_weight_in_kg(&tare, kg) == 0 && weigher_host_send_tare(&host->node, &tare) == 0)
        host->tare = tare.weight;
}
