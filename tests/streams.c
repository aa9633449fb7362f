/* SPDX-License-Identifier: MIT */
#include "streams.h"
#include "random_frames.h"

#include <string.h>

#include "codec/frame.h"

const struct test_framing test_framings[] = {
    { "cobs", "id: u8, sequence: u8", "bytes[..]", "\x02\x03\xff", "\x00", 1, 0, NULL },
    { "{ kind: cobs, lead: true }", "id: u8, sequence: u8", "bytes[..]", "\x02\x03\xff", "", 0, 1, NULL },
    { "slip", "id: u8, sequence: u8", "bytes[..]", "\xc0\xdb\xdc\xdd", "", 0, 1, NULL },
    { "{ kind: slip, lead: false }", "id: u8, sequence: u8", "bytes[..]", "\xc0\xdb\xdc\xdd", "\xc0", 1, 0, NULL },
    { "hdlc", "id: u8, sequence: u8", "bytes[..]", "\x7e\x7d\x5e\x5d", "", 0, 1, NULL },
    { "{ kind: hdlc, escape_control: true }", "id: u8, sequence: u8", "bytes[..]", "\x7e\x7d\x5e\x5d\x20", "", 0, 1,
      NULL },
    { "{ kind: length, sync: [0xA5, 0x5A] }", "id: u8, length: u8", "bytes[..]", "\xa5\x5a\x10", "", 0, 0, NULL },
    { "{ kind: length, sync: [0xA5, 0xA5, 0x5A] }", "id: u8, length: { type: u16, counts: content }", "bytes[..]",
      "\xa5\x5a\x10", "", 0, 0, NULL },
    { "length", "length: { type: u8, counts: rest }, id: u8", "bytes[..]", "\x0c\x10\x14", "", 0, 0, NULL },
    { "{ kind: marks, start: [0x02], end: [0x03], escape: 0x1B }", "id: u8", "bytes[..]", "\x02\x03\x1b\x22\x23\x3b",
      "", 0, 0, NULL },
    { "{ kind: marks, end: [0x0D, 0x0A], escape: 0x5C, escape_xor: 0x40 }", "id: u8", "bytes[..]", "\x0d\x0a\x5c\x4d",
      "\x0d\x0a", 2, 0, NULL },
    { "{ kind: marks, start: [0x7E, 0x7E], end: [0x7E, 0x7E], escape: 0x7D }", "id: u8", "bytes[..]", "\x7e\x7d\x5e",
      "", 0, 0, NULL },
    { "{ kind: marks, start: [0x7E], end: [0x7E], escape: 0x7D }", "id: u8", "bytes[..]", "\x7e\x7d\x5e", "", 0, 1,
      NULL },
    { "{ kind: marks, start: [0x10, 0x02], end: [0x10, 0x03], double: 0x10 }", "id: u8", "bytes[..]", "\x10\x02\x03",
      "", 0, 0, NULL },
    { "{ kind: marks, start: [0x10, 0x02, 0x10], end: [0x10, 0x03], double: 0x10 }", "id: u8", "bytes[..]",
      "\x10\x02\x03", "", 0, 0, NULL },
    { "{ kind: marks, start: [0x3C, 0x3C], end: [0x3E] }", "id: u8", "bytes[14]", "\x3c\x3e", "", 0, 0, NULL },
    { "{ kind: fixed, size: 32, sync: [0xA5, 0x5A] }", "id: u8, length: u8", "bytes[..]", "\xa5\x5a\x10", "", 0, 0,
      NULL },
    { "{ kind: marks, start: [0x3A], end: [0x0D, 0x0A] }, coding: HEX", "id: u8", "bytes[..]", "\x3a\x0d\x0a\xab", "",
      0, 0, NULL },
    { "{ kind: fixed, size: 24 }", "id: u8", "bytes[9]", "\xa5", "", 0, 0, NULL },
    { "cobs", "id: u8, sequence: u8", "bytes[..]", "\x02\x10\xff", "\0", 2, 0, "{ data: 4, order: msb }" },
    { "{ kind: cobs, lead: true }", "id: u8", "bytes[..]", "\x02\x20\xff", "", 0, 2, "{ data: 4 }" },
    { "{ kind: slip, lead: false }", "id: u8", "bytes[..]", "\xc0\x0c\xdb\xdc", "\x0c", 2, 0,
      "{ data: 4, order: msb }" },
    { "hdlc", "id: u8", "bytes[..]", "\x7e\xe7\x7d\x5e", "", 0, 2, "{ data: 4 }" },
    { "{ kind: length, sync: [0x5A, 0xA5] }", "id: u8, length: u8", "bytes[..]", "\xa5\x5a\x10", "", 0, 0,
      "{ data: 4, order: msb }" },
    { "length", "length: { type: u8, counts: rest }, id: u8", "bytes[..]", "\x0c\x10\x14", "", 0, 0, "{ data: 4 }" },
    { "{ kind: marks, start: [0x10, 0x02], end: [0x10, 0x03], double: 0x10 }", "id: u8", "bytes[..]", "\x10\x02\x03",
      "", 0, 0, "{ data: 4 }" },
    { "{ kind: marks, start: [0x3C, 0x3C], end: [0x3E] }", "id: u8", "bytes[14]", "\x3c\x3e\xc3", "", 0, 0,
      "{ data: 4, order: msb }" },
    { "{ kind: fixed, size: 24 }", "id: u8", "bytes[9]", "\xa5", "", 0, 0, "{ data: 4 }" },
};

