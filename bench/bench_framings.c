/* SPDX-License-Identifier: MIT */
/* What each framing costs a host: the time to receive and to send a frame of 32 random bytes of payload, in turns with
 * COBS, as a ratio to that; and how fast texts are read, beside a general reader of JSON. Medians of one run. */
#include <json-glib/json-glib.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "codec/frame.h"
#include "codec/text.h"
#include "measure.h"
#include "node/node.h"
#include "sim/random.h"

enum { PAYLOAD = 32, STREAM = 1 << 20, SENDS = 40000, TEXTS = 100000 };

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
        printf("  %-15s received in %6.1f ns, %5.2f of COBS; sent in %6.1f ns, %5.2f\n", subjects[i].name,
               median(subjects[i].receiving) * 1e9, median(subjects[i].receiving) / receiving,
               median(subjects[i].sending) * 1e9, median(subjects[i].sending) / sending);
        g_byte_array_unref(subjects[i].stream);
        zg_plan_free(subjects[i].plan);
        zg_definition_free(subjects[i].definition);
    }
}

/* --- texts */

static void bench_text(const char *name, const char *layout, const char *text, bool is_json)
{
    g_autofree char *source = g_strdup_printf(
        "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: { kind: marks, end: \"\\n\" }, check: none, "
        "max_payload: "
        "400 }\nmessages:\n  m:\n    from: device\n    layout: %s\n    fields:\n      temp: { type: i16, scale: "
        "0.01 }\n      load: { type: u32, scale: 0.001 }\n      state: u8\n      count: u32\n      name: "
        "\"text[..20]\"\n",
        layout);
    double ours[TURNS], theirs[TURNS];
    struct zg_definition *definition;
    struct zg_plan *plan = plan_of(source, &definition);
    const struct zg_plan_message *item = zg_plan_message_at(plan, 0);
    struct zg_value *values = zg_values_new(&item->payload);
    const size_t length = strlen(text);
    size_t ignored;

    for (unsigned turn = 0; turn < TURNS; turn++) {
        double begin = seconds();
        for (unsigned i = 0; i < TEXTS; i++) {
            const bool good = zg_text_read(item, text, length, values, &ignored);
            g_assert(good && ignored == 0);
        }
        ours[turn] = seconds() - begin;
        begin = seconds();
        for (unsigned i = 0; i < TEXTS / 10 && is_json; i++) {
            g_autoptr(JsonParser) parser = json_parser_new();
            const gboolean good = json_parser_load_from_data(parser, text, (gssize)length, NULL);
            g_assert(good);
        }
        theirs[turn] = 10 * (seconds() - begin);
    }
    const double slow = median(ours);
    printf("  %-8s %3zu characters in %7.1f ns, %6.1f MB/s", name, length, slow / TEXTS * 1e9,
           (double)TEXTS * (double)length / slow * 1e-6);
    printf(is_json ? "; json-glib's parser takes %.1f times as long\n" : "\n", median(theirs) / slow);
    zg_values_free(&item->payload, values);
    zg_plan_free(plan);
    zg_definition_free(definition);
}

int main(void)
{
    bench_framings();
    printf("a message of four numbers and a text, behind its tag, read by the interpreter (goal: 200 MB/s)\n");
    bench_text("pattern", "{ pattern: \"W {temp};{load};{state};{count};{name}\" }", "-12.34;8123.456;7;4000123;steady",
               false);
    bench_text("pairs", "{ pairs: { assign: \"=\", between: \",\" } }",
               "temp=-12.34,load=8123.456,state=7,count=4000123,name=steady", false);
    bench_text("json", "json", "{\"temp\":-12.34,\"load\":8123.456,\"state\":7,\"count\":4000123,\"name\":\"steady\"}",
               true);
    return 0;
}
