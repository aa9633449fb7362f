/* SPDX-License-Identifier: MIT */
/* Tests a port over its own line: port_test SOCKET. The board runs device.c. Each test prints what it saw; the exit
 * status is 0 if the port passed all. */
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "port_test_host.h"
#include "posix/channel.h"

#define MS_NS UINT64_C(1000000)

enum { DEAF_TURNS = 60000, DEAF_ECHOES = 12, BEFORE_WRAP_US = 60000 };
enum { ANSWER_MS = 10000 }; /* more than any board needs: the machine that emulates it may be busy */

struct test {
    struct zg_channel channel;
    struct port_test_host host;
    uint64_t written; /* bytes */
    unsigned failures;
    bool cut; /* the second half of what is sent is not written */
    struct port_test_echo_reply reply;
    unsigned replies;
    uint32_t counters[ZG_COUNTERS];
    unsigned known; /* counters received so far */
    uint32_t clock_us;
    unsigned clocks;
    double slowness; /* of the board's clock; that of an emulated board may be slow */
};

static uint32_t now_us(void *context)
{
    (void)context;
    return (uint32_t)(zg_channel_now_ns() / 1000);
}

static void start_transmit(void *context)
{
    (void)context;
}

static const struct zg_port port = { .now_us = now_us, .start_transmit = start_transmit };

static void on_reply(void *context, const struct port_test_echo_reply *message, const struct zg_frame *frame)
{
    struct test *test = context;
    (void)frame;
    test->reply = *message;
    test->replies++;
}

static void on_counters(void *context, const struct port_test_counters *message, const struct zg_frame *frame)
{
    struct test *test = context;
    (void)frame;
    for (unsigned i = 0; message->first == test->known && i < message->values_count && test->known < ZG_COUNTERS; i++)
        test->counters[message->first + i] = message->values[i];
    if (message->first == test->known)
        test->known += message->values_count;
}

static void on_clock(void *context, const struct port_test_clock *message, const struct zg_frame *frame)
{
    struct test *test = context;
    (void)frame;
    test->clock_us = message->us;
    test->clocks++;
}

static const struct port_test_host_handlers handlers = { .echo_reply = on_reply,
                                                         .counters = on_counters,
                                                         .clock = on_clock };

static void give_up(const char *why)
{
    (void)fprintf(stderr, "port_test: %s\n", why);
    exit(3);
}

static void write_due(struct test *test)
{
    uint8_t bytes[4096];
    size_t size = 0, done = 0;

    while (size < sizeof bytes && port_test_host_transmit_isr(&test->host, &bytes[size]))
        size++;
    if (test->cut)
        size /= 2;
    while (done < size) {
        long count = zg_channel_write(&test->channel, bytes + done, size - done);
        if (count < 0)
            give_up("the line closed");
        if (count == 0)
            zg_channel_wait(&test->channel, true, -1, MS_NS);
        done += (size_t)count;
    }
    test->written += size;
}

/* Lets time and bytes pass until `*count` differs from `before` (NULL: for the whole time). */
static bool pump(struct test *test, unsigned ms, const unsigned *count, unsigned before)
{
    uint64_t end = zg_channel_now_ns() + ms * MS_NS;
    uint8_t bytes[256];

    do {
        write_due(test);
        long got = zg_channel_read(&test->channel, bytes, sizeof bytes);
        if (got < 0)
            give_up("the line closed");
        port_test_host_receive(&test->host, bytes, (size_t)got);
        port_test_host_poll(&test->host);
        if (count && *count != before)
            return true;
        zg_channel_wait(&test->channel, false, -1, MS_NS);
    } while (zg_channel_now_ns() < end);
    return false;
}

static void tell(struct test *test, bool passed, const char *what)
{
    printf("  %-6s %s\n", passed ? "passed" : "FAILED", what);
    test->failures += !passed;
}