const unsigned test_framings_length = G_N_ELEMENTS(test_framings);

char *test_framing_text(const struct test_framing *framing)
{
    g_autofree char *line = framing->format ? g_strdup_printf("line: { format: %s }\n", framing->format) : g_strdup("");
    return g_strdup_printf("zeugma: 1\nprotocol: p\nversion: 1.0\n%sframe: { framing: %s, header: [%s], check: "
                           "crc32/iso-hdlc, max_payload: %s }\nmessages: { m: { id: 1, from: both, fields: { n: u32, "
                           "data: \"%s\" } } }\n",
                           line, framing->framing, framing->header, strstr(framing->framing, "fixed") ? "26" : "60",
                           framing->data);
}

struct test_plan test_framing_plan(const struct test_framing *framing)
{
    g_autofree char *text = test_framing_text(framing);
    return test_plan_of(text);
}

static uint8_t any_byte(struct zg_random *random, const struct test_framing *kind)
{
    size_t count = strlen(kind->special);

    switch (zg_random_below(random, 8)) {
    case 0: return (uint8_t)zg_random_next(random);
    case 1: return 0;
    case 2: return 1; /* the id */
    default: return (uint8_t)kind->special[zg_random_below(random, count)];
    }
}

/* Frame `number`, of any size, made of bytes with a meaning. */
static GByteArray *frame_of(struct zg_random *random, const struct test_framing *kind, const struct zg_plan *plan,
                            uint32_t number)
{
    const struct zg_plan_message *message = zg_plan_message_at(plan, 0);
    const struct zg_header header = { .id = 1, .sequence = number };
    uint8_t payload[64];
    unsigned least = message->payload_least, most = MIN(message->payload_most, sizeof payload);
    unsigned length = least + (unsigned)zg_random_below(random, most - least + 1);

    memcpy(payload, &number, 4);
    for (unsigned i = 4; i < length; i++)
        payload[i] = any_byte(random, kind);
    return zg_frame_make(plan, &header, payload, length);
}

static void append(GByteArray *bytes, const GByteArray *more)
{
    g_byte_array_append(bytes, more->data, more->len);
}

/* Two senders at once, for a while: bytes of one between those of the other. */
static GByteArray *overlap(struct zg_random *random, const GByteArray *one, const GByteArray *other)
{
    GByteArray *both = g_byte_array_new();
    guint a = 0, b = 0, begin = (guint)zg_random_below(random, one->len), end = begin + 30;

    while (a < one->len || b < other->len) {
        bool mix = a >= begin && a < end && zg_random_one_in(random, 2);
        if (a < one->len && (b >= other->len || !mix))
            g_byte_array_append(both, one->data + a++, 1);
        else
            g_byte_array_append(both, other->data + b++, 1);
    }
    return both;
}

