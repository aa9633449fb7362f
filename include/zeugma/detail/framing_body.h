/* SPDX-License-Identifier: MIT */
/*
 * Private. How an end finds and writes frames in any framing, by its struct zg_framing. short_cobs_body.h does the same
 * for short COBS frames only.
 */

static inline void zgi_begin_check(struct zg_receiver *receiver)
{
    receiver->state = ZGI_PROTOCOL(receiver)->check->start;
    receiver->checked = ZGI_PROTOCOL(receiver)->check->skip;
}

/* zg_receiver_init() for a receiver that is all zero. A generated end need not store what it knows at compile time. */
static inline void zgi_receiver_begin(struct zg_receiver *receiver, const struct zg_protocol *protocol, void *owner,
                                      struct zg_counters *counters, uint8_t *memory)
{
#ifdef ZGI_END
    (void)owner;
    (void)counters;
#else
    receiver->protocol = protocol;
    receiver->owner = owner;
    receiver->counters = counters;
#endif
    zgi_decoder_begin(&receiver->decoder, protocol->framing, ZG_MAX_CONTENT(protocol) * (protocol->coded ? 2U : 1U),
                      memory, protocol->receive_room);
    zgi_begin_check(receiver);
}

/* Adds the content decoded so far to the check. */
static void zgi_advance_check(struct zg_receiver *receiver)
{
    const struct zg_check *check = ZGI_PROTOCOL(receiver)->check;
    const struct zg_decoder *decoder = &receiver->decoder;

    if (check->size == 0 || ZGI_PROTOCOL(receiver)->coded || decoder->length <= receiver->checked + check->size)
        return;
    receiver->state =
        zgi_check_content(check, receiver->state, receiver->checked, decoder->content, decoder->length, check->size);
    receiver->checked = decoder->length - check->size;
}

/* Handles an event of the framing that `count` bytes led to. */
static inline void zgi_take_event(struct zg_receiver *receiver, enum zg_framing_event event, size_t taken,
                                  struct zg_found *found, struct zg_header *header)
{
    found->outcome = ZG_OUTCOME_OPEN;
    found->wire = 0;
    if (event == ZG_FRAMING_MORE) {
        zgi_count(receiver, ZGI_COUNTER(bytes_in), taken);
        zgi_advance_check(receiver);
        return;
    }
    if (event != ZG_FRAMING_CONTENT) { /* the outcomes follow in the order of the events */
        found->outcome = (enum zg_outcome)(event - ZG_FRAMING_MALFORMED + ZG_OUTCOME_MALFORMED);
    } else {
        const struct zg_decoder *decoder = &receiver->decoder;
        if (ZGI_PROTOCOL(receiver)->halved)
            found->unreadable = false;
        found->outcome = zgi_judge(receiver, ZGI_PROTOCOL(receiver), receiver->state, receiver->checked,
                                   decoder->content, decoder->length, found, header);
        if (found->outcome > ZG_OUTCOME_VERSION)
            zg_decoder_reject(&receiver->decoder, ZGI_PROTOCOL(receiver)->framing);
    }
    if (ZGI_PROTOCOL(receiver)->halved) {
        const struct zg_framing *framing = ZGI_PROTOCOL(receiver)->framing;
        ((const struct zg_judging *)framing->options)->judged(framing, &receiver->decoder, found);
    }
    found->wire = receiver->decoder.wire;
    zgi_count_outcome(receiver, found->outcome, taken, found->wire);
    zgi_begin_check(receiver);
}

/* The content of the frame that was found last. */
static inline const uint8_t *zgi_content(const struct zg_receiver *receiver)
{
    return receiver->decoder.content;
}

static inline size_t zgi_content_length(const struct zg_receiver *receiver, const struct zg_found *found)
{
    (void)found;
    return receiver->decoder.length;
}

/* zg_receiver_pause() if `silent`, otherwise zg_receiver_take(). */
static inline zgi_span zgi_receive(struct zg_receiver *receiver, bool silent, const uint8_t *bytes, zgi_span count,
                                   struct zg_found *found, struct zg_header *header)
{
    const struct zg_framing *framing = ZGI_PROTOCOL(receiver)->framing;
    enum zg_framing_event event;
    size_t taken = 0;

    if (silent)
        zg_decoder_pause(&receiver->decoder, framing, &event);
    else
        taken = zg_decoder_take(&receiver->decoder, framing, bytes, count, &event);
    zgi_take_event(receiver, event, taken, found, header);
    return (zgi_span)taken;
}

