/* SPDX-License-Identifier: MIT */
/* What each framing costs a host: the time to receive and to send a frame of 32 random bytes of payload, in turns with
 * COBS, as a ratio to that. Medians of one run. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "codec/frame.h"
#include "measure.h"
#include "node/node.h"
#include "sim/random.h"

enum { PAYLOAD = 32, STREAM = 1 << 20, SENDS = 40000 };

struct subject {
    const char *name, *framing;
    const char *length, *type; /* of the header; of the payload. NULL: none; bytes[..] */
    struct zg_definition *definition;
    struct zg_plan *plan;
    GByteArray *stream;
    unsigned frames;
    double receiving[TURNS], sending[TURNS]; /* seconds a frame */
};

static struct zg_plan *plan_of(const char *text, struct zg_definition **definition)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("p");

    *definition = zg_definition_parse("p", text, strlen(text), diagnostics);
    struct zg_plan *plan = *definition ? zg_plan_new(*definition, diagnostics) : NULL;
    for (unsigned i = 0; !plan && i < zg_diagnostics_count(diagnostics); i++)
        printf("%s\n", zg_diagnostics_get(diagnostics, i)->message);
    g_assert(plan);
    zg_diagnostics_free(diagnostics);
    return plan;
}

static void prepare(struct subject *subject)
{
    g_autofree char *text = g_strdup_printf(
        "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: %s, header: [%sid: u8, sequence: u8], check: { name: "
        "crc16/ibm-3740, order: "
        "big }, max_payload: 40 }\nmessages: { m: { id: 1, from: both, fields: { data: \"%s\" } } }\n",
        subject->framing, subject->length ? subject->length : "", subject->type ? subject->type : "bytes[..]");
    struct zg_random random = zg_random_seeded(1, 0);

    subject->plan = plan_of(text, &subject->definition);
    subject->stream = g_byte_array_new();
    for (; subject->stream->len < STREAM; subject->frames++) {
        const struct zg_header header = { .id = 1, .sequence = subject->frames };
        uint8_t bytes[PAYLOAD];
        for (unsigned i = 0; i < PAYLOAD; i++)
            bytes[i] = (uint8_t)zg_random_next(&random);
        g_autoptr(GByteArray) frame = zg_frame_make(subject->plan, &header, bytes, PAYLOAD);
        g_byte_array_append(subject->stream, frame->data, frame->len);
    }
}

static void measure(struct subject *subject, unsigned turn)
{
    static const struct zg_node_calls calls = { .deliver = deliver };
    struct zg_node *node = zg_node_new(subject->plan, 0, 4096, &still_port, NULL, &calls, NULL);
    struct zg_ring *ring = &zg_node_link(node)->transmit;
    uint8_t payload[PAYLOAD];

    delivered = 0;
    double begin = seconds();
    for (guint at = 0; at < subject->stream->len; at += 65536) /* as read from a system */
        zg_node_receive(node, subject->stream->data + at, MIN(subject->stream->len - at, 65536U));
    subject->receiving[turn] = (seconds() - begin) / subject->frames;
    if (delivered != subject->frames)
        printf("%s: %u of %u frames\n", subject->name, delivered, subject->frames);
    g_assert(delivered == subject->frames);
    memcpy(payload, subject->stream->data + 5, PAYLOAD);
    begin = seconds();
    for (unsigned i = 0; i < SENDS; i++) {
        payload[i % PAYLOAD]++;
        const int error = zg_any_link_send(zg_node_any_link(node), 1, payload, PAYLOAD);
        g_assert(error == 0);
        zg_ring_release(ring, zg_ring_used(ring));
    }
    subject->sending[turn] = (seconds() - begin) / SENDS;
    zg_node_free(node);
}

static void bench_framings(void)
{
    static struct subject subjects[] = {
        { .name = "cobs", .framing = "cobs" },
        { .name = "slip", .framing = "slip" },
        { .name = "hdlc", .framing = "hdlc" },
        { .name = "length", .framing = "{ kind: length, sync: [0xAA, 0x55] }", .length = "length: u8, " },
        { .name = "fixed", .framing = "{ kind: fixed, size: 36, sync: [0xAA, 0x55] }", .type = "bytes[32]" },
        { .name = "marks, escaped", .framing = "{ kind: marks, start: [2], end: [3], escape: 0x10 }" },
        { .name = "marks, doubled", .framing = "{ kind: marks, start: [0x10, 2], end: [0x10, 3], double: 0x10 }" },
        { .name = "marks, plain", .framing = "{ kind: marks, start: \"<<\", end: \"\\r\\n\" }", .type = "bytes[32]" },
    };

    for (unsigned i = 0; i < G_N_ELEMENTS(subjects); i++)
        prepare(&subjects[i]);
    for (unsigned turn = 0; turn < TURNS; turn++)
        for (unsigned i = 0; i < G_N_ELEMENTS(subjects); i++)
            measure(&subjects[i], turn);
    printf("a frame of 32 random bytes, received and sent (goal: within 1.5 of COBS's time)\n");
    const double receiving = median(subjects[0].receiving), sending = median(subjects[0].sending);
    for (unsigned i = 0; i < G_N_ELEMENTS(subjects); i++) {
        const double received = median(subjects[i].receiving), sent = median(subjects[i].sending);
        printf("  %-15s received in %6.1f ns, %5.2f of COBS; sent in %6.1f ns, %5.2f; both %5.2f\n", subjects[i].name,
               received * 1e9, received / receiving, sent * 1e9, sent / sending,
               (received + sent) / (receiving + sending));
        g_byte_array_unref(subjects[i].stream);
        zg_plan_free(subjects[i].plan);
        zg_definition_free(subjects[i].definition);
    }
}

int main(void)
{
    bench_framings();
    return 0;
}
