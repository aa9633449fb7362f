/* SPDX-License-Identifier: MIT */
#include "codec/frame_reader.h"

#include <string.h>

#include "codec/choice.h"
#include "zeugma/receiver.h"
#include "zeugma/sequence.h"
#include "zeugma/text.h"

/* The sender of one sequence of numbers. */
struct sender {
    struct zg_sequence heard;
    uint16_t boot; /* from its last hello; 0: none arrived */
};

struct zg_frame_reader {
    const struct zg_plan *plan;
    struct sender sender; /* if the header has no source */
    GHashTable *senders;  /* otherwise: a struct sender for each, by its address */
    const struct zg_plan_message *hello;
    zg_stretch_function report;
    void *data;
    struct zg_protocol protocol;
    struct zg_receiver receiver;
    struct zg_counters counters;
    struct zg_header header; /* of a frame that was found */
    GByteArray *raw;         /* what was not reported yet: noise, then what is pending */
    guint noise;             /* bytes of noise at the beginning of `raw` */
    uint64_t offset;         /* of raw's first byte */
    uint8_t outside, bare;   /* as in struct zg_link: whether a message may come outside a frame, and which seems to */
    GArray *dropped;         /* struct drop: bytes that the framing ignores, among those of `raw`, in their order */
    uint64_t since;          /* bytes since the last frame that were no frame */
    struct zg_chooser chooser;
    int before; /* the byte before raw; -1: none */
    uint8_t *memory;
    struct zg_value **values; /* for each message, reused */
};

/* Bytes that were dropped in front of a place in `raw`. */
struct drop {
    guint at, count;
};

enum { NOISE_PIECE = 4096 };

static int admit(void *owner, const uint8_t *content, size_t length, struct zg_header *header)
{
    const struct zg_plan *plan = owner;
    return zg_header_unpack(plan, content, length - plan->header.size - plan->check.size, header);
}

struct zg_frame_reader *zg_frame_reader_new(const struct zg_plan *plan, zg_stretch_function report, void *data)
{
    struct zg_frame_reader *reader = g_new0(struct zg_frame_reader, 1);

    reader->values = g_new0(struct zg_value *, plan->messages->len);
    for (unsigned i = 0; i < plan->messages->len; i++)
        reader->values[i] = zg_values_new(&zg_plan_message_at(plan, i)->payload);
    reader->plan = plan;
    reader->report = report;
    reader->data = data;
    reader->raw = g_byte_array_new();
    reader->dropped = g_array_new(FALSE, FALSE, sizeof(struct drop));
    reader->senders = g_hash_table_new_full(NULL, NULL, NULL, g_free);
    if (zg_definition_serves(plan->definition, ZG_SERVICE_HELLO))
        reader->hello = zg_plan_by_name(plan, "hello");
    reader->before = -1;
    reader->memory = g_malloc(plan->receive_room);
    reader->protocol = zg_plan_protocol(plan);
    reader->protocol.admit = admit;
    zg_plan_hear_bares(plan, ZG_SIDE_BOTH, &reader->protocol);
    reader->outside = 1;
    zg_receiver_init(&reader->receiver, &reader->protocol, (void *)plan, &reader->counters, reader->memory);
    return reader;
}

void zg_frame_reader_hear(struct zg_frame_reader *reader, enum zg_side from)
{
    reader->chooser.only = from;
    reader->protocol.framing = zg_plan_framing(reader->plan, zg_receivers(from));
    zg_plan_hear_bares(reader->plan, from, &reader->protocol);
    zg_receiver_init(&reader->receiver, &reader->protocol, (void *)reader->plan, &reader->counters, reader->memory);
}

void zg_frame_reader_free(struct zg_frame_reader *reader)
{
    if (!reader)
        return;
    g_byte_array_unref(reader->raw);
    g_array_unref(reader->dropped);
    g_hash_table_unref(reader->senders);
    g_free(reader->memory);
    for (unsigned i = 0; i < reader->plan->messages->len; i++)
        zg_values_free(&zg_plan_message_at(reader->plan, i)->payload, reader->values[i]);
    g_free(reader->values);
    g_free(reader);
}

static struct drop *drop_at(const struct zg_frame_reader *reader, guint index)
{
    return &g_array_index(reader->dropped, struct drop, index);
}