/* Whether an echo of `size` bytes comes back unchanged. */
static bool echoes(struct test *test, unsigned size)
{
    struct port_test_echo_request request = { .data_count = (uint8_t)size };
    unsigned before = test->replies;

    for (unsigned i = 0; i < size; i++)
        request.data[i] = (uint8_t)(i * (size + 3) + (size & 1)); /* including zeros */
    if (port_test_host_send_echo_request(&test->host, &request) != 0 || !pump(test, ANSWER_MS, &test->replies, before))
        return false;
    return test->reply.data_count == size && memcmp(test->reply.data, request.data, size) == 0;
}

static bool read_counters(struct test *test)
{
    test->known = 0;
    for (unsigned tries = 0; test->known < ZG_COUNTERS && tries < 20; tries++) {
        const struct port_test_counters_request request = { (uint8_t)test->known, false };
        (void)port_test_host_send_counters_request(&test->host, &request);
        (void)pump(test, 500, &test->known, test->known);
    }
    return test->known >= ZG_COUNTERS;
}

static uint32_t counter(const struct test *test, unsigned index)
{
    return test->counters[index];
}

static bool read_clock(struct test *test)
{
    const struct port_test_clock_request ask = { 0 };
    unsigned clocks = test->clocks;

    (void)port_test_host_send_clock_request(&test->host, &ask);
    return pump(test, ANSWER_MS, &test->clocks, clocks);
}

static bool measure_clock(struct test *test)
{
    uint64_t begin = zg_channel_now_ns();

    if (!read_clock(test))
        return false;
    uint32_t first = test->clock_us;
    (void)pump(test, 300, NULL, 0);
    if (!read_clock(test) || test->clock_us == first)
        return false;
    test->slowness = (double)(zg_channel_now_ns() - begin) / 1000 / (double)(uint32_t)(test->clock_us - first);
    printf("         its clock takes %.2f s for a second\n", test->slowness);
    return test->slowness > 0.5 && test->slowness < 50;
}

/* Waits for so much of the board's time. */
static void wait_ms(struct test *test, unsigned ms)
{
    (void)pump(test, (unsigned)(ms * test->slowness) + 1, NULL, 0);
}

static void test_sizes(struct test *test)
{
    unsigned size = 0;

    while (size <= PORT_TEST_MAX_PAYLOAD && echoes(test, size))
        size++;
    tell(test, size > PORT_TEST_MAX_PAYLOAD, "echo of every size from 0 to 64 bytes");
    if (size <= PORT_TEST_MAX_PAYLOAD)
        printf("         %u bytes did not come back\n", size);
}

/* Bytes come while interrupts are disabled: what is lost must have been counted, and everything works afterwards. */
static void test_overrun(struct test *test)
{
    const struct port_test_deafen deafen = { DEAF_TURNS };
    struct port_test_echo_request request = { .data_count = PORT_TEST_MAX_PAYLOAD };

    (void)port_test_host_send_deafen(&test->host, &deafen);
    wait_ms(test, 2);
    for (unsigned i = 0; i < DEAF_ECHOES; i++) {
        (void)port_test_host_send_echo_request(&test->host, &request);
        write_due(test);
    }
    wait_ms(test, 300);
    bool answers = false;
    for (unsigned tries = 0; tries < 3 && !answers; tries++) /* a slow machine may not be through with them yet */
        answers = echoes(test, 7) && echoes(test, 64);
    tell(test, answers, "answers again after its interrupts were held off under traffic");
    if (!read_counters(test)) {
        tell(test, false, "tells its counters");
        return;
    }
    uint64_t arrived =
        (uint64_t)counter(test, ZG_COUNTER_INDEX(bytes_in)) + counter(test, ZG_COUNTER_INDEX(bytes_dropped));
    uint32_t overruns = counter(test, ZG_COUNTER_INDEX(line_overrun));
    uint64_t frames = counter(test, ZG_COUNTER_INDEX(bytes_of_frames)) +
                      (uint64_t)counter(test, ZG_COUNTER_INDEX(bytes_failed)) +
                      counter(test, ZG_COUNTER_INDEX(bytes_noise)) + counter(test, ZG_COUNTER_INDEX(bytes_idle));
    printf("         %" PRIu64 " bytes were written, %" PRIu64 " arrived, %" PRIu32 " overruns, %" PRIu32
           " dropped by the full ring\n",
           test->written, arrived, overruns, counter(test, ZG_COUNTER_INDEX(bytes_dropped)));
    tell(test, frames == counter(test, ZG_COUNTER_INDEX(bytes_in)), "every byte that came in is in one counter");
}

