/* SPDX-License-Identifier: MIT */
/*
 * Private. How an end finds and writes COBS frames whose content is too short for a full block. Such a frame is one
 * byte followed by its content, with code bytes in the place of zeros. So bytes are gathered up to the delimiter, the
 * zeros are put back in place, and the check runs over all at once. On small processors that is less code and time than
 * framing_body.h, with the same counters.
 */
/* The content of the frame that was found last. */
static inline const uint8_t *zgi_content(const struct zg_link *link)
{
    ZGI_KNOW_FRAME(link);
    return link->frame + 1;
}

static inline size_t zgi_content_length(const struct zg_link *link, const struct zg_found *found)
{
    (void)link;
    return found->wire - 2;
}

/* Replaces the code bytes by zeros. False: they do not lead from one to the next up to the frame's end. */
static inline bool zgi_put_zeros_back(uint8_t *frame, size_t size)
{
    size_t at = frame[0];

    while (at < size) {
        const uint8_t code = frame[at];
        frame[at] = 0;
        at += code;
    }
    return at == size;
}

/* Judges the gathered bytes at a delimiter. */
static inline enum zg_outcome zgi_judge_gathered(struct zg_link *link, size_t size, struct zg_found *found,
                                                 struct zg_header *header)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL(link);
    ZGI_KNOW_FRAME(link);
    uint8_t *frame = link->frame;

    if (size == 0)
        return ZG_OUTCOME_IDLE;
    if (!zgi_put_zeros_back(frame, size))
        return ZG_OUTCOME_MALFORMED;
    return zgi_judge(link, protocol, protocol->check->start, protocol->check->skip, frame + 1, size - 1, found, header);
}

/* If `silent`, abandons what is open. Otherwise takes bytes up to the first at which something ends, and returns how
 * many. */
static inline zgi_span zgi_receive(struct zg_link *link, bool silent, const uint8_t *bytes, zgi_span count,
                                   struct zg_found *found, struct zg_header *header)
{
    const uint_fast8_t most = (uint_fast8_t)(ZG_MAX_CONTENT(ZGI_PROTOCOL(link)) + 1);
    enum zg_outcome outcome = ZG_OUTCOME_OPEN;
    uint_fast8_t gathered = link->gathered, taken = 0, wire = gathered;

    if (silent) {
        link->letting_go = false;
        outcome = gathered > 0 ? ZG_OUTCOME_CUT : ZG_OUTCOME_OPEN;
    } else {
        ZGI_KNOW_FRAME(link);
        const uint_fast8_t room = (uint_fast8_t)(most - gathered);
        taken = (uint_fast8_t)zgi_copy_run(link->frame + gathered, bytes, (uint8_t)(count < room ? count : room));
        gathered = (uint_fast8_t)(gathered + taken);
        if (link->letting_go) {
            wire = taken;
            outcome = ZG_OUTCOME_NOISE;
            if (taken < count && bytes[taken] == 0)
                link->letting_go = false;
        } else if (taken < count) {
            wire = (uint_fast8_t)(gathered + 1);
            outcome = ZG_OUTCOME_TOO_LONG;
            if (bytes[taken++] == 0)
                outcome = zgi_judge_gathered(link, gathered, found, header);
            else
                link->letting_go = true;
        }
    }
    found->outcome = outcome;
    found->wire = wire;
    if (outcome != ZG_OUTCOME_OPEN)
        gathered = 0;
    link->gathered = (uint8_t)gathered;
    zgi_count_outcome(link, outcome, taken, wire);
    return (zgi_span)taken;
}

/* Sends one frame, whole or not at all: 0, with its bytes on the wire in `*wire`; or ZG_EROOM. `front` is the header,
 * followed by the payload and room for the check. */
static inline int zgi_write_frame(struct zg_ring *ring, const struct zg_protocol *protocol, uint8_t *front,
                                  const uint8_t *payload, size_t length, size_t *wire)
{
    uint_fast8_t left = (uint_fast8_t)(protocol->check->form ? zgi_close_content(protocol, front, length)
                                                             : protocol->header_size + length + protocol->check->size);
    const zg_index mask = ring->mask, more = (zg_index)(left + 2U);
    uint8_t *const memory = ring->bytes;
    zg_index code_at = ring->head, at = code_at;

    (void)payload;
    *wire = more;
    if (zgi_ring_room(ring, mask) < more)
        return ZG_EROOM;
    if (!protocol->check->form)
        (void)zgi_close_content(protocol, front, length);
    for (at++; left > 0; left--, at++) {
        const uint8_t byte = *front++;
        if (byte != 0) {
            memory[at & mask] = byte;
        } else {
            memory[code_at & mask] = (uint8_t)(at - code_at);
            code_at = at;
        }
    }
    memory[code_at & mask] = (uint8_t)(at - code_at);
    memory[at & mask] = 0;
    zg_ring_publish(ring, more);
    return 0;
}