/* Moves the offset past `count` bytes of raw, and what was dropped in front of them and of what follows. */
static void move_offset(struct zg_frame_reader *reader, guint count)
{
    guint passed = 0;

    reader->offset += count;
    while (passed < reader->dropped->len && drop_at(reader, passed)->at <= count)
        reader->offset += drop_at(reader, passed++)->count;
    g_array_remove_range(reader->dropped, 0, passed);
    for (guint i = 0; i < reader->dropped->len; i++)
        drop_at(reader, i)->at -= count;
}

/* Takes bytes that the framing ignores at the front of `bytes`. Returns how many. */
static size_t drop(struct zg_frame_reader *reader, const uint8_t *bytes, size_t count)
{
    const struct zg_framing_choice *framing = &reader->plan->definition->framing;
    struct drop drop = { .at = reader->raw->len };

    while (drop.count < count && memchr(framing->ignored, bytes[drop.count], framing->ignores))
        drop.count++;
    if (drop.count == 0)
        return 0;
    reader->counters.bytes_in += drop.count;
    reader->counters.bytes_idle += drop.count;
    g_array_append_val(reader->dropped, drop);
    move_offset(reader, 0);
    return drop.count;
}

/* Bytes in front of the first that the framing ignores. */
static size_t before_drop(const struct zg_frame_reader *reader, const uint8_t *bytes, size_t count)
{
    const struct zg_framing_choice *framing = &reader->plan->definition->framing;
    size_t run = 0;

    while (run < count && !memchr(framing->ignored, bytes[run], framing->ignores))
        run++;
    return run;
}

/* Drops the oldest bytes. */
static void forget(struct zg_frame_reader *reader, guint count)
{
    if (count == 0)
        return;
    move_offset(reader, count);
    reader->before = reader->raw->data[count - 1];
    g_byte_array_remove_range(reader->raw, 0, count);
}

/* The delimiter that both opens and closes frames, which two frames may share; -1: there is none. */
static int opening_of(const struct zg_plan *plan)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;

    if (framing->halves)
        return -1; /* it is two characters */
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
static void report_stretch(struct zg_frame_reader *reader, struct zg_stretch *stretch, size_t count)
{
    if (stretch->kind == ZG_STRETCH_SKIPPED) {
        reader->since += count;
    } else if (stretch->kind != ZG_STRETCH_CONSOLE) {
        stretch->after = reader->since;
        reader->since = 0;
        if (reader->before >= 0 && reader->before == opening_of(reader->plan) &&
            reader->raw->data[0] != reader->before) { /* the delimiter before it also opened it */
            const uint8_t opening = (uint8_t)reader->before;
            g_byte_array_prepend(reader->raw, &opening, 1);
            reader->offset--;
            for (guint i = 0; i < reader->dropped->len; i++)
                drop_at(reader, i)->at++;
            stretch->shared = 1;
            count++;
        }
    }
    stretch->raw = reader->raw->data;
    stretch->raw_length = count;
    stretch->offset = reader->offset;
    reader->report(stretch, reader->data);
    forget(reader, (guint)count);
}

static void report_text(struct zg_frame_reader *reader, size_t count)
{
    struct zg_stretch stretch = { .kind = ZG_STRETCH_CONSOLE };

    reader->counters.bytes_console += (uint32_t)count;
    report_stretch(reader, &stretch, count);
}

/* Reports text and noise, where console text shares the line. A character whose end may follow waits for it. */
static void sort_noise(struct zg_frame_reader *reader, bool goes_on)
{
    while (reader->noise > 0) {
        bool cut;
        guint run = (guint)zg_text_run(reader->raw->data, reader->noise, &cut), other = 0;
        if (run > 0) {
            reader->counters.bytes_noise -= run;
            reader->noise -= run;
            report_text(reader, run);
            continue;
        }
        while (other < reader->noise && !(cut && goes_on) && run == 0) {
            other++;
            run = (guint)zg_text_run(reader->raw->data + other, reader->noise - other, &cut);
        }
        if (other == 0)
            return;
        struct zg_stretch stretch = { .kind = ZG_STRETCH_SKIPPED, .why = "noise" };
        reader->noise -= other;
        report_stretch(reader, &stretch, other);
    }
}

/* Reports noise: all of it, or if more may follow only whole pieces. */
static void report_noise(struct zg_frame_reader *reader, bool goes_on)
{
    if (reader->plan->definition->console == ZG_CONSOLE_INTERLEAVED)
        sort_noise(reader, goes_on);
    while (reader->noise >= (goes_on ? NOISE_PIECE : 1)) {
        struct zg_stretch stretch = { .kind = ZG_STRETCH_SKIPPED, .why = "noise" };
        guint count = MIN(reader->noise, NOISE_PIECE);
        reader->noise -= count;
        report_stretch(reader, &stretch, count);
    }
}