#if ZGI_WHOLE_FRAMES

/* Like zgi_receive(), in one step, for a frame that is complete in the bytes. `protocol` is the receiver's, or a copy
 * about whose functions the compiler knows more. Returns the frame's bytes, or 0: nothing was done. */
static ZGI_QUICK size_t zgi_receive_whole(struct zg_receiver *receiver, const struct zg_protocol *protocol,
                                          const uint8_t *bytes, size_t count, struct zg_found *found,
                                          struct zg_header *header)
{
    const struct zg_check *check = protocol->check;
    const uint8_t *content;
    size_t length;
    const size_t size =
        protocol->framing->whole(protocol->framing, &receiver->decoder, bytes, count, &content, &length);

    if (size == 0)
        return 0;
    found->outcome = zgi_judge(receiver, protocol, check->start, check->skip, content, length, found, header);
    if (found->outcome > ZG_OUTCOME_VERSION)
        return 0;
    zgi_count_outcome(receiver, found->outcome, size, size);
    return size;
}

#endif

/* Adds a part of a frame's content, and takes it into the check except for the first `skip` bytes. */
static inline void zgi_put(struct zg_encoder *encoder, const struct zg_protocol *protocol, zg_check_word *state,
                           const uint8_t *bytes, size_t count, size_t skip)
{
    const struct zg_check *check = protocol->check;

    zg_encoder_put(encoder, protocol->framing, bytes, count);
    if (check->size > 0 && count > skip)
        *state = zgi_check_update(check, *state, bytes + skip, count - skip);
}

/* Fills the content up with zero bytes, where the protocol does so, and adds the check. */
static inline void zgi_put_check(struct zg_encoder *encoder, const struct zg_protocol *protocol, zg_check_word state,
                                 size_t length)
{
    static const uint8_t zero = 0;
    const struct zg_check *check = protocol->check;
    uint8_t tail[sizeof(zg_check_word)], formed[ZG_CHECK_WIRE_MAX], size = check->size;
    const uint8_t *bytes = tail;

    for (size_t filled = protocol->header_size + length + check->size; filled < protocol->filled; filled++)
        zgi_put(encoder, protocol, &state, &zero, 1, 0);
    if (check->size == 0)
        return;
    if (check->form) {
        bytes = formed;
        size = zg_check_write(check, zgi_check_close(check, state), formed);
    } else {
        zg_check_store(check, zgi_check_finish(check, state), tail);
    }
    zg_encoder_put(encoder, protocol->framing, bytes, size);
}

/* Adds a header and a payload, then the check. */
static inline void zgi_put_parts(struct zg_encoder *encoder, const struct zg_protocol *protocol, const uint8_t *header,
                                 const uint8_t *payload, size_t length)
{
    zg_check_word state = protocol->check->start;

    zgi_put(encoder, protocol, &state, header, protocol->header_size, protocol->check->skip);
    zgi_put(encoder, protocol, &state, payload, length, 0);
    zgi_put_check(encoder, protocol, state, length);
}

/* Sends one frame, whole or not at all: 0, with its bytes on the wire in `*wire`; or ZG_EROOM. `front` is the header.
 * If `payload` is NULL the payload follows the header in memory, and there is room for the check after it. */
static inline int zgi_write_frame(struct zg_ring *ring, const struct zg_protocol *protocol, uint8_t *front,
                                  const uint8_t *payload, size_t length, size_t *wire)
{
    struct zg_encoder encoder;
#if ZGI_WHOLE_FRAMES
    uint8_t gathered[256]; /* of moderate frames, which are then stuffed and checked in one run */

    if (payload && protocol->header_size + length + ZG_CHECK_WIRE_MAX <= sizeof gathered) {
        memcpy(gathered, front, protocol->header_size);
        memcpy(gathered + protocol->header_size, payload, length);
        front = gathered;
        payload = NULL;
    }
#endif
    zg_encoder_begin(&encoder, protocol->framing, ring);
    if (payload || protocol->filled > 0)
        zgi_put_parts(&encoder, protocol, front, payload ? payload : front + protocol->header_size, length);
    else
        zg_encoder_put(&encoder, protocol->framing, front, zgi_close_content(protocol, front, length));
    return zg_encoder_end(&encoder, protocol->framing, wire);
}
