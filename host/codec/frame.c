/* SPDX-License-Identifier: MIT */
#include "codec/frame.h"

#include <string.h>

#include "zeugma/receiver.h"
#include "zeugma/sequence.h"
#include "zeugma/text.h"

GByteArray *zg_frame_make(const struct zg_plan *plan, const struct zg_header *header, const uint8_t *payload,
                          size_t length)
{
    struct zg_header roles = *header;
    const struct zg_framing *framing = &plan->framer.framing;
    g_autofree uint8_t *content = g_malloc0(plan->max_content);
    size_t covered = MAX(plan->header.size + length + plan->check.size, plan->filled) - plan->check.size;
    struct zg_encoder encoder;
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
    zg_encoder_begin(&encoder, framing, &ring);
    zg_encoder_put(&encoder, framing, content, covered + plan->check.size);
    error = error ? error : zg_encoder_end(&encoder, framing, &wire);
    g_assert(error == 0); /* the ring holds the largest frame */
    return g_byte_array_append(g_byte_array_sized_new((guint)wire), memory, (guint)wire);
}

/* Whose frames are numbered in one row. */
struct sender {
    struct zg_sequence heard;
    uint16_t boot; /* that its last hello told, 0: none came */
};

struct zg_frame_reader {
    const struct zg_plan *plan;
    struct sender sender; /* where the header has no source; else */
    GHashTable *senders;  /* a struct sender for each, by its address */
    const struct zg_plan_message *hello;
    zg_stretch_function report;
    void *data;
    struct zg_protocol protocol;
    struct zg_receiver receiver;
    struct zg_counters counters;
    struct zg_header header; /* of a frame that was found */
    GByteArray *raw;         /* what was not reported: noise, then what is pending */
    guint noise;             /* bytes of it */
    uint64_t offset;         /* of raw's first byte */
    uint64_t since;          /* bytes that were no frame, since the last frame */
    int before;              /* the byte in front of raw; -1: none */
    uint8_t *memory;
    struct zg_value **values; /* for each message, used again and again */
};

enum { NOISE_PIECE = 4096 };

static int admit(void *owner, const uint8_t *content, size_t length, struct zg_header *header)
{
    const struct zg_plan *plan = owner;
    return zg_header_unpack(plan, content, length - plan->header.size - plan->check.size, header);
}

struct zg_frame_reader *zg_frame_reader_new(const struct zg_plan *plan, zg_stretch_function report, void *data)
{
    struct zg_frame_reader *stream = g_new0(struct zg_frame_reader, 1);

    stream->values = g_new0(struct zg_value *, plan->messages->len);
    for (unsigned i = 0; i < plan->messages->len; i++)
        stream->values[i] = zg_values_new(&zg_plan_message_at(plan, i)->payload);
    stream->plan = plan;
    stream->report = report;
    stream->data = data;
    stream->raw = g_byte_array_new();
    stream->senders = g_hash_table_new_full(NULL, NULL, NULL, g_free);
    if (zg_definition_serves(plan->definition, "hello"))
        stream->hello = zg_plan_by_name(plan, "hello");
    stream->before = -1;
    stream->memory = g_malloc(plan->receive_room);
    stream->protocol = zg_plan_protocol(plan);
    stream->protocol.admit = admit;
    zg_receiver_init(&stream->receiver, &stream->protocol, (void *)plan, &stream->counters, stream->memory);
    return stream;
}

void zg_frame_reader_free(struct zg_frame_reader *stream)
{
    if (!stream)
        return;
    g_byte_array_unref(stream->raw);
    g_hash_table_unref(stream->senders);
    g_free(stream->memory);
    for (unsigned i = 0; i < stream->plan->messages->len; i++)
        zg_values_free(&zg_plan_message_at(stream->plan, i)->payload, stream->values[i]);
    g_free(stream->values);
    g_free(stream);
}

/* Lets go of the oldest bytes. */
static void forget(struct zg_frame_reader *stream, guint count)
{
    if (count == 0)
        return;
    stream->offset += count;
    stream->before = stream->raw->data[count - 1];
    g_byte_array_remove_range(stream->raw, 0, count);
}

/* The delimiter that both opens and ends frames, which two may share; -1: there is none. */
static int opening_of(const struct zg_plan *plan)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;

    switch (framing->kind) {
    case ZG_FRAMING_COBS: return framing->lead ? 0 : -1;
    case ZG_FRAMING_SLIP: return framing->lead ? 0xC0 : -1;
    case ZG_FRAMING_HDLC: return 0x7E;
    default:
        return framing->start.size == 1 && framing->end.size == 1 && framing->start.bytes[0] == framing->end.bytes[0]
                   ? framing->start.bytes[0]
                   : -1;
    }
}

