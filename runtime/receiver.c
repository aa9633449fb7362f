/* SPDX-License-Identifier: MIT */
#include "zeugma/receiver.h"

#include "decoding.h"
#include "zeugma/error.h"

static void begin_check(struct zg_receiver *receiver)
{
    receiver->state = receiver->protocol->check->start;
    receiver->checked = receiver->protocol->check->skip;
}

void zg_receiver_init(struct zg_receiver *receiver, const struct zg_protocol *protocol, void *owner,
                      struct zg_counters *counters, uint8_t *memory)
{
    receiver->protocol = protocol;
    receiver->owner = owner;
    receiver->counters = counters;
    zg_decoder_init(&receiver->decoder, protocol->framing, ZG_MAX_CONTENT(protocol), memory, protocol->receive_room);
    begin_check(receiver);
}

/* Takes into the check what has come of the content, but for bytes that may be the check itself. */
static void advance_check(struct zg_receiver *receiver)
{
    const struct zg_check *check = receiver->protocol->check;
    const struct zg_decoder *decoder = &receiver->decoder;
    size_t checked = receiver->checked;

    if (check->size == 0 || decoder->length <= checked + check->size)
        return;
    size_t count = decoder->length - check->size - checked;
    receiver->state = check->update(check->parameters, receiver->state, decoder->content + checked, count);
    receiver->checked = checked + count;
}

static bool check_passes(struct zg_receiver *receiver, struct zg_found *found)
{
    const struct zg_check *check = receiver->protocol->check;

    if (check->size == 0)
        return true;
    advance_check(receiver);
    found->expected = check->finish(check->parameters, receiver->state);
    found->found = zg_check_load(check, receiver->decoder.content + receiver->decoder.length - check->size);
    return found->expected == found->found;
}

/* What the candidate's content is: a frame, or why it is none. */
static enum zg_outcome judge(struct zg_receiver *receiver, struct zg_found *found)
{
    const struct zg_protocol *protocol = receiver->protocol;
    const struct zg_decoder *decoder = &receiver->decoder;
    size_t around = (size_t)protocol->header_size + protocol->check->size;

    if (decoder->length < around || decoder->length == 0)
        return ZG_OUTCOME_SHORT;
    if (!check_passes(receiver, found))
        return ZG_OUTCOME_FAILED_CHECK;
    int verdict = protocol->admit(receiver->owner, decoder->content, decoder->length, &found->frame.header);
    if (verdict == ZG_EFORM)
        return ZG_OUTCOME_FORM;
    found->payload = decoder->content + protocol->header_size;
    found->length = protocol->length_ends ? (size_t)found->frame.header.length : decoder->length - around;
    return verdict == 0 ? ZG_OUTCOME_FRAME : ZG_OUTCOME_VERSION;
}

static void take_candidate(struct zg_receiver *receiver, struct zg_found *found)
{
    struct zg_counters *counters = receiver->counters;

    found->outcome = judge(receiver, found);
    switch (found->outcome) {
    case ZG_OUTCOME_VERSION: counters->other_version++; /* fall through */
    case ZG_OUTCOME_FRAME:
        counters->frames_in++;
        counters->bytes_of_frames += (uint32_t)receiver->decoder.wire;
        return;
    case ZG_OUTCOME_FAILED_CHECK: counters->failed_check++; break;
    default: counters->malformed++; break;
    }
    zg_decoder_reject(&receiver->decoder, receiver->protocol->framing);
    counters->bytes_failed += (uint32_t)receiver->decoder.wire;
}

static void take_event(struct zg_receiver *receiver, enum zg_framing_event event, struct zg_found *found)
{
    struct zg_counters *counters = receiver->counters;
    uint32_t wire = (uint32_t)receiver->decoder.wire;

    switch (event) {
    case ZG_FRAMING_MORE:
        found->outcome = ZG_OUTCOME_OPEN;
        found->wire = 0;
        advance_check(receiver);
        return;
    case ZG_FRAMING_CONTENT: take_candidate(receiver, found); break;
    case ZG_FRAMING_MALFORMED:
        found->outcome = ZG_OUTCOME_MALFORMED;
        counters->malformed++;
        counters->bytes_failed += wire;
        break;
    case ZG_FRAMING_TOO_LONG:
        found->outcome = ZG_OUTCOME_TOO_LONG;
        counters->too_long++;
        counters->bytes_failed += wire;
        break;
    case ZG_FRAMING_CUT:
        found->outcome = ZG_OUTCOME_CUT;
        counters->timed_out++;
        counters->bytes_failed += wire;
        break;
    case ZG_FRAMING_NOISE:
        found->outcome = ZG_OUTCOME_NOISE;
        counters->bytes_noise += wire;
        break;
    case ZG_FRAMING_IDLE:
        found->outcome = ZG_OUTCOME_IDLE;
        counters->bytes_idle += wire;
        break;
    }
    found->wire = receiver->decoder.wire;
    begin_check(receiver);
}

size_t zg_receiver_take(struct zg_receiver *receiver, const uint8_t *bytes, size_t count, struct zg_found *found)
{
    enum zg_framing_event event;
    size_t taken = zgi_decoder_take(&receiver->decoder, receiver->protocol->framing, bytes, count, &event);

    receiver->counters->bytes_in += (uint32_t)taken;
    take_event(receiver, event, found);
    return taken;
}

void zg_receiver_pause(struct zg_receiver *receiver, struct zg_found *found)
{
    enum zg_framing_event event;

    zg_decoder_pause(&receiver->decoder, receiver->protocol->framing, &event);
    take_event(receiver, event, found);
}

size_t zg_receiver_pending(const struct zg_receiver *receiver)
{
    return receiver->decoder.pending;
}
