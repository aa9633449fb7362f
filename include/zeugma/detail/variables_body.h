/* SPDX-License-Identifier: MIT */
/*
 * Private. The service variables on a device: requests of the host, and variables that are sent periodically, in the
 * messages of services.yaml. The end supplies
 *
 *     zgi_variable_access()  what a host may do with a variable, ZG_MAY_READ and ZG_MAY_WRITE; 0: there is no such one;
 *     zgi_variable_get()     its value, packed: 0, or a negative error;
 *     zgi_variable_set()     sets it from what was written, if that is valid;
 *     zgi_variable_written() informs the application.
 */

/* Whether the host may do this, or why not. */
static inline enum zg_settled zgi_variable_judge(struct zg_link *link, uint8_t index, uint8_t wanted)
{
    const uint8_t access = zgi_variable_access(link, index);

    if (access == 0)
        return ZG_REFUSED_NO_VARIABLE;
    return (access & wanted) != 0 ? ZG_DELIVERED : ZG_REFUSED_NOT_ALLOWED;
}

/* The most bytes of a value in a variable_value, which begins with a ticket and an index. */
static inline size_t zgi_variable_room(struct zg_link *link)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    return (size_t)ZGI_DELIVERY(link)->answer_room - protocol->header_size - protocol->check->size - 2;
}

/* Answers a request: with the variable's value, with the value just written (if not NULL), or with why not. */
static ZGI_SHARED void zgi_variable_answer(struct zg_link *link, struct zg_delivery *delivery, zg_header_number id,
                                           const uint8_t *request, enum zg_settled how, const uint8_t *written,
                                           size_t size)
{
    uint8_t *at = zgi_delivery_answer(link, delivery, request[0]);

    if (!at)
        return;
    at[0] = request[1];
    if (how == ZG_DELIVERED && written)
        memcpy(at + 1, written, size);
    else if (how == ZG_DELIVERED && zgi_variable_get(link, request[1], at + 1, zgi_variable_room(link), &size) != 0)
        how = ZG_REFUSED_BAD_VALUE;
    if (how != ZG_DELIVERED) {
        at[0] = (uint8_t)how;
        id = ZGI_DELIVERY(link)->refused_id;
        size = 0;
    }
    zgi_delivery_answered(link, delivery, at, request[0], id, size + 2);
}

/* Whether a request is to be answered that has at least `least` bytes after its ticket. If not, `*result` is what
 * zgi_deliver() returns. */
static ZGI_SHARED bool zgi_variable_asked(struct zg_link *link, struct zg_hello *hello, struct zg_delivery *delivery,
                                          struct zg_frame *frame, const uint8_t *payload, size_t length, uint8_t least,
                                          int *result)
{
    *result = zgi_delivery_admit(link, hello, delivery, frame, payload, length, false, true);
    if (*result <= 0)
        return false;
    *result = length <= least ? ZG_ESIZE : (int)(length - least - 1);
    return zgi_delivery_take(link, delivery, payload[0], *result, true, true);
}

static inline int zgi_variable_read(struct zg_link *link, struct zg_hello *hello, struct zg_delivery *delivery,
                                    zg_header_number id, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    int result;

    if (zgi_variable_asked(link, hello, delivery, frame, payload, length, 1, &result))
        zgi_variable_answer(link, delivery, id, payload, zgi_variable_judge(link, payload[1], ZG_MAY_READ), NULL, 0);
    return result;
}

/* The value written is the answer. Then the application is informed. */
static inline int zgi_variable_write(struct zg_link *link, struct zg_hello *hello, struct zg_delivery *delivery,
                                     zg_header_number id, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    const uint8_t *value = payload + 2;
    int result;

    if (!zgi_variable_asked(link, hello, delivery, frame, payload, length, 1, &result))
        return result;
    enum zg_settled how = zgi_variable_judge(link, payload[1], ZG_MAY_WRITE);
    if (how == ZG_DELIVERED)
        how = zgi_variable_set(link, payload[1], value, length - 2);
    zgi_variable_answer(link, delivery, id, payload, how, value, length - 2);
    if (how == ZG_DELIVERED)
        zgi_variable_written(link, payload[1]);
    return 0;
}

/* Starts, changes or stops (period 0) a stream. */
static inline enum zg_settled zgi_stream_set(struct zg_link *link, struct zg_variable_stream *streams, uint8_t count,
                                             uint8_t ticket, uint8_t index, uint16_t period_ms)
{
    struct zg_variable_stream *place = NULL;

    for (uint8_t i = 0; i < count; i++) {
        if (streams[i].period_ms > 0 && streams[i].index == index) {
            place = &streams[i];
            break;
        }
        if (streams[i].period_ms == 0)
            place = &streams[i];
    }
    if (!place)
        return period_ms == 0 ? ZG_DELIVERED : ZG_REFUSED_BUSY;
    place->period_ms = period_ms;
    place->index = index;
    place->ticket = ticket;
    place->due_us = zgi_now(link) + (uint32_t)period_ms * 1000U;
    return ZG_DELIVERED;
}

static inline int zgi_variable_stream(struct zg_link *link, struct zg_hello *hello, struct zg_delivery *delivery,
                                      zg_header_number id, bool big_endian, struct zg_variable_stream *streams,
                                      uint8_t count, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    int result;

    if (!zgi_variable_asked(link, hello, delivery, frame, payload, length, 3, &result))
        return result;
    const uint16_t period_ms = (uint16_t)((uint16_t)payload[big_endian ? 2 : 3] << 8 | payload[big_endian ? 3 : 2]);
    enum zg_settled how = zgi_variable_judge(link, payload[1], ZG_MAY_READ);
    if (how == ZG_DELIVERED)
        how = zgi_stream_set(link, streams, count, payload[0], payload[1], period_ms);
    zgi_variable_answer(link, delivery, id, payload, how, NULL, 0);
    return result;
}

/* Sends the streams that are due. `content` has room for a header, the message with the largest value, and a check. */
static inline void zgi_streams_poll(struct zg_link *link, zg_header_number id, struct zg_variable_stream *streams,
                                    uint8_t count, uint8_t *content, uint32_t now)
{
    uint8_t *const payload = content + ZGI_PROTOCOL_OF(link)->header_size;
    size_t size;

    for (uint8_t i = 0; i < count; i++) {
        struct zg_variable_stream *stream = &streams[i];
        if (stream->period_ms == 0 || !zg_clock_reached(now, stream->due_us))
            continue;
        payload[0] = stream->ticket;
        payload[1] = stream->index;
        if (zgi_variable_get(link, stream->index, payload + 2, zgi_variable_room(link), &size) == 0 &&
            zgi_link_send(link, link->peer.address, id, content, NULL, size + 2) != 0)
            continue; /* no room: tried again with the next poll */
        stream->due_us += (uint32_t)stream->period_ms * 1000U;
        if (zg_clock_reached(now, stream->due_us)) /* held up: missed values are not sent */
            stream->due_us = now + (uint32_t)stream->period_ms * 1000U;
    }
}
