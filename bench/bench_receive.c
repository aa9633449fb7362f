/* SPDX-License-Identifier: MIT */
/* How fast a link takes a stream of frames apart (delimiters, unstuffing, check, header, delivery) and how fast each
 * check is, as ratios to memcpy() of the same bytes and to zlib's crc32(), measured in turns in one run. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <zlib.h>

#include "codec/frame.h"
#include "live/node.h"
#include "sim/random.h"

enum { STREAM = 1 << 20, TURNS = 15 };

static const char definition_text[] =
    "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: cobs, header: [id: u8, sequence: u8], check: "
    "crc16/ibm-3740, max_payload: 256 }\nmessages: { m: { id: 1, from: both, fields: { data: \"bytes[..]\" } } }\n";

static uint32_t now_us(void *context)
{
    (void)context;
    return 0;
}

static void start_transmit(void *context)
{
    (void)context;
}

static unsigned delivered;

static int deliver(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    (void)data;
    (void)frame;
    (void)payload;
    (void)length;
    delivered++;
    return 0;
}

/* Frames with random payloads of one size, a stream of them. */
static GByteArray *stream_of(const struct zg_plan *plan, unsigned payload)
{
    struct zg_random random = zg_random_seeded(payload, 0);
    GByteArray *stream = g_byte_array_new();
    uint8_t bytes[256];

    for (uint32_t n = 0; stream->len < STREAM; n++) {
        const struct zg_header header = { .id = 1, .sequence = n };
        for (unsigned i = 0; i < payload; i++)
            bytes[i] = (uint8_t)zg_random_next(&random);
        g_autoptr(GByteArray) frame = zg_frame_make(plan, &header, bytes, payload);
        g_byte_array_append(stream, frame->data, frame->len);
    }
    return stream;
}

static double seconds(void)
{
    return (double)g_get_monotonic_time() * 1e-6;
}

static int by_value(const void *a, const void *b)
{
    double left = *(const double *)a, right = *(const double *)b;
    return (left > right) - (left < right);
}

static double median(double *values)
{
    qsort(values, TURNS, sizeof values[0], by_value);
    return values[TURNS / 2];
}

static void bench_stream(const struct zg_plan *plan, unsigned payload)
{
    static const struct zg_port port = { now_us, start_transmit, NULL, NULL };
    static const struct zg_node_calls calls = { deliver, NULL };
    g_autoptr(GByteArray) stream = stream_of(plan, payload);
    g_autofree uint8_t *copy = g_malloc(stream->len);
    double receive[TURNS], copying[TURNS];

    for (unsigned turn = 0; turn < TURNS; turn++) {
        struct zg_node *node = zg_node_new(plan, 65536, &port, NULL, &calls, NULL);
        struct zg_link *link = zg_node_link(node);
        double time = 0;
        delivered = 0;
        for (guint at = 0; at < stream->len;) { /* the ring is filled outside of what is measured */
            guint count = MIN(stream->len - at, 60000U);
            for (guint i = 0; i < count; i++)
                zg_link_receive_isr(link, stream->data[at + i], 0);
            double begin = seconds();
            zg_link_poll(link);
            time += seconds() - begin;
            at += count;
        }
        receive[turn] = time;
        double begin = seconds();
        for (unsigned i = 0; i < 8; i++)
            memcpy(copy, stream->data, stream->len);
        copying[turn] = (seconds() - begin) / 8;
        zg_node_free(node);
    }
    double fast = median(copying), slow = median(receive);
    printf("  %3u-byte payloads %8.1f MB/s  %6.3f of memcpy's speed, %u frames\n", payload, stream->len / slow * 1e-6,
           fast / slow, delivered);
}

static void bench_check(const char *name, const struct zg_check_choice *choice, const uint8_t *bytes)
{
    struct zg_checker checker;
    double ours[TURNS], theirs[TURNS];
    volatile uint64_t kept = 0;

    zg_checker_init(&checker, choice, 0);
    for (unsigned turn = 0; turn < TURNS; turn++) {
        double begin = seconds();
        kept += zg_check_value(&checker.check, bytes, STREAM);
        ours[turn] = seconds() - begin;
        begin = seconds();
        kept += crc32(0, bytes, STREAM);
        theirs[turn] = seconds() - begin;
    }
    double slow = median(ours), fast = median(theirs);
    printf("  %-16s %8.1f MB/s  %6.3f of zlib's crc32\n", name, STREAM / slow * 1e-6, fast / slow);
    zg_checker_clear(&checker);
}

int main(void)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("p");
    struct zg_definition *definition = zg_definition_parse("p", definition_text, strlen(definition_text), diagnostics);
    struct zg_plan *plan = zg_plan_new(definition, diagnostics);
    g_autofree uint8_t *bytes = g_malloc(STREAM);
    struct zg_random random = zg_random_seeded(1, 0);

    for (unsigned i = 0; i < STREAM; i++)
        bytes[i] = (uint8_t)zg_random_next(&random);
    printf("a link receives COBS frames with CRC-16 (goals: 0.25 of memcpy at 32 bytes, 0.5 at 256)\n");
    bench_stream(plan, 32);
    bench_stream(plan, 256);
    printf("checks (goal: a CRC at least as fast as zlib's crc32)\n");
    for (unsigned i = 0; i < zg_crc_table_length; i += 5) {
        const struct zg_check_choice choice = { .crc = zg_crc_table[i] };
        bench_check(zg_crc_table[i].name, &choice, bytes);
    }
    for (unsigned i = 1; i < zg_sum_table_length; i++) {
        const struct zg_check_choice choice = { .kind = zg_sum_table[i].kind,
                                                .crc = { .width = zg_sum_table[i].width } };
        bench_check(zg_sum_table[i].name, &choice, bytes);
    }
    zg_plan_free(plan);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
    return 0;
}
