/* SPDX-License-Identifier: MIT */
#include "plan/framer.h"

#include <string.h>

#include "zeugma/cobs.h"
#include "zeugma/escaped.h"
#include "zeugma/gap.h"

bool zg_framing_is_plain(const struct zg_framing_choice *framing)
{
    return framing->kind == ZG_FRAMING_MARKS && framing->marking == ZG_MARKING_PLAIN;
}

bool zg_framing_is_sized(const struct zg_framing_choice *framing, bool one_size)
{
    return zg_framing_is_plain(framing) && one_size && framing->start.size > 0;
}

bool zg_framing_is_short_cobs(const struct zg_framing_choice *framing, unsigned content)
{
    return framing->kind == ZG_FRAMING_COBS && !framing->lead && content < 254;
}

unsigned zg_framing_least(const struct zg_framing_choice *framing, unsigned content)
{
    switch (framing->kind) {
    case ZG_FRAMING_COBS: return ZG_COBS_WIRE_MAX(content) + framing->lead;
    case ZG_FRAMING_SLIP: return content + 1 + framing->lead;
    case ZG_FRAMING_HDLC: return content + 2;
    default: return framing->start.size + content + framing->end.size;
    }
}

unsigned zg_framing_most(const struct zg_framing_choice *framing, unsigned content)
{
    switch (framing->kind) {
    case ZG_FRAMING_SLIP: return 2 * content + 1 + framing->lead;
    case ZG_FRAMING_HDLC: return ZG_ESCAPED_WIRE_MAX(content);
    case ZG_FRAMING_MARKS:
        if (!zg_framing_is_plain(framing))
            return ZG_MARKS_WIRE_MAX(content, framing->start.size, framing->end.size);
        return zg_framing_least(framing, content);
    default: return zg_framing_least(framing, content);
    }
}

unsigned zg_framing_room(const struct zg_framing_choice *framing, unsigned content, bool one_size)
{
    switch (framing->kind) {
    case ZG_FRAMING_MARKS:
        if (!zg_framing_is_sized(framing, one_size))
            return ZG_MARKS_ROOM(content, framing->start.size, framing->end.size); /* fall through */
    case ZG_FRAMING_LENGTH:
    case ZG_FRAMING_FIXED: return ZG_SIZED_ROOM(content, framing->start.size, framing->end.size);
    default: return content + zg_framing_is_short_cobs(framing, content); /* one more: its first code byte */
    }
}

/* The content's size according to a header. What fits no receiver is SIZE_MAX. */
static size_t measure(const void *context, const uint8_t *content)
{
    const struct zg_content_sizes *sizes = context;
    uint64_t value = zg_step_load(sizes->length, 0, content);

    if (value < sizes->length_more)
        return 0;
    value -= sizes->length_more;
    return value > sizes->max_payload ? SIZE_MAX : sizes->around + (size_t)value;
}

static void init_sized(struct zg_framer *framer, const struct zg_framing_choice *choice)
{
    static const struct zg_framing like = ZG_SIZED(NULL);

    framer->sized = (struct zg_sized){ .size = framer->sizes.most,
                                       .sync_size = (uint8_t)choice->start.size,
                                       .end_size = (uint8_t)choice->end.size };
    if (choice->kind == ZG_FRAMING_LENGTH) {
        framer->sized.measure = measure;
        framer->sized.context = &framer->sizes;
        framer->sized.head = (uint8_t)zg_step_end(framer->sizes.length);
    }
    memcpy(framer->sized.sync, choice->start.bytes, ZG_MARK_MAX);
    memcpy(framer->sized.end, choice->end.bytes, ZG_MARK_MAX);
    framer->framing = like;
    framer->framing.options = &framer->sized;
}

static void init_marks(struct zg_framer *framer, const struct zg_framing_choice *choice)
{
    static const struct zg_framing like = ZG_MARKS(NULL);

    framer->marks = (struct zg_marks){ .start_size = (uint8_t)choice->start.size,
                                       .end_size = (uint8_t)choice->end.size,
                                       .doubled = choice->marking == ZG_MARKING_DOUBLED,
                                       .escape = choice->escape,
                                       .escape_xor = choice->escape_xor,
                                       .plain = choice->marking == ZG_MARKING_PLAIN,
                                       .trailing = (uint8_t)framer->sizes.trailing };
    memcpy(framer->marks.start, choice->start.bytes, ZG_MARK_MAX);
    memcpy(framer->marks.end, choice->end.bytes, ZG_MARK_MAX);
    framer->framing = like;
    framer->framing.options = &framer->marks;
}

void zgi_framer_init(struct zg_framer *framer, const struct zg_framing_choice *choice,
                     const struct zg_content_sizes *sizes)
{
    struct zg_framing *framing = &framer->framing;

    framer->sizes = *sizes;
    switch (choice->kind) {
    case ZG_FRAMING_SLIP: *framing = choice->lead ? zg_slip : zg_slip_trailing; break;
    case ZG_FRAMING_HDLC: *framing = choice->escape_control ? zg_hdlc_control : zg_hdlc; break;
    case ZG_FRAMING_GAP: *framing = zg_gap; break;
    case ZG_FRAMING_MARKS:
        if (!zg_framing_is_sized(choice, sizes->one_size)) {
            init_marks(framer, choice);
            break;
        } /* fall through */
    case ZG_FRAMING_LENGTH:
    case ZG_FRAMING_FIXED: init_sized(framer, choice); break;
    default: *framing = choice->lead ? zg_cobs_lead : zg_cobs; break;
    }
}
