/* SPDX-License-Identifier: MIT */
/* One task owns the node, and no other calls its functions. What the others have to send, and what has arrived for
 * them, goes through queues. Here the kernel is the PC's: tasks are threads. */
#include <pthread.h>
#include <stdatomic.h>
#include <unistd.h>

#include "application.h"
#include "uart.h"

/* The kernel's: a queue whose items are copied, and a sleep. */
enum { QUEUE_LENGTH = 4 };

struct queue {
    pthread_mutex_t mutex;
    pthread_cond_t has_some;
    unsigned put, taken;
    union item {
        struct gauge_reading reading;
        struct gauge_lamp lamp;
    } items[QUEUE_LENGTH];
};

static bool queue_put(struct queue *queue, union item item)
{
    (void)pthread_mutex_lock(&queue->mutex);
    const bool has_room = queue->put - queue->taken < QUEUE_LENGTH;
    if (has_room)
        queue->items[queue->put++ % QUEUE_LENGTH] = item;
    (void)pthread_cond_signal(&queue->has_some);
    (void)pthread_mutex_unlock(&queue->mutex);
    return has_room;
}

static bool queue_take(struct queue *queue, union item *item, bool waits)
{
    (void)pthread_mutex_lock(&queue->mutex);
    while (waits && queue->put == queue->taken)
        (void)pthread_cond_wait(&queue->has_some, &queue->mutex);
    const bool has_one = queue->put != queue->taken;
    if (has_one)
        *item = queue->items[queue->taken++ % QUEUE_LENGTH];
    (void)pthread_mutex_unlock(&queue->mutex);
    return has_one;
}

static void sleep_ms(unsigned ms)
{
    (void)usleep(ms * 1000U);
}

/* The program. */
static struct queue readings = { .mutex = PTHREAD_MUTEX_INITIALIZER, .has_some = PTHREAD_COND_INITIALIZER },
                    lamps = { .mutex = PTHREAD_MUTEX_INITIALIZER, .has_some = PTHREAD_COND_INITIALIZER };
static atomic_uint interval_ms = 100; /* of the node's variables only the line's task reads the original */

static void *measure(void *nothing)
{
    for (uint16_t number = 1;; number++) {
        const union item item = { .reading = { .number = number, .pressure = measure_pressure() } };
        (void)queue_put(&readings, item); /* false: it is full, this reading is lost */
        sleep_ms(atomic_load(&interval_ms));
    }
    return nothing;
}

static void *serve_lamp(void *nothing)
{
    union item item;

    while (queue_take(&lamps, &item, true))
        switch_lamp(item.lamp.on);
    return nothing;
}

/* A handler runs in the line's task, so it must not wait. */
static void on_lamp(void *context, const struct gauge_lamp *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    (void)queue_put(&lamps, (union item){ .lamp = *message });
}

static void on_received(void)
{
    gauge_device_receive_isr(&node, uart_read(), 0);
}

static void on_can_send(void)
{
    uint8_t byte;

    if (gauge_device_transmit_isr(&node, &byte))
        uart_write(byte);
    else
        uart_interrupts.can_send = NULL;
}

static void start_transmit(void *context)
{
    (void)context;
    uart_interrupts.can_send = on_can_send;
}

static const struct zg_port port = { .now_us = uart_now_us,
                                     .start_transmit = start_transmit,
                                     .boot_number = uart_boot_number };
static const struct gauge_device_handlers handlers = { .lamp = on_lamp };

/* With a priority above the others'. It waits for a notification, 1 ms at most: the UART's interrupts give one, and so
 * does who puts something into its queue. */
static void serve_line(void)
{
    union item item;

    for (;;) {
        while (queue_take(&readings, &item, false))
            (void)gauge_device_send_reading(&node, &item.reading);
        gauge_device_poll(&node);
        atomic_store(&interval_ms, node.variables.interval.value);
        uart_wait();
    }
}

int main(int argc, char **argv)
{
    pthread_t tasks[2];

    uart_begin(argc > 1 ? argv[1] : "gauge.tty");
    (void)gauge_device_init(&node, &port, NULL, &handlers, NULL);
    node.variables.interval.value = 100;
    uart_interrupts.received = on_received;
    if (pthread_create(&tasks[0], NULL, measure, NULL) != 0 || pthread_create(&tasks[1], NULL, serve_lamp, NULL) != 0)
        return 1;
    serve_line();
}
