/* SPDX-License-Identifier: MIT */
#include "plan/framer.h"

#include <glib.h>
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
    return zg_framing_is_plain(framing) && one_size && framing->start.size > 0 && !framing->coding;
}

bool zg_framing_is_short_cobs(const struct zg_framing_choice *framing, unsigned content)
{
    return framing->kind == ZG_FRAMING_COBS && !framing->lead && !framing->coding && !framing->halves && content < 254;
}

/* The end mark that takes the fewest bytes, or the most. */
static unsigned end_size(const struct zg_framing_choice *framing, bool most)
{
    const unsigned device = framing->end.size, host = zg_framing_is_sided(framing) ? framing->host_end.size : device;
    return most ? MAX(device, host) : MIN(device, host);
}

/* Characters that content takes between the framing's own. */
static unsigned coded(const struct zg_framing_choice *framing, unsigned content)
{
    return framing->coding ? 2 * content : content;
}

static unsigned least(const struct zg_framing_choice *framing, unsigned content)
{
    switch (framing->kind) {
    case ZG_FRAMING_COBS: return ZG_COBS_WIRE_MAX(content) + framing->lead;
    case ZG_FRAMING_SLIP: return content + 1 + framing->lead;
    case ZG_FRAMING_HDLC: return content + 2;
    default: return framing->start.size + content + end_size(framing, false);
    }
}

/* Characters on the line of a frame of these bytes. */
static unsigned characters(const struct zg_framing_choice *framing, unsigned bytes)
{
    return framing->halves ? 2 * bytes : bytes;
}

unsigned zg_framing_least(const struct zg_framing_choice *framing, unsigned content)
{
    return characters(framing, least(framing, coded(framing, content)));
}

static unsigned most(const struct zg_framing_choice *framing, unsigned content)
{
    switch (framing->kind) {
    case ZG_FRAMING_SLIP: return 2 * content + 1 + framing->lead;
    case ZG_FRAMING_HDLC: return ZG_ESCAPED_WIRE_MAX(content);
    case ZG_FRAMING_MARKS:
        if (!zg_framing_is_plain(framing))
            return ZG_MARKS_WIRE_MAX(content, framing->start.size, framing->end.size);
        return framing->start.size + content + end_size(framing, true);
    default: return least(framing, content);
    }
}

unsigned zg_framing_most(const struct zg_framing_choice *framing, unsigned content)
{
    return characters(framing, most(framing, coded(framing, content)));
}

static unsigned longest_end(const struct zg_framing_choice *framing)
{
    const struct zg_mark *ends[ZG_ALSO_MOST + 2];
    unsigned longest = 0;

    for (unsigned i = zg_framing_ends(framing, ends); i-- > 0;)
        longest = MAX(longest, ends[i]->size);
    return longest;
}

unsigned zg_framing_room(const struct zg_framing_choice *framing, unsigned content, bool one_size)
{
    const unsigned room = zg_framing_inner_room(framing, content, one_size);
    return framing->halves ? (unsigned)ZG_HALVES_ROOM(room, zg_framing_most(framing, content) / 2) : room;
}

