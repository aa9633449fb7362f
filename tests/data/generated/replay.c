/* SPDX-License-Identifier: MIT */
/* Replays the events of docs/model/delivery.pml on generated ends, and prints what they do, in the same words. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "thread_device.h"
#include "thread_host.h"

enum { ROOM = 3, MOST = 64 };

struct way {
    uint8_t bytes[MOST];
    size_t size; /* 0: none */
    unsigned number;
};

static struct thread_host host;
static struct thread_device device;
static struct way messages[ROOM], acknowledgements[ROOM];
static int taken;
static unsigned settled[MOST], settled_count, given_up[MOST], given_up_count;
static unsigned next, within; /* the number to send next, and how many the handlers still send */

static uint32_t now_us(void *context)
{
    (void)context;
    return UINT32_C(0) - 5; /* a moment before it wraps, always */
}

static void start_transmit(void *context)
{
    (void)context;
}

static uint16_t boot_number(void *context)
{
    return context ? 7 : 9;
}

static const struct zg_port port = { .now_us = now_us, .start_transmit = start_transmit, .boot_number = boot_number };

static void on_pull(void *context, const struct thread_pull *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    taken = (int)message->number;
}

static void on_settled(void *context, const struct thread_pull *message, enum zg_settled how)
{
    struct thread_pull pull = { (uint8_t)next };

    (void)context;
    if (how == ZG_DELIVERED)
        settled[settled_count++] = message->number;
    else
        given_up[given_up_count++] = message->number;
    for (; within > 0 && thread_host_send_pull(&host, &pull) == 0; within--)
        pull.number = (uint8_t)++next;
}

/* Takes the next frame that a node has to send. */
static struct way drain(struct zg_link *link)
{
    struct way way = { { 0 }, 0, 0 };

    while (way.size < MOST && zg_link_transmit_isr(link, &way.bytes[way.size]))
        if (way.bytes[way.size++] == 0)
            break;
    return way;
}

static void poll_both(void)
{
    thread_host_poll(&host);
    thread_device_poll(&device);
}

static void bring(const struct way *way, struct zg_link *link)
{
    for (size_t i = 0; i < way->size; i++)
        zg_link_receive_isr(link, way->bytes[i], 0);
    poll_both();
}

static void meet(void)
{
    for (unsigned i = 0; i < 8; i++) {
        struct way there, back;
        poll_both();
        there = drain(&host.link);
        back = drain(&device.link);
        bring(&there, &device.link);
        bring(&back, &host.link);
    }
    if (!host.session.hello.known || !device.session.hello.known)
        printf("they do not know each other\n");
}

static void keep(struct way *ways, struct way way, unsigned number)
{
    unsigned i = 0;

    if (way.size == 0)
        return;
    while (i < ROOM && ways[i].size > 0)
        i++;
    if (i == ROOM) {
        printf("no room on the way\n");
        return;
    }
    ways[i] = way;
    ways[i].number = number;
}

static struct zg_open *open_of(unsigned number)
{
    return &host.session.open[number % (sizeof host.session.open / sizeof host.session.open[0])];
}

/* Keeps what the handlers sent, which the next polls put on the line. */
static void keep_sent(unsigned first)
{
    poll_both();
    poll_both(); /* notices that it left */
    for (; first < next; first++) {
        const struct way way = drain(&host.link);
        poll_both();
        keep(messages, way, first);
        if (way.size == 0)
            printf("nothing was sent of %u\n", first);
    }
    if (within > 0)
        printf("the window is full\n");
    within = 0;
}

static void send(unsigned number)
{
    const struct thread_pull pull = { (uint8_t)number };

    if (thread_host_send_pull(&host, &pull) != 0)
        printf("the window is full\n");
    next = number + 1;
    keep_sent(number);
    printf("send %u\n", number);
}

/* The timeout of an open message ends. If it is given up, its handler sends `count` messages. */
static void time_out(unsigned number, unsigned count)
{
    const unsigned first = next, told = count;
    struct way way;

    within = count;
    open_of(number)->due_us = now_us(NULL);
    poll_both();
    poll_both();
    if (given_up_count == 0) {
        way = drain(&host.link);
        poll_both();
        keep(messages, way, number);
        if (way.size > 0)
            printf("again %u\n", number);
    }
    for (unsigned i = 0; i < given_up_count; i++)
        printf("give up %u within %u\n", given_up[i], told);
    given_up_count = 0;
    keep_sent(first);
}

static void bring_message(unsigned at, int repeated)
{
    struct way answer;
    const struct way way = messages[at];

    if (!repeated)
        messages[at].size = 0;
    taken = -1;
    bring(&way, &device.link);
    answer = drain(&device.link);
    printf("message %u %d %s %u\n", at, repeated, taken >= 0 ? "new" : answer.size > 0 ? "copy" : "early", way.number);
    if (taken >= 0 && taken != (int)way.number)
        printf("it was %d\n", taken);
    keep(acknowledgements, answer, 0);
}

static int ascending(const void *a, const void *b)
{
    return (int)*(const unsigned *)a - (int)*(const unsigned *)b;
}

static void bring_acknowledgement(unsigned at, unsigned count)
{
    const struct way way = acknowledgements[at];
    const unsigned first = next;

    acknowledgements[at].size = 0;
    settled_count = 0;
    within = count;
    bring(&way, &host.link);
    qsort(settled, settled_count, sizeof settled[0], ascending);
    for (unsigned i = 0; i < settled_count; i++)
        printf("settle %u\n", settled[i]);
    printf("acknowledge %u within %u\n", at, count);
    keep_sent(first);
}

int main(void)
{
    static struct thread_host_handlers host_handlers;
    static struct thread_device_handlers device_handlers;
    char line[80], word[20];
    unsigned first, second;

    host_handlers.pull_settled = on_settled;
    device_handlers.pull = on_pull;
    (void)thread_host_init(&host, &port, NULL, &host_handlers, NULL);
    (void)thread_device_init(&device, &port, &device, &device_handlers, NULL);
    meet();
    while (fgets(line, sizeof line, stdin)) {
        if (sscanf(line, " send %u", &first) == 1)
            send(first);
        else if (sscanf(line, " again %u", &first) == 1)
            time_out(first, 0);
        else if (sscanf(line, " give up %u within %u", &first, &second) == 2)
            time_out(first, second);
        else if (sscanf(line, " lose %19s %u", word, &first) == 2) {
            (strcmp(word, "message") == 0 ? messages : acknowledgements)[first].size = 0;
            printf("lose %s %u\n", word, first);
        } else if (sscanf(line, " message %u %u", &first, &second) == 2)
            bring_message(first, (int)second);
        else if (sscanf(line, " acknowledge %u within %u", &first, &second) == 2)
            bring_acknowledgement(first, second);
        else if (strstr(line, "done"))
            printf("done\n");
    }
    return 0;
}
