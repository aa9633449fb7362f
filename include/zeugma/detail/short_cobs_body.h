/* SPDX-License-Identifier: MIT */
/*
 * Private. How an end finds frames and writes them, where the framing is COBS and no content is long enough for a full
 * block: a frame's bytes are its content behind one byte, but for zeros that the code bytes stand for. So they are
 * gathered up to the delimiter, and the zeros put back where they were; the check follows in one stretch. On small
 * processors that is less code and less time than zeugma/detail/framing_body.h, and counts the same.
 */
/* Of the frame that was found last. */
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

/* Whether each code byte leads to the next, and the last to the frame's end; they become zeros. */
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

/* What the gathered bytes are, at a delimiter. */
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

/* Where `silent` gives up what is open, else takes bytes up to the first that something ends at, and returns their
 * number. */
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

/* Sends one frame, whole or not at all: 0 and its bytes on the wire, or ZG_EROOM. `front` is the header, behind which
 * the payload stands, and room for the check. */
static inline int zgi_write_frame(struct zg_ring *ring, const struct zg_protocol *protocol, uint8_t *front,
                                  const uint8_t *payload, size_t length, size_t *wire)
{
    uint_fast8_t left = (uint_fast8_t)(protocol->header_size + length + protocol->check->size);
    const zg_index mask = ring->mask, more = (zg_index)(left + 2U);
    uint8_t *const memory = ring->bytes;
    zg_index code_at = ring->head, at = code_at;

    (void)payload;
    *wire = more;
    if (zgi_ring_room(ring, mask) < more)
        return ZG_EROOM;
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
