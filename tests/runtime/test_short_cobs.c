/* SPDX-License-Identifier: MIT */
/* A link that gathers short COBS frames and takes them apart in place, as devices compile it, beside the one that takes
 * them apart as they come: of any bytes both make the same, and both send the same. */
#include "support.h"

#include <string.h>

#include "zeugma/cobs.h"
#include "zeugma/crc.h"

enum { MOST_PAYLOAD = 40, HEADER = 2, CHECK = 2, RING = 128 };

static struct zg_crc crc;
static zg_check_word table[256];

/* An end of either kind, with memory of just the size that it may use. */
struct end {
    struct zg_link link;
    struct zg_receiver receiver;
    uint8_t receive[RING], transmit[RING];
    uint8_t *frame;
    GByteArray *heard;
};

static void write_header(void *owner, const struct zg_header *header, uint8_t *at)
{
    (void)owner;
    at[0] = (uint8_t)header->id;
    at[1] = (uint8_t)header->sequence;
}

static int admit(void *owner, const uint8_t *content, size_t length, struct zg_header *header)
{
    (void)owner;
    (void)length;
    *header = (struct zg_header){ .id = content[0], .sequence = content[1] };
    return content[0] == 9 ? ZG_EFORM : content[0] == 8 ? ZG_EVERSION : 0;
}

static int deliver(void *owner, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    g_byte_array_append(((struct end *)owner)->heard, payload, (guint)length);
    return frame->header.id == 7 ? ZG_EUNKNOWN : 0;
}

static const struct zg_check short_check = { zg_check_crc_update, zg_check_crc_finish, &crc, 0, CHECK, 0, true };

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

#define ZGI_PROTOCOL(receiver) (&short_protocol)
#define ZGI_END struct end
#define ZGI_SHORT_COBS 1
#include "zeugma/link_body.h"

static void begin(struct end *end, bool in_place)
{
    end->frame = malloc(short_protocol.receive_room);
    end->heard = g_byte_array_new();
    const struct zg_link_memory memory = { end->receive,   RING,       end->transmit,
                                           RING,           end->frame, short_protocol.receive_room,
                                           &end->receiver, NULL };
    if (in_place)
        zgi_link_begin(&end->link, &short_protocol, end, &test_port, NULL, &memory);
    else
        assert_int_equal(zg_link_init(&end->link, &short_protocol, end, &test_port, NULL, &memory), 0);
}

static void clear(struct end *end)
{
    free(end->frame);
    g_byte_array_unref(end->heard);
}

static int set_up(void **state)
{
    (void)state;
    return zg_crc_make(&crc, 16, 0x1021, 0, false, false, 0, table);
}

static GByteArray *random_bytes(struct zg_random *random)
{
    GByteArray *bytes = g_byte_array_new();
    struct end sender;

    begin(&sender, false);
    for (unsigned pieces = 1 + (unsigned)zg_random_below(random, 12); pieces > 0; pieces--) {
        uint8_t payload[MOST_PAYLOAD], byte;
        size_t length = zg_random_below(random, MOST_PAYLOAD + 1), noise = zg_random_below(random, 3) == 0 ? 300 : 5;
        for (size_t i = 0; i < length; i++)
            payload[i] = (uint8_t)(zg_random_below(random, 4) == 0 ? 0 : zg_random_below(random, 256));
        assert_int_equal(zg_link_send(&sender.link, (zg_role)(4 + zg_random_below(random, 6)), payload, length), 0);
        while (zg_link_transmit_isr(&sender.link, &byte))
            if (zg_random_below(random, 100) > 0) {
                byte = (uint8_t)(zg_random_below(random, 60) == 0 ? zg_random_below(random, 256) : byte);
                g_byte_array_append(bytes, &byte, 1);
            }
        if (zg_random_below(random, 2) == 0)
            for (size_t i = zg_random_below(random, noise); i > 0; i--) {
                byte = (uint8_t)(1 + zg_random_below(random, 255));
                g_byte_array_append(bytes, &byte, 1);
            }
    }
    clear(&sender);
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
        struct end general, in_place;
        begin(&general, false);
        begin(&in_place, true);
        for (guint at = 0; at < bytes->len;) {
            guint piece = 1 + (guint)zg_random_below(&random, MIN(bytes->len - at, RING));
            for (guint i = 0; i < piece; i++) {
                zg_link_receive_isr(&general.link, bytes->data[at], 0);
                zgi_link_put_isr(&in_place.link, in_place.receive, RING, bytes->data[at++], 0);
            }
            if (zg_random_below(&random, 30) == 0)
                test_clock_us += 600;
            for (unsigned i = 0; i < 2; i++) { /* the second hears nothing more */
                zg_link_poll(&general.link);
                zgi_link_poll(&in_place.link);
                test_clock_us += zg_random_below(&random, 40) == 0 ? 1000 : 10;
            }
            assert_memory_equal(&general.link.counters, &in_place.link.counters, sizeof(struct zg_counters));
            assert_int_equal(zg_link_pending(&general.link), zg_link_pending(&in_place.link));
        }
        assert_int_equal(general.heard->len, in_place.heard->len);
        if (general.heard->len > 0)
            assert_memory_equal(general.heard->data, in_place.heard->data, general.heard->len);
        heard += general.link.counters.frames_in;
        failed += general.link.counters.failed_check + general.link.counters.malformed;
        clear(&general);
        clear(&in_place);
    }
    assert_true(heard > rounds && failed > rounds / 2); /* of both there were many */
}

/* With any room, and with none. */
static void test_sending(void **state)
{
    struct zg_random random = zg_random_seeded(42, 0);
    (void)state;
    for (unsigned round = 0; round < 3000; round++) {
        const size_t length = zg_random_below(&random, MOST_PAYLOAD + 1), taken = zg_random_below(&random, RING + 1);
        uint8_t content[HEADER + MOST_PAYLOAD + CHECK], byte, other;
        struct end general, in_place;
        begin(&general, false);
        begin(&in_place, true);
        for (size_t i = 0; i < length; i++)
            content[HEADER + i] = (uint8_t)(zg_random_below(&random, 3) == 0 ? 0 : zg_random_below(&random, 256));
        for (size_t i = 0; i < taken; i++) {
            zg_ring_put(&general.link.transmit, 9);
            zg_ring_put(&in_place.link.transmit, 9);
        }
        const int wanted = zg_link_send(&general.link, 3, content + HEADER, length);
        assert_int_equal(wanted, taken + HEADER + length + CHECK + 2 <= RING ? 0 : ZG_EROOM);
        assert_int_equal(zgi_link_send(&in_place.link, 0, 3, content, NULL, length), wanted);
        assert_int_equal(zg_ring_used(&in_place.link.transmit), zg_ring_used(&general.link.transmit));
        while (zg_link_transmit_isr(&general.link, &byte)) {
            assert_true(zg_link_transmit_isr(&in_place.link, &other));
            assert_int_equal(byte, other);
        }
        assert_memory_equal(&general.link.counters, &in_place.link.counters, sizeof(struct zg_counters));
        clear(&general);
        clear(&in_place);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_any_bytes), cmocka_unit_test(test_sending) };
    return cmocka_run_group_tests(tests, set_up, NULL);
}
