/* SPDX-License-Identifier: MIT */
/* A device fed by DMA does the same, byte for byte, as one whose interrupts pass each byte. */
#include <stdlib.h>
#include <string.h>

#include "loom_device.h"
#include "loom_host.h"
#include "support.h"

static struct loom_host host;
static struct loom_device by_interrupt, by_dma;
static GByteArray *sent_by_interrupt, *sent_by_dma;

static uint32_t now_us(void *context)
{
    (void)context;
    return test_clock_us;
}

static uint16_t boot_number(void *context)
{
    (void)context;
    return 77;
}

static const struct zg_port port = { .now_us = now_us, .boot_number = boot_number };

static void on_row(void *context, const struct loom_load_row *message, const struct zg_frame *frame)
{
    const struct loom_row_taken taken = { message->row, message->lifts_count };
    assert_int_equal(loom_device_send_row_taken(context, &taken, frame->header.ticket), 0);
}

static const struct loom_device_handlers handlers = { .load_row = on_row };

static void begin(void)
{
    test_clock_us = UINT32_C(0) - 50000;
    assert_int_equal(loom_host_init(&host, &port, NULL, NULL, NULL), 0);
    assert_int_equal(loom_device_init(&by_interrupt, &port, NULL, &handlers, &by_interrupt), 0);
    assert_int_equal(loom_device_init(&by_dma, &port, NULL, &handlers, &by_dma), 0);
    sent_by_interrupt = g_byte_array_new();
    sent_by_dma = g_byte_array_new();
}

static void end(void)
{
    g_byte_array_unref(sent_by_interrupt);
    g_byte_array_unref(sent_by_dma);
}

/* What the devices have to send: taken byte by byte, and in pieces of which a part is sent at a time. */
static void send_all(void)
{
    const uint8_t *first;
    size_t count;
    uint8_t byte;

    while (loom_device_transmit_isr(&by_interrupt, &byte))
        g_byte_array_append(sent_by_interrupt, &byte, 1);
    while ((count = loom_device_transmit_span(&by_dma, &first)) > 0) {
        count = 1 + (size_t)rand() % count;
        g_byte_array_append(sent_by_dma, first, (guint)count);
        loom_device_transmitted(&by_dma, count);
    }
}

static void test_same(void **state)
{
    (void)state;
    begin();
    for (unsigned turn = 0; turn < 400; turn++) {
        uint8_t bytes[64], byte;
        size_t count = 0;
        test_clock_us += 1000;
        loom_host_poll(&host);
        if (turn % 20 == 5)
            (void)loom_host_send_load_row(&host, &(struct loom_load_row){ (uint16_t)turn, 2, { 1, 2 } }); /* or full */
        if (turn % 20 == 15)
            assert_int_equal(loom_host_send_echo_request(&host, &(struct loom_echo_request){ 3, { 0, 1, 2 } }), 0);
        while (count < sizeof bytes && loom_host_transmit_isr(&host, &byte)) {
            if (rand() % 100 == 0)
                byte ^= 4;
            bytes[count++] = byte;
            loom_device_receive_isr(&by_interrupt, byte, 0);
        }
        for (size_t at = 0; at < count;) {
            const size_t piece = 1 + (size_t)rand() % (count - at);
            loom_device_receive(&by_dma, bytes + at, piece);
            at += piece;
        }
        loom_device_poll(&by_interrupt);
        loom_device_poll(&by_dma);
        const guint before = sent_by_dma->len;
        send_all();
        assert_int_equal(sent_by_interrupt->len, sent_by_dma->len);
        loom_host_receive(&host, sent_by_dma->data + before, sent_by_dma->len - before);
    }
    assert_memory_equal(sent_by_interrupt->data, sent_by_dma->data, sent_by_dma->len);
    assert_memory_equal(&by_interrupt.link.counters, &by_dma.link.counters, sizeof by_dma.link.counters);
    assert_true(by_dma.link.counters.frames_in > 20 && by_dma.link.counters.failed_check > 0 && sent_by_dma->len > 300);
    end();
}

/* What the receive ring has no room for is counted, like any other byte that is lost there. */
static void test_overflow(void **state)
{
    static const uint8_t noise[LOOM_DEVICE_RECEIVE_RING + 9];
    (void)state;
    begin();
    loom_device_receive(&by_dma, noise, 0);
    loom_device_receive(&by_dma, noise, sizeof noise);
    loom_device_poll(&by_dma);
    assert_int_equal(by_dma.link.counters.bytes_in, LOOM_DEVICE_RECEIVE_RING);
    assert_int_equal(by_dma.link.counters.bytes_dropped, 9);
    end();
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_same), cmocka_unit_test(test_overflow) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