static GByteArray *stream_of(struct zg_random *random, const struct test_framing *kind, const struct zg_plan *plan,
                             GPtrArray *frames)
{
    g_autoptr(GByteArray) bytes = g_byte_array_new();
    g_autoptr(GByteArray) other = g_byte_array_new();
    unsigned what = (unsigned)zg_random_below(random, 8);

    if (what == 0) /* noise first */
        for (uint64_t n = 1 + zg_random_below(random, 100); n > 0; n--) {
            uint8_t byte = any_byte(random, kind);
            g_byte_array_append(bytes, &byte, 1);
        }
    for (unsigned i = 0; i < TEST_FRAMES; i++) {
        GByteArray *frame = frame_of(random, kind, plan, i);
        g_ptr_array_add(frames, frame);
        guint begin = bytes->len;
        append(bytes, frame);
        if (what == 1 && zg_random_one_in(random, 4)) /* its first bytes, including the length, are hit */
            bytes->data[begin + zg_random_below(random, MIN(frame->len, 6))] ^=
                (uint8_t)(1U << zg_random_below(random, 8));
        if (what == 2 && zg_random_one_in(random, 4)) /* cut */
            g_byte_array_set_size(bytes, bytes->len - 1 - (guint)zg_random_below(random, frame->len - 1));
        if (what == 3 && zg_random_one_in(random, 4)) /* repeated */
            append(bytes, frame);
    }
    if (what == 4) /* joined in the middle */
        g_byte_array_remove_range(bytes, 0, (guint)zg_random_below(random, 60));
    if (what == 5) {
        for (unsigned i = 0; i < TEST_FRAMES; i++) {
            GByteArray *frame = frame_of(random, kind, plan, 1000 + i);
            g_ptr_array_add(frames, frame);
            append(other, frame);
        }
        return overlap(random, bytes, other);
    }
    if (what < 6)
        return g_steal_pointer(&bytes);
    g_autoptr(GByteArray) touched = NULL;
    g_autoptr(GArray) origin = NULL;
    return test_damage(random, bytes->data, bytes->len, 1 + (unsigned)zg_random_below(random, 12), &touched, &origin);
}

GByteArray *test_framing_stream(struct zg_random *random, const struct test_framing *kind, const struct zg_plan *plan,
                                GPtrArray *frames)
{
    GByteArray *bytes = stream_of(random, kind, plan, frames);

    for (guint i = 0; i < bytes->len && kind->format; i++)
        bytes->data[i] &= 15; /* what a line carries */
    return bytes;
}

/* Whether the bytes before `at` let a frame begin there, `from` the last one's end. One half may stand in between. */
static bool is_opened(const struct test_framing *kind, const GByteArray *bytes, guint at, guint from)
{
    guint size = kind->delimiter_size;
    return size == 0 || at == 0 || (kind->format && at == from + 1) ||
           (at >= size && memcmp(bytes->data + at - size, kind->delimiter, size) == 0);
}

/* Whether bytes are a frame's; hex digits may have either case. */
static bool is_same(const struct test_framing *kind, const uint8_t *bytes, const uint8_t *frame, size_t size)
{
    const bool coded = strstr(kind->framing, "coding") != NULL;

    for (size_t i = 0; i < size; i++)
        if (bytes[i] != frame[i] && !(coded && g_ascii_isxdigit((char)frame[i]) && (bytes[i] ^ frame[i]) == 0x20 &&
                                      g_ascii_isalpha((char)frame[i])))
            return false;
    return true;
}

GArray *test_framing_expected(const struct test_framing *kind, const GByteArray *bytes, const GPtrArray *frames)
{
    GArray *numbers = g_array_new(FALSE, FALSE, sizeof(uint32_t));
    guint from = 0;

    for (guint at = 0; at < bytes->len; at++) {
        for (uint32_t i = 0; i < frames->len; i++) {
            const GByteArray *frame = g_ptr_array_index(frames, i);
            guint size = frame->len;
            if ((at == 0 || (kind->format && at == from + 1)) &&
                memcmp(bytes->data + at, frame->data, MIN(frame->len, bytes->len - at)) != 0)
                size -= kind->shared;
            if ((at < from && at + kind->shared != from) || size > bytes->len - at ||
                !is_opened(kind, bytes, at, from) ||
                !is_same(kind, bytes->data + at, frame->data + frame->len - size, size))
                continue;
            uint32_t number = i < TEST_FRAMES ? i : 1000 + i - TEST_FRAMES;
            g_array_append_val(numbers, number);
            from = at + size;
            break;
        }
    }
    return numbers;
}

void test_unref_bytes(gpointer bytes)
{
    g_byte_array_unref(bytes);
}