unsigned zg_framing_inner_room(const struct zg_framing_choice *framing, unsigned content, bool one_size)
{
    content = coded(framing, content);
    switch (framing->kind) {
    case ZG_FRAMING_MARKS:
        if (!zg_framing_is_sized(framing, one_size))
            return ZG_MARKS_ROOM(content, framing->start.size, longest_end(framing)); /* fall through */
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

static struct zg_end_mark end_mark(const struct zg_mark *mark)
{
    struct zg_end_mark end = { .size = (uint8_t)mark->size };

    memcpy(end.bytes, mark->bytes, ZG_MARK_MAX);
    return end;
}

/* Which end marks are heard, and which is sent. */
static void init_ends(struct zg_framer *framer, const struct zg_framing_choice *choice, enum zg_framer_of of)
{
    const bool is_sided = zg_framing_is_sided(choice);
    const struct zg_mark *heard = is_sided && of == ZG_FRAMER_DEVICE ? &choice->host_end : &choice->end;
    unsigned count = 0;

    framer->marks.end_size = (uint8_t)heard->size;
    memcpy(framer->marks.end, heard->bytes, ZG_MARK_MAX);
    if (is_sided && of == ZG_FRAMER_OBSERVER)
        framer->others[count++] = end_mark(&choice->host_end);
    for (unsigned i = 0; i < choice->also_ends; i++)
        framer->others[count++] = end_mark(&choice->also_end[i]);
    framer->marks.others = (uint8_t)count;
    framer->marks.other = framer->others;
    framer->sent = end_mark(of == ZG_FRAMER_HOST && is_sided ? &choice->host_end : &choice->end);
    framer->marks.sent = is_sided ? &framer->sent : NULL;
}

static enum zg_ends ends(const void *context, const uint8_t *content, size_t length)
{
    const struct zg_framer *framer = context;
    return framer->sizes.ends(framer->sizes.context, framer->from, content, length);
}

static void init_marks(struct zg_framer *framer, const struct zg_framing_choice *choice, enum zg_framer_of of)
{
    static const struct zg_framing like = ZG_MARKS(NULL);

    framer->marks = (struct zg_marks){ .start_size = (uint8_t)choice->start.size,
                                       .doubled = choice->marking == ZG_MARKING_DOUBLED,
                                       .escape = choice->escape,
                                       .escape_xor = choice->escape_xor,
                                       .plain = choice->marking == ZG_MARKING_PLAIN,
                                       .trailing = (uint8_t)framer->sizes.trailing };
    memcpy(framer->marks.start, choice->start.bytes, ZG_MARK_MAX);
    framer->from = of == ZG_FRAMER_DEVICE ? ZG_SIDE_HOST : of == ZG_FRAMER_HOST ? ZG_SIDE_DEVICE : ZG_SIDE_BOTH;
    framer->marks.ends = framer->sizes.ends ? ends : NULL;
    framer->marks.context = framer;
    init_ends(framer, choice, of);
    framer->framing = like;
    framer->framing.options = &framer->marks;
}

void zgi_framer_init(struct zg_framer *framer, const struct zg_framing_choice *choice,
                     const struct zg_content_sizes *sizes, enum zg_framer_of of)
{
    struct zg_framing *framing = &framer->framing;

    framer->sizes = *sizes;
    switch (choice->kind) {
    case ZG_FRAMING_SLIP: *framing = choice->lead ? zg_slip : zg_slip_trailing; break;
    case ZG_FRAMING_HDLC: *framing = choice->escape_control ? zg_hdlc_control : zg_hdlc; break;
    case ZG_FRAMING_GAP:
    case ZG_FRAMING_PACKET: *framing = zg_gap; break;
    case ZG_FRAMING_MARKS:
        if (!zg_framing_is_sized(choice, sizes->one_size)) {
            init_marks(framer, choice, of);
            break;
        } /* fall through */
    case ZG_FRAMING_LENGTH:
    case ZG_FRAMING_FIXED: init_sized(framer, choice); break;
    default: *framing = choice->lead ? zg_cobs_lead : zg_cobs; break;
    }
    if (choice->coding) {
        framer->inner = *framing;
        framer->coding = (struct zg_coding){ &framer->inner, choice->coding == ZG_CODING_UPPER };
        const struct zg_framing outer = ZG_CODED(&framer->coding, framer->inner.lead, framer->inner.rereads);
        *framing = outer;
    }
    if (choice->halves) {
        const struct zg_halves halves = ZG_HALVES(&framer->joined, choice->halves == ZG_HALVES_HIGH_FIRST,
                                                  zg_framing_inner_room(choice, sizes->most, sizes->one_size),
                                                  zg_framing_most(choice, sizes->most) / 2);
        const struct zg_framing outer = ZG_HALVED(&framer->halves, framing->lead);
        framer->joined = *framing;
        framer->halves = halves;
        *framing = outer;
    }
}
