/* SPDX-License-Identifier: MIT */
#include "zeugma/receiver.h"

#include <stddef.h>

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

#define COUNTER(member) (uint8_t)(offsetof(struct zg_counters, member) / sizeof(uint32_t))

enum { NONE = 0xFF };

/* Where each outcome is counted, once, and its bytes. */
static const struct {
    uint8_t times;
    uint8_t bytes;
} accounts[] = {
    [ZG_OUTCOME_FRAME] = { COUNTER(frames_in), COUNTER(bytes_of_frames) },
    [ZG_OUTCOME_VERSION] = { COUNTER(frames_in), COUNTER(bytes_of_frames) },
    [ZG_OUTCOME_FAILED_CHECK] = { COUNTER(failed_check), COUNTER(bytes_failed) },
    [ZG_OUTCOME_SHORT] = { COUNTER(malformed), COUNTER(bytes_failed) },
    [ZG_OUTCOME_FORM] = { COUNTER(malformed), COUNTER(bytes_failed) },
    [ZG_OUTCOME_MALFORMED] = { COUNTER(malformed), COUNTER(bytes_failed) },
    [ZG_OUTCOME_TOO_LONG] = { COUNTER(too_long), COUNTER(bytes_failed) },
    [ZG_OUTCOME_CUT] = { COUNTER(timed_out), COUNTER(bytes_failed) },
    [ZG_OUTCOME_NOISE] = { NONE, COUNTER(bytes_noise) },
    [ZG_OUTCOME_IDLE] = { NONE, COUNTER(bytes_idle) },
};

/* What an event of the framing is, of those that need no judging. */
static const uint8_t outcomes[] = { [ZG_FRAMING_MALFORMED] = ZG_OUTCOME_MALFORMED,
                                    [ZG_FRAMING_TOO_LONG] = ZG_OUTCOME_TOO_LONG,
                                    [ZG_FRAMING_CUT] = ZG_OUTCOME_CUT,
                                    [ZG_FRAMING_NOISE] = ZG_OUTCOME_NOISE,
                                    [ZG_FRAMING_IDLE] = ZG_OUTCOME_IDLE };

static void count(struct zg_receiver *receiver, enum zg_outcome outcome, size_t wire)
{
    uint32_t *counters = (uint32_t *)(void *)receiver->counters; /* they are all alike */

    if (accounts[outcome].times != NONE)
        counters[accounts[outcome].times]++;
    counters[accounts[outcome].bytes] += (uint32_t)wire;
    if (outcome == ZG_OUTCOME_VERSION)
        receiver->counters->other_version++;
}

static void take_event(struct zg_receiver *receiver, enum zg_framing_event event, struct zg_found *found)
{
    if (event == ZG_FRAMING_MORE) {
        found->outcome = ZG_OUTCOME_OPEN;
        found->wire = 0;
        advance_check(receiver);
        return;
    }
    if (event == ZG_FRAMING_CONTENT) {
        found->outcome = judge(receiver, found);
        if (found->outcome != ZG_OUTCOME_FRAME && found->outcome != ZG_OUTCOME_VERSION)
            zg_decoder_reject(&receiver->decoder, receiver->protocol->framing);
    } else {
        found->outcome = (enum zg_outcome)outcomes[event];
    }
    found->wire = receiver->decoder.wire;
    count(receiver, found->outcome, found->wire);
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
