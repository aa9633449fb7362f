/* SPDX-License-Identifier: MIT */
/* Any bytes as a stream, whole and in pieces: the reports are the same, each byte is reported once, and what is
 * delivered can be sent again. */
#include <string.h>

#include "codec/describe.h"
#include "codec/frame_reader.h"
#include "codec/text.h"
#include "fuzz.h"

struct telling {
    const struct zg_plan *plan;
    GString *text;
    uint64_t bytes;
};

/* The values of a frame make a payload that gives the same values. */
static void send_again(const struct zg_stretch *stretch)
{
    const struct zg_plan_message *message = stretch->message;
    size_t size = zg_payload_size(message, stretch->values), ignored;
    g_autofree uint8_t *payload = g_malloc(size + 1), *again = g_malloc(size + 1);
    struct zg_value *values = zg_values_new(&message->payload);
    struct zg_header header;

    g_autoptr(GString) text = g_string_new(NULL);
    if (message->text && !zg_text_write(message, stretch->values, text, NULL)) { /* such as an absent value's text */
        zg_values_free(&message->payload, values);
        return;
    }
    zg_payload_pack(message, &stretch->header, stretch->values, payload);
    g_assert(zg_payload_unpack(message, payload, size, &header, values, &ignored) && ignored == 0);
    g_assert(zg_payload_size(message, values) == size);
    zg_payload_pack(message, &header, values, again);
    g_assert(memcmp(payload, again, size) == 0);
    zg_values_free(&message->payload, values);
}

static void tell(const struct zg_stretch *stretch, void *data)
{
    struct telling *telling = data;
    g_autofree char *json = zg_stretch_to_json(telling->plan, stretch);
    g_autofree char *text = zg_stretch_to_text(telling->plan, stretch);

    g_assert(g_utf8_validate(json, -1, NULL) && text);
    g_string_append_printf(telling->text, "%" G_GUINT64_FORMAT " %s\n", stretch->offset, json);
    telling->bytes += stretch->raw_length - stretch->shared;
    if (stretch->kind == ZG_STRETCH_FRAME)
        send_again(stretch);
}

/* Feeds in pieces of `piece` bytes; 0: all at once. */
static GString *feed(const struct zg_plan *plan, const uint8_t *data, size_t size, size_t piece)
{
    struct telling telling = { plan, g_string_new(NULL), 0 };
    struct zg_frame_reader *stream = zg_frame_reader_new(plan, tell, &telling);

    for (size_t at = 0; at < size;) {
        size_t count = piece ? MIN(piece, size - at) : size;
        zg_frame_reader_feed(stream, data + at, count);
        at += count;
    }
    zg_frame_reader_end(stream);
    const struct zg_counters *c = zg_frame_reader_counters(stream);
    g_assert(c->bytes_in == size);
    g_assert(c->bytes_of_frames + c->bytes_failed + c->bytes_noise + c->bytes_console + c->bytes_idle == size);
    g_assert(telling.bytes + c->bytes_idle == size);
    zg_frame_reader_free(stream);
    return telling.text;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    if (size < 2)
        return 0;
    const struct zg_plan *plan = fuzz_plan(data[0]);
    GString *whole = feed(plan, data + 2, size - 2, 0);
    GString *pieces = feed(plan, data + 2, size - 2, 1U + data[1] % 16U);
    GString *bytes = feed(plan, data + 2, size - 2, 1);

    g_assert(size > 4000 || (g_string_equal(whole, pieces) && g_string_equal(whole, bytes)));
    g_string_free(whole, TRUE);
    g_string_free(pieces, TRUE);
    g_string_free(bytes, TRUE);
    return 0;
}
