/* SPDX-License-Identifier: MIT */
/* What the tests of views share: stretches of frames of the loom, without a link. */
#ifndef TEST_VIEW_H
#define TEST_VIEW_H

#include "codec/frame.h"
#include "codec/frame_reader.h"
#include "codec/from_json.h"
#include "codec/payload.h"
#include "support.h"

/* Calls `take` for each stretch in some bytes, including console text and noise. */
static inline void view_feed(const struct zg_plan *plan, const uint8_t *bytes, size_t count, zg_stretch_function take,
                             void *data)
{
    struct zg_frame_reader *stream = zg_frame_reader_new(plan, take, data);

    zg_frame_reader_feed(stream, bytes, count);
    zg_frame_reader_end(stream);
    zg_frame_reader_free(stream);
}

/* A frame of a message with fields as JSON. */
static inline GByteArray *view_frame(const struct zg_plan *plan, const char *message, const char *json, uint32_t source)
{
    const struct zg_plan_message *item = zg_plan_by_name(plan, message);
    const struct zg_header header = { .version = plan->version,
                                      .id = (zg_header_number)item->message->id,
                                      .source = source };
    struct zg_value *values = zg_values_new(&item->payload);
    g_autoptr(GError) error = NULL;
    uint8_t payload[256];

    if (!zg_values_from_json(item, json, values, &error))
        fail_msg("%s", error->message);
    const size_t size = zg_payload_size(item, values);
    zg_payload_pack(item, &header, values, payload);
    zg_values_free(&item->payload, values);
    return zg_frame_make(plan, &header, payload, size);
}

static inline void view_show(const struct zg_plan *plan, const char *message, const char *json, uint32_t source,
                             zg_stretch_function take, void *data)
{
    g_autoptr(GByteArray) frame = view_frame(plan, message, json, source);
    view_feed(plan, frame->data, frame->len, take, data);
}

static const char view_definition[] =
    "zeugma: 1\nprotocol: kiln\nversion: 1.0\n"
    "frame: { framing: cobs, header: [id: u8, source: u4, destination: u4], check: crc16/xmodem, max_payload: 40 }\n"
    "enums: { lid: { type: u8, values: { open: 0, shut: 1 } } }\n"
    "messages:\n"
    "  heat: { id: 1, from: device, fields: { t: { type: i16, scale: 0.1, unit: degC, range: [-20, 1300] }, lid: lid } "
    "}\n"
    "  fan: { id: 2, from: device, fields: { rpm: u16, t: u8, note: \"text[..8]\" } }\n";

/* Its plan, between these two of a group of tests. */
static struct test_plan view_plan;

static inline int view_set_up(void **state)
{
    (void)state;
    view_plan = test_plan_of(view_definition);
    return 0;
}

static inline int view_tear_down(void **state)
{
    (void)state;
    test_plan_clear(&view_plan);
    return 0;
}

#endif