/* Reports the oldest bytes as a stretch. */
static void tell(struct zg_frame_reader *stream, struct zg_stretch *stretch, size_t count)
{
    if (stretch->kind == ZG_STRETCH_SKIPPED) {
        stream->since += count;
    } else if (stretch->kind != ZG_STRETCH_CONSOLE) {
        stretch->after = stream->since;
        stream->since = 0;
        if (stream->before >= 0 && stream->before == opening_of(stream->plan) &&
            stream->raw->data[0] != stream->before) { /* the delimiter before it opened it, too */
            const uint8_t opening = (uint8_t)stream->before;
            g_byte_array_prepend(stream->raw, &opening, 1);
            stream->offset--;
            stretch->shared = 1;
            count++;
        }
    }
    stretch->raw = stream->raw->data;
    stretch->raw_length = count;
    stretch->offset = stream->offset;
    stream->report(stretch, stream->data);
    forget(stream, (guint)count);
}

static void tell_text(struct zg_frame_reader *stream, size_t count)
{
    struct zg_stretch stretch = { .kind = ZG_STRETCH_CONSOLE };

    stream->counters.bytes_console += (uint32_t)count;
    tell(stream, &stretch, count);
}

/* Reports text and noise, where a console shares the line; a character whose end may come stays. */
static void sort_noise(struct zg_frame_reader *stream, bool goes_on)
{
    while (stream->noise > 0) {
        bool cut;
        guint run = (guint)zg_text_run(stream->raw->data, stream->noise, &cut), other = 0;
        if (run > 0) {
            stream->counters.bytes_noise -= run;
            stream->noise -= run;
            tell_text(stream, run);
            continue;
        }
        while (other < stream->noise && !(cut && goes_on) && run == 0) {
            other++;
            run = (guint)zg_text_run(stream->raw->data + other, stream->noise - other, &cut);
        }
        if (other == 0)
            return;
        struct zg_stretch stretch = { .kind = ZG_STRETCH_SKIPPED, .why = "noise" };
        stream->noise -= other;
        tell(stream, &stretch, other);
    }
}

/* Reports noise: all of it, or where it goes on whole pieces only. */
static void tell_noise(struct zg_frame_reader *stream, bool goes_on)
{
    if (stream->plan->definition->console == ZG_CONSOLE_INTERLEAVED)
        sort_noise(stream, goes_on);
    while (stream->noise >= (goes_on ? NOISE_PIECE : 1)) {
        struct zg_stretch stretch = { .kind = ZG_STRETCH_SKIPPED, .why = "noise" };
        guint count = MIN(stream->noise, NOISE_PIECE);
        stream->noise -= count;
        tell(stream, &stretch, count);
    }
}

static void undelivered(struct zg_stretch *stretch, const char *why)
{
    stretch->kind = ZG_STRETCH_UNDELIVERED;
    stretch->why = why;
}

static struct zg_value *values_of(const struct zg_frame_reader *stream, const struct zg_plan_message *message)
{
    return stream->values[message - zg_plan_message_at(stream->plan, 0)];
}

/* A frame of this version: a message, or why not. */
static void read_message(struct zg_frame_reader *stream, const struct zg_found *found, struct zg_stretch *stretch)
{
    struct zg_counters *counters = &stream->counters;

    if (!stretch->message) {
        counters->unknown_id++;
        undelivered(stretch, "unknown id");
    } else if (!zg_payload_unpack(stretch->message, found->payload, found->length, &stretch->header,
                                  values_of(stream, stretch->message), &stretch->ignored)) {
        counters->bad_payload++;
        undelivered(stretch, "bad payload");
    } else {
        stretch->values = values_of(stream, stretch->message);
        if (stream->plan->filled > 0 && !stream->protocol.length_ends)
            stretch->ignored = 0; /* zero bytes in front of the check */
        counters->extra_bytes += (uint32_t)stretch->ignored;
    }
}

static struct sender *sender_of(struct zg_frame_reader *stream, uint32_t source)
{
    if (stream->plan->source_bits == 0)
        return &stream->sender;
    struct sender *sender = g_hash_table_lookup(stream->senders, GUINT_TO_POINTER(source));
    if (!sender) {
        sender = g_new0(struct sender, 1);
        g_hash_table_insert(stream->senders, GUINT_TO_POINTER(source), sender);
    }
    return sender;
}

/* What a frame's number tells of those before it. One that restarted, as its hello tells, numbers anew. */
static void note_sequence(struct zg_frame_reader *stream, const struct zg_stretch *stretch)
{
    struct zg_counters *counters = &stream->counters;
    zg_header_word skipped;

    if (stream->plan->sequence_bits == 0)
        return;
    struct sender *sender = sender_of(stream, stretch->header.source);
    if (stretch->values && stretch->message == stream->hello) {
        const uint16_t boot = (uint16_t)stretch->values[4].raw.u;
        if (sender->boot != 0 && boot != sender->boot) {
            counters->restarts++;
            sender->heard.seen = 0;
        }
        sender->boot = boot;
    }
    switch (zg_sequence_note(&sender->heard, stream->plan->sequence_bits, stretch->header.sequence, &skipped)) {
    case ZG_ARRIVAL_NEXT: counters->lost += skipped; break;
    case ZG_ARRIVAL_REPEATED: counters->repeated++; break;
    default: counters->late++; break;
    }
}