static void undelivered(struct zg_stretch *stretch, const char *why)
{
    stretch->kind = ZG_STRETCH_UNDELIVERED;
    stretch->why = why;
}

static struct zg_value *values_of(const struct zg_frame_reader *reader, const struct zg_plan_message *message)
{
    return reader->values[message - zg_plan_message_at(reader->plan, 0)];
}

/* A frame of this version: a message, or why it is none. */
static void read_message(struct zg_frame_reader *reader, const struct zg_found *found, struct zg_stretch *stretch)
{
    struct zg_counters *counters = &reader->counters;
    const struct zg_choice choice =
        zg_choose(&reader->chooser, reader->plan, found->payload, found->length, &stretch->header, reader->values);

    stretch->payload = found->payload;
    stretch->payload_length = found->length;
    stretch->message = choice.message;
    stretch->also = choice.also;
    stretch->ignored = choice.ignored;
    if (!choice.message) {
        counters->unknown_id++;
        undelivered(stretch, reader->plan->id_bits > 0 ? "unknown id" : "no known tag");
    } else if (!choice.sound) {
        counters->bad_payload++;
        undelivered(stretch, "bad payload");
    } else {
        zg_chooser_note(&reader->chooser, &choice);
        stretch->values = values_of(reader, stretch->message);
        if (reader->plan->filled > 0 && !reader->protocol.length_ends)
            stretch->ignored = 0; /* zero bytes before the check */
        counters->extra_bytes += (uint32_t)stretch->ignored;
    }
}

static struct sender *sender_of(struct zg_frame_reader *reader, uint32_t source)
{
    if (reader->plan->source_bits == 0)
        return &reader->sender;
    struct sender *sender = g_hash_table_lookup(reader->senders, GUINT_TO_POINTER(source));
    if (!sender) {
        sender = g_new0(struct sender, 1);
        g_hash_table_insert(reader->senders, GUINT_TO_POINTER(source), sender);
    }
    return sender;
}

/* Counts what a frame's number says about those before it. A sender whose hello shows a restart counts anew. */
static void note_sequence(struct zg_frame_reader *reader, const struct zg_stretch *stretch)
{
    struct zg_counters *counters = &reader->counters;
    zg_header_number skipped;

    if (reader->plan->sequence_bits == 0)
        return;
    struct sender *sender = sender_of(reader, stretch->header.source);
    if (stretch->values && stretch->message == reader->hello) {
        const uint16_t boot = (uint16_t)stretch->values[4].raw.u;
        if (sender->boot != 0 && boot != sender->boot) {
            counters->restarts++;
            sender->heard.seen = 0;
        }
        sender->boot = boot;
    }
    switch (zg_sequence_note(&sender->heard, reader->plan->sequence_bits, stretch->header.sequence, &skipped)) {
    case ZG_ARRIVAL_NEXT: counters->lost += skipped; break;
    case ZG_ARRIVAL_REPEATED: counters->repeated++; break;
    default: counters->late++; break;
    }
}

static void take_frame(struct zg_frame_reader *reader, const struct zg_found *found)
{
    struct zg_stretch stretch = { .kind = ZG_STRETCH_FRAME, .header = reader->header };

    if (reader->header.bare > 0) {
        read_message(reader, found, &stretch);
        report_stretch(reader, &stretch, found->wire);
        return;
    }

    if (found->outcome == ZG_OUTCOME_VERSION)
        undelivered(&stretch, "other version");
    else
        read_message(reader, found, &stretch);
    note_sequence(reader, &stretch);
    report_stretch(reader, &stretch, found->wire);
}

/* Whether it is not known what a failed check was. */
static bool is_unread(const struct zg_frame_reader *reader, const struct zg_found *found)
{
    return (reader->plan->check.form || reader->protocol.halved) && found->unreadable;
}

/* Whether a failed check was none at all. */
static bool no_check(const struct zg_frame_reader *reader, const struct zg_found *found)
{
    return reader->plan->check.form && found->outcome == ZG_OUTCOME_FAILED_CHECK && found->unreadable;
}

