/* SPDX-License-Identifier: MIT */
/* A link that gathers short COBS frames and decodes them in place, as on devices, next to one that decodes them as they
 * come: from any bytes both make the same, and both send the same. */
#include "sim/random.h"
#include "support.h"

#include <string.h>

#include "zeugma/any_link.h"
#include "zeugma/cobs.h"
#include "zeugma/crc.h"

enum { MOST_PAYLOAD = 40, HEADER = 2, CHECK = 2, RING = 128 };

static struct zg_crc crc;
static zg_check_word table[256];

/* What an end of either kind has, with memory of exactly the size that it may use. */
struct buffers {
    uint8_t receive[RING], transmit[RING];
    uint8_t *frame;
    GByteArray *heard;
};

struct general {
    struct zg_any_link any;
    struct zg_receiver receiver;
    struct buffers at;
};

struct in_place {
    struct zg_link link;
    struct buffers at;
};

static void short_write_header(const struct zg_header *header, uint8_t *at)
{
    at[0] = (uint8_t)header->id;
    at[1] = (uint8_t)header->sequence;
}

static int short_admit(const uint8_t *content, size_t length, struct zg_header *header)
{
    (void)length;
    *header = (struct zg_header){ .id = content[0], .sequence = content[1] };
    return content[0] == 9 ? ZG_EFORM : content[0] == 8 ? ZG_EVERSION : 0;
}

static zg_check_word short_check_update(const void *none, zg_check_word reg, const uint8_t *bytes, size_t count)
{
    (void)none;
    return zg_check_crc_update(&crc, reg, bytes, count);
}

static zg_check_word short_check_finish(const void *none, zg_check_word reg)
{
    (void)none;
    return zg_check_crc_finish(&crc, reg);
}

static int hear(struct buffers *at, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    g_byte_array_append(at->heard, payload, (guint)length);
    return frame->header.id == 7 ? ZG_EUNKNOWN : 0;
}

/* The same through pointers, for the link of any protocol. */
static void write_header(void *owner, const struct zg_header *header, uint8_t *at)
{
    (void)owner;
    short_write_header(header, at);
}

static int admit(void *owner, const uint8_t *content, size_t length, struct zg_header *header)
{
    (void)owner;
    return short_admit(content, length, header);
}

static int deliver(void *owner, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    return hear(&((struct general *)owner)->at, frame, payload, length);
}

static const struct zg_check short_check = { zg_check_crc_update, zg_check_crc_finish, &crc, 0, CHECK, 0, true, NULL };

static const struct zg_protocol short_protocol = { .framing = &zg_cobs,
                                                   .check = &short_check,
                                                   .max_payload = MOST_PAYLOAD,
                                                   .max_frame = ZG_COBS_WIRE_MAX(HEADER + MOST_PAYLOAD + CHECK),
                                                   .receive_room = HEADER + MOST_PAYLOAD + CHECK + 1,
                                                   .byte_timeout_us = 1000,
                                                   .header_size = HEADER,
                                                   .version_bits = 8,
                                                   .sequence_bits = 8,
                                                   .write_header = write_header,
                                                   .admit = admit,
                                                   .deliver = deliver };

#define ZGI_RUNTIME ZG_RUNTIME
#define ZGI_NAME(name) short_zgi_##name
#define ZGI_FRAME(name) short_##name
#define ZGI_END struct in_place
#define ZGI_CHECKED 1
#define ZGI_IS_COBS 1
#define ZGI_IN_PLACE 1
#define ZGI_MAX_CONTENT (HEADER + MOST_PAYLOAD + CHECK)
#define ZGI_FED_AT_ONCE 1
#include "zeugma/detail/specialise.h"
#undef zgi_protocol /* the one above */
#define zgi_protocol short_protocol

static int zgi_deliver(struct zg_link *link, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    return hear(&((struct in_place *)(void *)link)->at, frame, payload, length);
}

#include "zeugma/detail/link_body.h"

static struct zg_link_memory memory_of(struct buffers *at)
{
    at->frame = malloc(short_protocol.receive_room);
    at->heard = g_byte_array_new();
    return (struct zg_link_memory){ at->receive, RING, at->transmit, RING, at->frame, short_protocol.receive_room,
                                    NULL,        NULL };
}

static void begin(struct general *end)
{
    struct zg_link_memory memory = memory_of(&end->at);

    memory.receiver = &end->receiver;
    assert_int_equal(zg_any_link_init(&end->any, &short_protocol, end, &test_port, NULL, &memory), 0);
}

static void begin_in_place(struct in_place *end)
{
    const struct zg_link_memory memory = memory_of(&end->at);

    zgi_link_begin(&end->link, &short_protocol, end, &test_port, NULL, &memory);
}

static void clear(struct buffers *at)
{
    free(at->frame);
    g_byte_array_unref(at->heard);
}

static int set_up(void **state)
{
    (void)state;
    return zg_crc_make(&crc, 16, 0x1021, 0, false, false, 0, table);
}

