/* SPDX-License-Identifier: MIT */
/*
 * A generated host of bench.yaml in a scene that is read: "S NAME" sends a request, "R TEXT" is a line that arrives, "T
 * MS" is time that passes. What it sends, hears and is told is printed.
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bench_host.h"

static uint32_t clock_us = UINT32_C(0) - 400000;
static struct bench_host host;

static uint32_t now(void *context)
{
    (void)context;
    return clock_us;
}

static void start(void *context)
{
    (void)context;
}

static void level(void *context, const struct bench_level *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    printf("level %d\n", message->mm);
}

static void name(void *context, const struct bench_name *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    printf("name %.*s\n", (int)message->text_count, message->text);
}

static void entry(void *context, const struct bench_entry *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    printf("entry %u %u\n", message->number, message->mm);
}

static void done(void *context, const struct bench_done *message, const struct zg_frame *frame)
{
    (void)context;
    (void)message;
    (void)frame;
    puts("done");
}

static void failed(void *context, const struct bench_failed *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    printf("failed %u\n", message->code);
}

static void settled(const char *which, enum zg_settled how)
{
    printf("%s: %s\n", which, how == ZG_DELIVERED ? "delivered" : how == ZG_SETTLED_NO_ANSWER ? "no answer" : "?");
}

static void level_settled(void *context, const struct bench_ask_level *message, enum zg_settled how)
{
    (void)context;
    (void)message;
    settled("ask_level", how);
}

static void log_settled(void *context, const struct bench_ask_log *message, enum zg_settled how)
{
    (void)context;
    (void)message;
    settled("ask_log", how);
}

static void name_settled(void *context, const struct bench_ask_name *message, enum zg_settled how)
{
    (void)context;
    (void)message;
    settled("ask_name", how);
}

static int ask(const char *which)
{
    static const struct bench_ask_level ask_level;
    static const struct bench_ask_log ask_log;
    static const struct bench_ask_name ask_name;

    return strcmp(which, "ask_level") == 0 ? bench_host_send_ask_level(&host, &ask_level)
           : strcmp(which, "ask_log") == 0 ? bench_host_send_ask_log(&host, &ask_log)
                                           : bench_host_send_ask_name(&host, &ask_name);
}

static char waiting[100][16];
static unsigned first, count;

/* Sends what waits for its turn, and prints what leaves. */
static void turn(void)
{
    uint8_t byte;

    bench_host_poll(&host);
    if (first < count && ask(waiting[first]) == 0)
        first++;
    if (zg_ring_used(&host.link.transmit) == 0)
        return;
    printf("> ");
    while (bench_host_transmit_isr(&host, &byte))
        if (byte != '\n')
            putchar(byte);
    putchar('\n');
}

int main(void)
{
    static const struct bench_host_handlers handlers = { .level = level,
                                                         .name = name,
                                                         .entry = entry,
                                                         .done = done,
                                                         .failed = failed,
                                                         .ask_level_settled = level_settled,
                                                         .ask_log_settled = log_settled,
                                                         .ask_name_settled = name_settled };
    static const struct zg_port port = { .now_us = now, .start_transmit = start };
    char line[100];

    bench_host_init(&host, &port, NULL, &handlers, NULL);
    while (fgets(line, sizeof line, stdin)) {
        const size_t length = strlen(line);
        if (line[0] == 'S') {
            memcpy(waiting[count], line + 2, length - 3);
            waiting[count++][length - 3] = '\0';
        } else if (line[0] == 'R') {
            bench_host_receive(&host, (const uint8_t *)line + 2, length - 2);
        }
        for (int ms = line[0] == 'T' ? atoi(line + 2) : 1; ms > 0; ms--) {
            clock_us += 1000;
            turn();
        }
    }
    printf("late %lu, resent %lu, given up %lu\n", (unsigned long)host.link.counters.late,
           (unsigned long)host.link.counters.resent, (unsigned long)host.link.counters.given_up);
    return 0;
}