/* What is wrong where no sender produces such bytes. */
static const char *why_malformed(const struct zg_plan *plan)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;
    const bool stuffs = framing->marking != ZG_MARKING_PLAIN || framing->kind == ZG_FRAMING_COBS ||
                        framing->kind == ZG_FRAMING_SLIP || framing->kind == ZG_FRAMING_HDLC;

    if (framing->coding)
        return stuffs ? "malformed stuffing, or no hex digits" : "no hex digits";
    return plan->sized || zg_plan_has_fixed_ends(plan, ZG_SIDE_BOTH) ? "no end mark" : "malformed stuffing";
}

/* Why a candidate was no frame. */
static const char *reason(const struct zg_frame_reader *reader, const struct zg_found *found)
{
    switch (found->outcome) {
    case ZG_OUTCOME_FAILED_CHECK: return no_check(reader, found) ? "no check where it stands" : "check failed";
    case ZG_OUTCOME_SHORT: return "too short";
    case ZG_OUTCOME_FORM: return "wrong constant or length in the header";
    case ZG_OUTCOME_TOO_LONG: return "too long";
    case ZG_OUTCOME_CUT: return "cut short";
    default: break;
    }
    if (reader->plan->definition->framing.kind == ZG_FRAMING_LENGTH)
        return "impossible length";
    return why_malformed(reader->plan);
}

/* A failed candidate that is text. If it was longer than the longest frame, a character may be cut at its end. */
static bool take_text(struct zg_frame_reader *reader, const struct zg_found *found)
{
    bool cut;
    size_t run = zg_text_run(reader->raw->data, found->wire, &cut);

    if (run == 0 || (run < found->wire && !cut))
        return false;
    zg_text_uncount(&reader->counters, found);
    reader->noise = (guint)(found->wire - run);
    reader->counters.bytes_noise += reader->noise;
    report_text(reader, run);
    return true;
}

static void take_found(struct zg_frame_reader *reader, const struct zg_found *found)
{
    struct zg_stretch stretch = { .kind = ZG_STRETCH_SKIPPED,
                                  .checked = found->outcome == ZG_OUTCOME_FAILED_CHECK && !is_unread(reader, found),
                                  .expected = found->expected,
                                  .found = found->found };

    if (found->outcome == ZG_OUTCOME_OPEN)
        return;
    if (found->outcome == ZG_OUTCOME_NOISE) {
        reader->noise += (guint)found->wire;
        report_noise(reader, true);
        return;
    }
    report_noise(reader, false);
    switch (found->outcome) {
    case ZG_OUTCOME_FRAME:
    case ZG_OUTCOME_VERSION: take_frame(reader, found); break;
    case ZG_OUTCOME_IDLE: forget(reader, (guint)found->wire); break;
    default:
        if (reader->plan->definition->console == ZG_CONSOLE_INTERLEAVED && take_text(reader, found))
            break;
        stretch.why = reason(reader, found);
        report_stretch(reader, &stretch, found->wire);
        break;
    }
}

/* Takes bytes up to the first at which something ends. Returns how many. */
static size_t take_framed(struct zg_frame_reader *reader, const uint8_t *bytes, size_t count, struct zg_found *found)
{
    const size_t taken = zg_receiver_take(&reader->receiver, bytes, count, found, &reader->header);

    reader->header.bare = 0;
    if (found->outcome == ZG_OUTCOME_FRAME || found->outcome == ZG_OUTCOME_VERSION || found->outcome == ZG_OUTCOME_IDLE)
        reader->outside = 1;
    else if (taken > 0 || found->outcome != ZG_OUTCOME_OPEN)
        reader->outside = 0;
    return taken;
}

/* Takes at most one byte, and none before what ended is examined again. Returns how many. */
static size_t take_slowly(struct zg_frame_reader *reader, const uint8_t *bytes, size_t count, struct zg_found *found)
{
    const size_t taken = take_framed(reader, bytes, count > 0 && found->outcome == ZG_OUTCOME_OPEN ? 1 : 0, found);

    if (taken > 0)
        g_byte_array_append(reader->raw, bytes, (guint)taken);
    take_found(reader, found);
    return taken;
}

/* What seemed to come outside a frame is something else: those of its bytes that came are read like others. */
static void bare_is_none(struct zg_frame_reader *reader)
{
    const struct zg_bare *bare = &reader->protocol.bare[reader->bare];
    struct zg_found found = { .outcome = ZG_OUTCOME_OPEN };

    reader->counters.bytes_in -= reader->outside - 1U; /* they are counted again */
    for (size_t at = 0, seen = reader->outside - 1U; at < seen || found.outcome != ZG_OUTCOME_OPEN;)
        at += take_slowly(reader, bare->bytes + at, seen - at, &found);
}

