/* SPDX-License-Identifier: MIT */
#include "codec/frame.h"

#include <string.h>

#include "zeugma/cobs.h"
#include "zeugma/error.h"

GByteArray *zg_frame_make(const struct zg_plan *plan, const struct zg_header *header, const uint8_t *payload,
                          size_t length)
{
    struct zg_header roles = *header;
    g_autofree uint8_t *content = g_malloc(plan->max_content);
    size_t covered = plan->header.size + length;
    struct zg_cobs_encoder encoder;
    struct zg_ring ring;
    size_t size = 2, wire;

    g_assert(length <= plan->max_payload);
    roles.version = plan->version;
    zg_header_pack(plan, &roles, length, content);
    if (length > 0)
        memcpy(content + plan->header.size, payload, length);
    zg_check_store(&plan->check, zg_check_value(&plan->check, content, covered), content + covered);
    while (size < plan->max_frame)
        size *= 2;
    g_autofree uint8_t *memory = g_malloc(size);
    int error = zg_ring_init(&ring, memory, size);
    zg_cobs_begin(&encoder, &ring);
    zg_cobs_put(&encoder, content, covered + plan->check.size);
    error = error ? error : zg_cobs_end(&encoder, &wire);
    g_assert(error == 0); /* the ring holds the largest frame */
    return g_byte_array_append(g_byte_array_sized_new((guint)wire), memory, (guint)wire);
}

struct zg_stream {
    const struct zg_plan *plan;
    zg_stretch_function report;
    void *data;
    struct zg_cobs_decoder decoder;
    struct zg_counters counters;
    GByteArray *raw; /* of the open stretch */
    uint64_t offset; /* of raw's first byte */
    uint8_t *content;
    struct zg_value **values; /* for each message, used again and again */
};

enum { NOISE_PIECE = 4096 };

struct zg_stream *zg_stream_new(const struct zg_plan *plan, zg_stretch_function report, void *data)
{
    struct zg_stream *stream = g_new0(struct zg_stream, 1);

    stream->values = g_new0(struct zg_value *, plan->messages->len);
    for (unsigned i = 0; i < plan->messages->len; i++)
        stream->values[i] = zg_values_new(&zg_plan_message_at(plan, i)->payload);
    stream->plan = plan;
    stream->report = report;
    stream->data = data;
    stream->raw = g_byte_array_new();
    stream->content = g_malloc(plan->max_content);
    zg_cobs_decoder_init(&stream->decoder, stream->content, plan->max_content);
    return stream;
}

void zg_stream_free(struct zg_stream *stream)
{
    if (!stream)
        return;
    g_byte_array_unref(stream->raw);
    g_free(stream->content);
    for (unsigned i = 0; i < stream->plan->messages->len; i++)
        zg_values_free(&zg_plan_message_at(stream->plan, i)->payload, stream->values[i]);
    g_free(stream->values);
    g_free(stream);
}

/* Reports the open stretch and begins the next. */
static void tell(struct zg_stream *stream, struct zg_stretch *stretch)
{
    stretch->raw = stream->raw->data;
    stretch->raw_length = stream->raw->len;
    stretch->offset = stream->offset;
    stream->report(stretch, stream->data);
    stream->offset += stream->raw->len;
    g_byte_array_set_size(stream->raw, 0);
}

static void skip(struct zg_stream *stream, uint32_t *frames, uint32_t *bytes, const char *why)
{
    struct zg_stretch stretch = { .kind = ZG_STRETCH_SKIPPED, .why = why };
    if (frames)
        ++*frames;
    *bytes += stream->raw->len;
    tell(stream, &stretch);
}

static void skip_failed_check(struct zg_stream *stream)
{
    const struct zg_check *check = &stream->plan->check;
    size_t covered = stream->decoder.length - check->size;
    struct zg_stretch stretch = { .kind = ZG_STRETCH_SKIPPED,
                                  .why = "check failed",
                                  .checked = true,
                                  .expected = zg_check_value(check, stream->content, covered),
                                  .found = zg_check_load(check, stream->content + covered) };

    stream->counters.failed_check++;
    stream->counters.bytes_failed += stream->raw->len;
    tell(stream, &stretch);
}

static void undelivered(struct zg_stream *stream, struct zg_stretch *stretch, uint32_t *counter, const char *why)
{
    stretch->kind = ZG_STRETCH_UNDELIVERED;
    stretch->why = why;
    ++*counter;
    tell(stream, stretch);
}

