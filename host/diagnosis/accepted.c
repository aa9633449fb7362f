/* SPDX-License-Identifier: MIT */
/* Damaged frames that passed the check: the receiver, run over the bytes that arrived, tells where the damage was done.
 */
#include <string.h>

#include "codec/frame_reader.h"
#include "diagnosis/causes.h"

/* The frames that a receiver finds in bytes: their raw bytes, one after the other, each behind its length. */
static void take_frame(const struct zg_stretch *stretch, void *data)
{
    const uint32_t length = (uint32_t)stretch->raw_length;

    if (stretch->kind != ZG_STRETCH_FRAME && stretch->kind != ZG_STRETCH_UNDELIVERED)
        return;
    g_byte_array_append(data, (const guint8 *)&length, sizeof length);
    g_byte_array_append(data, stretch->raw, length);
}

static GByteArray *frames_of(const struct zg_plan *plan, enum zg_side from, GBytes *bytes)
{
    GByteArray *frames = g_byte_array_new();
    gsize size;
    const uint8_t *data = g_bytes_get_data(bytes, &size);
    struct zg_frame_reader *reader = zg_frame_reader_new(plan, take_frame, frames);

    zg_frame_reader_hear(reader, from);
    zg_frame_reader_feed(reader, data, size);
    zg_frame_reader_end(reader);
    zg_frame_reader_free(reader);
    return frames;
}

static bool holds(const GByteArray *frames, const uint8_t *frame, uint32_t length)
{
    for (guint at = 0; at < frames->len;) {
        uint32_t size;
        memcpy(&size, frames->data + at, sizeof size);
        if (size == length && memcmp(frames->data + at + sizeof size, frame, length) == 0)
            return true;
        at += (guint)sizeof size + size;
    }
    return false;
}

/* How many frames in `arrived` pass that are not in `sent`. */
static unsigned passed_by_check(const struct zgi_case *of, const struct zg_evidence_stretch *stretch)
{
    const enum zg_side from = of->back ? ZG_SIDE_DEVICE : ZG_SIDE_HOST;
    g_autoptr(GByteArray) sent = frames_of(of->evidence->plan, from, stretch->sent);
    g_autoptr(GByteArray) arrived = frames_of(of->evidence->plan, from, stretch->arrived);
    unsigned count = 0;

    for (guint at = 0; at < arrived->len;) {
        uint32_t size;
        memcpy(&size, arrived->data + at, sizeof size);
        count += !holds(sent, arrived->data + at + sizeof size, size);
        at += (guint)sizeof size + size;
    }
    return count;
}

static bool is_whole(const struct zgi_mark *mark)
{
    return mark->is_known && g_bytes_get_size(mark->stretch->sent) < ZG_STRETCH_BYTES_MOST &&
           g_bytes_get_size(mark->stretch->arrived) < ZG_STRETCH_BYTES_MOST;
}

void zgi_look_for_accepted(struct zgi_case *of)
{
    uint64_t after = 0, by_check = 0;

    for (guint i = 0; of->evidence->plan && i < of->marks->len; i++) {
        struct zgi_mark *mark = zgi_mark_at(of, i);
        if (!(mark->asks & ZGI_WHY_ACCEPTED) || !is_whole(mark))
            continue;
        const unsigned passed = passed_by_check(of, mark->stretch), accepted = mark->stretch->accepted;
        by_check += MIN(passed, accepted);
        after += accepted - MIN(passed, accepted);
        if (passed > 0)
            zgi_answer(mark, ZG_CAUSE_CHECK, ZGI_WHY_ACCEPTED);
        if (passed < accepted)
            zgi_answer(mark, ZG_CAUSE_AFTER_CHECK, ZGI_WHY_ACCEPTED | ZGI_WHY_NOTHING);
    }
    zgi_find_frames(
        of, ZG_CAUSE_AFTER_CHECK, after,
        "frames were delivered otherwise than the bytes that arrived say: memory or a buffer where they are "
        "received");
    zgi_find_frames(of, ZG_CAUSE_CHECK, by_check,
                    "damaged frames pass the check again when the bytes that arrived are received once more");
}