static void take_frame(struct zg_frame_reader *stream, const struct zg_found *found)
{
    struct zg_stretch stretch = { .kind = ZG_STRETCH_FRAME, .header = stream->header };

    stretch.message = zg_plan_by_id(stream->plan, stretch.header.id);
    if (found->outcome == ZG_OUTCOME_VERSION)
        undelivered(&stretch, "other version");
    else
        read_message(stream, found, &stretch);
    note_sequence(stream, &stretch);
    tell(stream, &stretch, found->wire);
}

/* Why a candidate was no frame. */
static const char *reason(const struct zg_frame_reader *stream, enum zg_outcome outcome)
{
    const struct zg_framing_choice *framing = &stream->plan->definition->framing;

    switch (outcome) {
    case ZG_OUTCOME_FAILED_CHECK: return "check failed";
    case ZG_OUTCOME_SHORT: return "too short";
    case ZG_OUTCOME_FORM: return "wrong constant or length in the header";
    case ZG_OUTCOME_TOO_LONG: return "too long";
    case ZG_OUTCOME_CUT: return "cut short";
    default: break;
    }
    if (framing->kind == ZG_FRAMING_LENGTH)
        return "impossible length";
    return zg_framing_is_plain(framing) ? "no end mark" : "malformed stuffing";
}

/* A failed candidate that is text; one that outgrew the longest frame may end in the middle of a character. */
static bool take_text(struct zg_frame_reader *stream, const struct zg_found *found)
{
    bool cut;
    size_t run = zg_text_run(stream->raw->data, found->wire, &cut);

    if (run == 0 || (run < found->wire && !cut))
        return false;
    zg_text_uncount(&stream->counters, found);
    stream->noise = (guint)(found->wire - run);
    stream->counters.bytes_noise += stream->noise;
    tell_text(stream, run);
    return true;
}

static void take_found(struct zg_frame_reader *stream, const struct zg_found *found)
{
    struct zg_stretch stretch = { .kind = ZG_STRETCH_SKIPPED,
                                  .checked = found->outcome == ZG_OUTCOME_FAILED_CHECK,
                                  .expected = found->expected,
                                  .found = found->found };

    if (found->outcome == ZG_OUTCOME_OPEN)
        return;
    if (found->outcome == ZG_OUTCOME_NOISE) {
        stream->noise += (guint)found->wire;
        tell_noise(stream, true);
        return;
    }
    tell_noise(stream, false);
    switch (found->outcome) {
    case ZG_OUTCOME_FRAME:
    case ZG_OUTCOME_VERSION: take_frame(stream, found); break;
    case ZG_OUTCOME_IDLE: forget(stream, (guint)found->wire); break;
    default:
        if (stream->plan->definition->console == ZG_CONSOLE_INTERLEAVED && take_text(stream, found))
            break;
        stretch.why = reason(stream, found->outcome);
        tell(stream, &stretch, found->wire);
        break;
    }
}

void zg_frame_reader_feed(struct zg_frame_reader *stream, const uint8_t *bytes, size_t count)
{
    struct zg_found found;

    if (count == 0)
        return;
    do {
        size_t taken = zg_receiver_take(&stream->receiver, bytes, MIN(count, NOISE_PIECE), &found, &stream->header);
        if (taken > 0)
            g_byte_array_append(stream->raw, bytes, (guint)taken);
        bytes += taken;
        count -= taken;
        take_found(stream, &found);
    } while (count > 0 || found.outcome != ZG_OUTCOME_OPEN);
}

bool zg_frame_reader_is_open(const struct zg_frame_reader *stream)
{
    return stream->raw->len > 0;
}

void zg_frame_reader_end(struct zg_frame_reader *stream)
{
    static const uint8_t nothing = 0;
    struct zg_found ended, found;

    do {
        zg_receiver_pause(&stream->receiver, &ended, &stream->header);
        take_found(stream, &ended);
        do {
            (void)zg_receiver_take(&stream->receiver, &nothing, 0, &found, &stream->header);
            take_found(stream, &found);
        } while (found.outcome != ZG_OUTCOME_OPEN);
    } while (ended.outcome != ZG_OUTCOME_OPEN);
    tell_noise(stream, false);
}

const struct zg_counters *zg_frame_reader_counters(const struct zg_frame_reader *stream)
{
    return &stream->counters;
}