static struct zg_value *values_of(const struct zg_stream *stream, const struct zg_plan_message *message)
{
    return stream->values[message - zg_plan_message_at(stream->plan, 0)];
}

static void take_frame(struct zg_stream *stream)
{
    const struct zg_plan *plan = stream->plan;
    struct zg_counters *counters = &stream->counters;
    struct zg_stretch stretch = { .kind = ZG_STRETCH_FRAME };
    size_t length = stream->decoder.length - plan->header.size - plan->check.size;

    int verdict = zg_header_unpack(plan, stream->content, length, &stretch.header);
    if (verdict == ZG_EFORM) {
        skip(stream, &counters->malformed, &counters->bytes_failed, "wrong constant or length in the header");
        return;
    }
    counters->frames_in++;
    counters->bytes_of_frames += stream->raw->len;
    stretch.message = zg_plan_by_id(plan, stretch.header.id);
    if (verdict != 0) {
        undelivered(stream, &stretch, &counters->other_version, "other version");
    } else if (!stretch.message) {
        undelivered(stream, &stretch, &counters->unknown_id, "unknown id");
    } else if (!zg_payload_unpack(stretch.message, stream->content + plan->header.size, length, &stretch.header,
                                  values_of(stream, stretch.message), &stretch.ignored)) {
        undelivered(stream, &stretch, &counters->bad_payload, "bad payload");
    } else {
        stretch.values = values_of(stream, stretch.message);
        counters->extra_bytes += (uint32_t)stretch.ignored;
        tell(stream, &stretch);
    }
}

static void take_content(struct zg_stream *stream)
{
    const struct zg_plan *plan = stream->plan;
    struct zg_counters *counters = &stream->counters;
    size_t length = stream->decoder.length;

    if (length == 0 || length < plan->header.size + plan->check.size)
        skip(stream, &counters->malformed, &counters->bytes_failed, "too short");
    else if (!zg_check_passes(&plan->check, stream->content, length))
        skip_failed_check(stream);
    else
        take_frame(stream);
}

static void take_event(struct zg_stream *stream, enum zg_framing_event event)
{
    struct zg_counters *counters = &stream->counters;

    switch (event) {
    case ZG_FRAMING_CONTENT: take_content(stream); break;
    case ZG_FRAMING_MALFORMED: skip(stream, &counters->malformed, &counters->bytes_failed, "malformed stuffing"); break;
    case ZG_FRAMING_TOO_LONG: skip(stream, &counters->too_long, &counters->bytes_failed, "too long"); break;
    case ZG_FRAMING_NOISE:
        if (stream->raw->len > 0) /* else all of it was reported in pieces */
            skip(stream, NULL, &counters->bytes_noise, "noise");
        break;
    case ZG_FRAMING_IDLE:
        counters->bytes_idle += stream->raw->len;
        stream->offset += stream->raw->len;
        g_byte_array_set_size(stream->raw, 0);
        break;
    case ZG_FRAMING_MORE:
        if (!zg_cobs_open(&stream->decoder) && stream->raw->len >= NOISE_PIECE)
            skip(stream, NULL, &counters->bytes_noise, "noise");
        break;
    }
}

void zg_stream_feed(struct zg_stream *stream, const uint8_t *bytes, size_t count)
{
    stream->counters.bytes_in += (uint32_t)count;
    while (count > 0) {
        enum zg_framing_event event;
        size_t taken = zg_cobs_decode(&stream->decoder, bytes, MIN(count, NOISE_PIECE), &event);
        g_byte_array_append(stream->raw, bytes, (guint)taken);
        bytes += taken;
        count -= taken;
        take_event(stream, event);
    }
}

void zg_stream_end(struct zg_stream *stream)
{
    struct zg_counters *counters = &stream->counters;
    bool candidate = zg_cobs_open(&stream->decoder);

    zg_cobs_abandon(&stream->decoder);
    if (candidate)
        skip(stream, &counters->timed_out, &counters->bytes_failed, "cut short");
    else if (stream->raw->len > 0)
        skip(stream, NULL, &counters->bytes_noise, "noise");
}

const struct zg_counters *zg_stream_counters(const struct zg_stream *stream)
{
    return &stream->counters;
}
