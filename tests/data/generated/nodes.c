/* SPDX-License-Identifier: MIT */
/* A host and two devices of definitions/behaviour.yaml on a shared line: prints what each handler sees. */
#include <stdio.h>

#include "loom_device.h"
#include "loom_host.h"
#include "loom_text.h"

static uint32_t clock_us;

static uint32_t now_us(void *context)
{
    (void)context;
    return clock_us;
}

static void start_transmit(void *context)
{
    (void)context;
}

static uint16_t boot_number(void *context)
{
    static uint16_t last;
    (void)context;
    return ++last;
}

static const struct zg_port port = { .now_us = now_us, .start_transmit = start_transmit, .boot_number = boot_number };

static struct loom_host host;
static struct loom_device devices[2];

static void on_load_row(void *context, const struct loom_load_row *message, const struct zg_frame *frame)
{
    struct loom_device *device = (struct loom_device *)context;
    struct loom_row_taken taken;

    printf("device %u: %s %u from %u, ticket %u\n", (unsigned)device->link.address, loom_message_text(frame->header.id),
           message->row, (unsigned)frame->header.source, frame->header.ticket);
    taken.row = message->row;
    taken.room = 7;
    if (loom_device_send_row_taken(device, &taken, frame->header.ticket) != 0)
        printf("not sent\n");
}

static void on_set_speed(void *context, const struct loom_set_speed *message, const struct zg_frame *frame)
{
    const struct loom_device *device = (const struct loom_device *)context;
    printf("device %u: speed %u, ticket %u, base %u\n", (unsigned)device->link.address, message->picks_per_min,
           frame->header.ticket, frame->header.base);
}

static void on_row_taken(void *context, const struct loom_row_taken *message, const struct zg_frame *frame)
{
    (void)context;
    printf("host: row %u taken by %u, ticket %u\n", message->row, (unsigned)frame->header.source, frame->header.ticket);
}

static void on_speed_settled(void *context, zg_header_number to, const struct loom_set_speed *message,
                             enum zg_settled how)
{
    (void)context;
    printf("host: speed %u of %u: %s\n", message->picks_per_min, (unsigned)to, zg_settled_text(how));
}

/* Every byte that a node sends reaches all others. */
static void carry(unsigned ms)
{
    struct zg_link *links[3];
    uint8_t byte;

    links[0] = &host.link;
    links[1] = &devices[0].link;
    links[2] = &devices[1].link;
    for (unsigned step = 0; step < 10 * ms; step++) {
        for (unsigned from = 0; from < 3; from++) {
            while (zg_link_transmit_isr(links[from], &byte))
                for (unsigned to = 0; to < 3; to++)
                    if (to != from)
                        zg_link_receive_isr(links[to], byte, 0);
            loom_device_poll(&devices[0]);
            loom_device_poll(&devices[1]);
            loom_host_poll(&host);
        }
        clock_us += 100;
    }
}

int main(void)
{
    struct loom_device_handlers device_handlers = { 0 };
    struct loom_host_handlers host_handlers = { 0 };
    struct loom_load_row row = { 0 };
    struct loom_set_speed speed = { 0 };

    device_handlers.load_row = on_load_row;
    device_handlers.set_speed = on_set_speed;
    host_handlers.row_taken = on_row_taken;
    host_handlers.set_speed_settled = on_speed_settled;
    (void)loom_host_init(&host, &port, NULL, &host_handlers, NULL);
    for (unsigned i = 0; i < 2; i++) {
        (void)loom_device_init(&devices[i], &port, NULL, &device_handlers, &devices[i]);
        loom_device_set_address(&devices[i], (zg_header_number)(i + 1));
        if (loom_host_add(&host, (zg_header_number)(i + 1)) != 0)
            printf("not added\n");
    }
    if (loom_host_add(&host, 2) != ZG_EINVALID || loom_host_add(&host, 15) != ZG_EINVALID)
        printf("added what cannot be\n");
    printf("asked in turn: %u", (unsigned)loom_host_next(&host));
    printf(" %u", (unsigned)loom_host_next(&host));
    printf(" %u\n", (unsigned)loom_host_next(&host));
    for (uint16_t i = 0; i < 3; i++) { /* to the one, to the other, to all and to none */
        row.row = i;
        speed.picks_per_min = (uint16_t)(100 + i);
        if (loom_host_send_load_row(&host, i + 1U, &row) != (i < 2 ? 0 : ZG_EINVALID) ||
            loom_host_send_set_speed(&host, i < 2 ? i + 1U : 15, &speed) != (i < 2 ? 0 : ZG_EINVALID))
            printf("not sent\n");
        if (i < 2 && loom_host_send_load_row(&host, i + 1U, &row) != ZG_EROOM)
            printf("sent beyond its window\n");
        carry(100);
    }
    (void)loom_device_init(&devices[1], &port, NULL, &device_handlers, &devices[1]); /* it restarts without saying so */
    loom_device_set_address(&devices[1], 2);
    for (unsigned i = 0; i < 2; i++) { /* the first one informs the host */
        speed.picks_per_min = (uint16_t)(200 + i);
        (void)loom_host_send_set_speed(&host, 2, &speed);
        carry(60);
    }
    for (unsigned i = 0; i < 2; i++)
        printf("device %u: %u frames, %u not for it, %u lost\n", i + 1, (unsigned)devices[i].link.counters.frames_in,
               (unsigned)devices[i].link.counters.not_for_us, (unsigned)devices[i].link.counters.lost);
    return 0;
}