static GByteArray *random_bytes(struct zg_random *random)
{
    GByteArray *bytes = g_byte_array_new();
    struct general sender;

    begin(&sender);
    for (unsigned pieces = 1 + (unsigned)zg_random_below(random, 12); pieces > 0; pieces--) {
        uint8_t payload[MOST_PAYLOAD], byte;
        size_t length = zg_random_below(random, MOST_PAYLOAD + 1), noise = zg_random_one_in(random, 3) ? 300 : 5;
        for (size_t i = 0; i < length; i++)
            payload[i] = (uint8_t)(zg_random_one_in(random, 4) ? 0 : zg_random_below(random, 256));
        assert_int_equal(
            zg_any_link_send(&sender.any, (zg_header_number)(4 + zg_random_below(random, 6)), payload, length), 0);
        while (zg_link_transmit_isr(&sender.any.link, &byte))
            if (zg_random_below(random, 100) > 0) {
                byte = (uint8_t)(zg_random_one_in(random, 60) ? zg_random_below(random, 256) : byte);
                g_byte_array_append(bytes, &byte, 1);
            }
        if (zg_random_one_in(random, 2))
            for (size_t i = zg_random_below(random, noise); i > 0; i--) {
                byte = (uint8_t)(1 + zg_random_below(random, 255));
                g_byte_array_append(bytes, &byte, 1);
            }
    }
    clear(&sender.at);
    return bytes;
}

static void test_any_bytes(void **state)
{
    struct zg_random random = zg_random_seeded(41, 0);
    const unsigned rounds = test_rounds(2000);
    unsigned heard = 0, failed = 0;
    (void)state;
    for (unsigned round = 0; round < rounds; round++) {
        g_autoptr(GByteArray) bytes = random_bytes(&random);
        struct general general;
        struct in_place in_place;
        begin(&general);
        begin_in_place(&in_place);
        for (guint at = 0; at < bytes->len;) {
            guint piece = 1 + (guint)zg_random_below(&random, MIN(bytes->len - at, RING));
            for (guint i = 0; i < piece; i++) {
                zg_link_receive_isr(&general.any.link, bytes->data[at], 0);
                zgi_link_put_isr(&in_place.link, in_place.at.receive, RING, bytes->data[at++], 0);
            }
            if (zg_random_one_in(&random, 30))
                test_clock_us += 600;
            for (unsigned i = 0; i < 2; i++) { /* the second hears nothing more */
                zg_any_link_poll(&general.any);
                zgi_link_poll(&in_place.link);
                test_clock_us += zg_random_one_in(&random, 40) ? 1000 : 10;
            }
            assert_memory_equal(&general.any.link.counters, &in_place.link.counters, sizeof(struct zg_counters));
            assert_int_equal(zg_any_link_pending(&general.any), zgi_pending(&in_place.link));
        }
        assert_int_equal(general.at.heard->len, in_place.at.heard->len);
        if (general.at.heard->len > 0)
            assert_memory_equal(general.at.heard->data, in_place.at.heard->data, general.at.heard->len);
        heard += general.any.link.counters.frames_in;
        failed += general.any.link.counters.failed_check + general.any.link.counters.malformed;
        clear(&general.at);
        clear(&in_place.at);
    }
    assert_true(heard > rounds && failed > rounds / 2); /* there were many of both */
}

/* With any room, and with too little. */
static void test_sending(void **state)
{
    struct zg_random random = zg_random_seeded(42, 0);
    (void)state;
    for (unsigned round = 0; round < 3000; round++) {
        const size_t length = zg_random_below(&random, MOST_PAYLOAD + 1), taken = zg_random_below(&random, RING + 1);
        uint8_t content[HEADER + MOST_PAYLOAD + CHECK], byte, other;
        struct general general;
        struct in_place in_place;
        begin(&general);
        begin_in_place(&in_place);
        for (size_t i = 0; i < length; i++)
            content[HEADER + i] = (uint8_t)(zg_random_one_in(&random, 3) ? 0 : zg_random_below(&random, 256));
        for (size_t i = 0; i < taken; i++) {
            zg_ring_put(&general.any.link.transmit, 9);
            zg_ring_put(&in_place.link.transmit, 9);
        }
        const int wanted = zg_any_link_send(&general.any, 3, content + HEADER, length);
        assert_int_equal(wanted, taken + HEADER + length + CHECK + 2 <= RING ? 0 : ZG_EROOM);
        assert_int_equal(zgi_link_send(&in_place.link, 0, 3, content, NULL, length), wanted);
        assert_int_equal(zg_ring_used(&in_place.link.transmit), zg_ring_used(&general.any.link.transmit));
        while (zg_link_transmit_isr(&general.any.link, &byte)) {
            assert_true(zg_link_transmit_isr(&in_place.link, &other));
            assert_int_equal(byte, other);
        }
        assert_memory_equal(&general.any.link.counters, &in_place.link.counters, sizeof(struct zg_counters));
        clear(&general.at);
        clear(&in_place.at);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_any_bytes), cmocka_unit_test(test_sending) };
    return cmocka_run_group_tests(tests, set_up, NULL);
}