/* Takes a byte that, outside any frame, is the next of a message that comes there. False: it is none. */
static bool take_bare(struct zg_frame_reader *reader, uint8_t byte)
{
    const struct zg_protocol *protocol = &reader->protocol;
    const uint8_t seen = (uint8_t)(reader->outside - 1U);
    uint8_t i = 0;

    while (i < protocol->bares && (seen >= protocol->bare[i].size || protocol->bare[i].bytes[seen] != byte ||
                                   memcmp(protocol->bare[i].bytes, protocol->bare[reader->bare].bytes, seen) != 0))
        i++;
    if (i == protocol->bares || zg_receiver_pending(&reader->receiver) > 0)
        return false;
    reader->bare = i;
    reader->counters.bytes_in++;
    if (++reader->outside <= protocol->bare[i].size)
        return true;
    const struct zg_found found = { .outcome = ZG_OUTCOME_FRAME,
                                    .wire = protocol->bare[i].size,
                                    .payload = protocol->bare[i].bytes,
                                    .length = protocol->bare[i].size };
    reader->header = (struct zg_header){ .bare = protocol->bare[i].number };
    reader->outside = 1;
    reader->counters.bytes_of_frames += protocol->bare[i].size;
    reader->counters.frames_in++;
    g_byte_array_append(reader->raw, protocol->bare[i].bytes, protocol->bare[i].size);
    take_found(reader, &found);
    return true;
}

/* Takes all bytes, where some messages come outside frames. */
static void feed_slowly(struct zg_frame_reader *reader, const uint8_t *bytes, size_t count)
{
    struct zg_found found = { .outcome = ZG_OUTCOME_OPEN };

    while (count > 0 || found.outcome != ZG_OUTCOME_OPEN) {
        const bool may_be_bare = count > 0 && found.outcome == ZG_OUTCOME_OPEN && reader->outside > 0;
        size_t taken = found.outcome == ZG_OUTCOME_OPEN ? drop(reader, bytes, count) : 0;
        if (taken == 0 && may_be_bare && take_bare(reader, bytes[0])) {
            taken = 1;
        } else if (taken == 0) {
            if (may_be_bare && reader->outside > 1)
                bare_is_none(reader);
            taken = take_slowly(reader, bytes, count, &found);
        }
        bytes += taken;
        count -= taken;
    }
}

static void feed(struct zg_frame_reader *reader, const uint8_t *bytes, size_t count)
{
    const bool ignores = reader->plan->definition->framing.ignores > 0;
    struct zg_found found;

    if (count == 0)
        return;
    do {
        const size_t dropped = ignores ? drop(reader, bytes, count) : 0;
        bytes += dropped;
        count -= dropped;
        const size_t piece = MIN(count, NOISE_PIECE);
        size_t taken = zg_receiver_take(&reader->receiver, bytes, ignores ? before_drop(reader, bytes, piece) : piece,
                                        &found, &reader->header);
        if (taken > 0)
            g_byte_array_append(reader->raw, bytes, (guint)taken);
        bytes += taken;
        count -= taken;
        take_found(reader, &found);
    } while (count > 0 || found.outcome != ZG_OUTCOME_OPEN);
}

bool zg_frame_reader_is_open(const struct zg_frame_reader *reader)
{
    return reader->raw->len > 0 || reader->outside > 1;
}

void zg_frame_reader_end(struct zg_frame_reader *reader)
{
    static const uint8_t nothing = 0;
    struct zg_found ended, found;

    if (reader->outside > 1)
        bare_is_none(reader);
    do {
        zg_receiver_pause(&reader->receiver, &ended, &reader->header);
        take_found(reader, &ended);
        do {
            (void)zg_receiver_take(&reader->receiver, &nothing, 0, &found, &reader->header);
            take_found(reader, &found);
        } while (found.outcome != ZG_OUTCOME_OPEN);
    } while (ended.outcome != ZG_OUTCOME_OPEN);
    report_noise(reader, false);
    reader->outside = 1;
}

void zg_frame_reader_feed(struct zg_frame_reader *reader, const uint8_t *bytes, size_t count)
{
    (reader->protocol.bares > 0 ? feed_slowly : feed)(reader, bytes, count);
    if (reader->plan->packets)
        zg_frame_reader_end(reader);
}

const struct zg_counters *zg_frame_reader_counters(const struct zg_frame_reader *reader)
{
    return &reader->counters;
}