/* The UART must have flagged the bytes that it lost. The counters are read alone, so that they are all of one moment:
 * what is written after the first request belongs to that request. */
static void test_account(struct test *test)
{
    uint64_t written = test->written;
    const struct port_test_counters_request request = { 0, false };

    test->known = 0;
    (void)port_test_host_send_counters_request(&test->host, &request);
    write_due(test);
    written = test->written;
    if (!pump(test, ANSWER_MS, &test->known, 0)) {
        tell(test, false, "tells its counters");
        return;
    }
    uint64_t arrived =
        (uint64_t)counter(test, ZG_COUNTER_INDEX(bytes_in)) + counter(test, ZG_COUNTER_INDEX(bytes_dropped));
    bool flagged = read_counters(test) && counter(test, ZG_COUNTER_INDEX(line_overrun)) > 0;
    tell(test, arrived == written || (arrived < written && flagged),
         arrived == written ? "not a byte was lost" : "bytes that the UART lost were flagged by it");
}

/* A frame is cut short just before the clock wraps; the silence after it is noticed all the same. */
static void test_wrap(struct test *test)
{
    const struct port_test_set_clock late = { UINT32_MAX - BEFORE_WRAP_US };
    const struct port_test_echo_request request = { .data_count = 20 };

    (void)read_counters(test);
    uint32_t before = counter(test, ZG_COUNTER_INDEX(timed_out));
    (void)port_test_host_send_set_clock(&test->host, &late);
    wait_ms(test, 50); /* 10 ms are left; the byte timeout is 20 ms */
    (void)port_test_host_send_echo_request(&test->host, &request);
    test->cut = true;
    write_due(test);
    test->cut = false;
    wait_ms(test, 500); /* by then more than the byte timeout has passed on the slowest machine, too */
    bool answers = echoes(test, 11);
    bool read = read_clock(test);
    tell(test, read && test->clock_us < 60000000, "its clock wraps");
    (void)read_counters(test);
    tell(test, answers && counter(test, ZG_COUNTER_INDEX(timed_out)) == before + 1,
         "a frame cut short before the wrap is given up after it, the next is taken");
}

static void test_line_errors(struct test *test)
{
    (void)read_counters(test);
    tell(test,
         counter(test, ZG_COUNTER_INDEX(line_framing)) == 0 && counter(test, ZG_COUNTER_INDEX(line_parity)) == 0 &&
             counter(test, ZG_COUNTER_INDEX(line_break)) == 0,
         "no framing error, parity error or break was flagged without one");
}

int main(int argc, char **argv)
{
    static struct test test;

    if (argc != 2) {
        (void)fprintf(stderr, "usage: port_test SOCKET\n");
        return 2;
    }
    if (zg_channel_connect_unix(&test.channel, argv[1]) != 0)
        give_up("nobody listens at that socket");
    (void)port_test_host_init(&test.host, &port, NULL, &handlers, &test);
    for (unsigned tries = 0; tries < 5 && !echoes(&test, 0); tries++)
        ; /* while it boots, bytes are lost */
    test_sizes(&test);
    test_line_errors(&test);
    tell(&test, measure_clock(&test), "its clock goes on");
    test_wrap(&test);
    test_overrun(&test);
    test_account(&test);
    printf(test.failures == 0 ? "  the port passes\n" : "  the port fails %u tests\n", test.failures);
    zg_channel_close(&test.channel);
    return test.failures == 0 ? 0 : 1;
}
