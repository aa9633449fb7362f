/* SPDX-License-Identifier: MIT */
/*
 * Private. Requests without a ticket, part of each node that sends any. `queried` are its messages, in ZG_FLASH;
 * `content` has room for a header, the largest of them and a check.
 */

static inline void zgi_query_leave(struct zg_link *link, struct zg_query *query, uint32_t timeout_us)
{
    query->state = ZGI_QUERY_LEAVING;
    query->end_at = link->transmit.head;
    zgi_await(link, query->to, timeout_us);
}

/* Puts a request on the line. */
static inline int zgi_query_put(struct zg_link *link, const struct zg_queried *queried, uint8_t kind,
                                zg_header_number to, uint8_t *content, size_t length)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    if (protocol->asks_bare && zgi_flash_read(&queried[kind].bare))
        return zgi_link_send_bare(link, content + protocol->header_size, (uint8_t)length);
    return zgi_link_send(link, to, zgi_flash_read(&queried[kind].id), content, NULL, length);
}

/* Sends a request, whose payload stands in its place: 0, or as zgi_link_send(). None was open. */
static inline int zgi_query_send(struct zg_link *link, struct zg_query *query, const struct zg_queried *queried,
                                 uint8_t kind, zg_header_number to, uint8_t *content, size_t length)
{
    const int error = zgi_query_put(link, queried, kind, to, content, length);

    if (error)
        return error;
    query->kind = kind;
    query->left = zgi_flash_read(&queried[kind].retries);
    query->to = to;
    query->length = (uint16_t)length;
    zgi_query_leave(link, query, zgi_flash_read(&queried[kind].timeout_us));
    return 0;
}

/* Notices that a timeout is over. True: the request was given up. */
static inline bool zgi_query_poll(struct zg_link *link, struct zg_query *query, const struct zg_queried *queried,
                                  uint8_t *content, uint32_t now)
{
    const uint32_t timeout_us = zgi_flash_read(&queried[query->kind].timeout_us);

    if (query->state == ZGI_QUERY_NONE)
        return false;
    if (query->state == ZGI_QUERY_LEAVING) {
        if (zgi_has_left(link, query->end_at)) {
            query->state = ZGI_QUERY_WAITING;
            query->due_us = now + timeout_us;
        }
        return false;
    }
    if (query->state == ZGI_QUERY_DUE) { /* the line may be in use: the timeout does not run */
        if (zgi_query_put(link, queried, query->kind, query->to, content, query->length) == 0) {
            zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(resent), 1);
            zgi_query_leave(link, query, timeout_us);
        }
        return false;
    }
    if (!zg_clock_reached(now, query->due_us))
        return false;
    if (query->state == ZGI_QUERY_LATE) {
        query->state = ZGI_QUERY_NONE;
        return false;
    }
    if (query->left > 0) {
        query->left--;
        query->state = ZGI_QUERY_DUE;
        return false;
    }
    zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(given_up), 1);
    query->state = ZGI_QUERY_LATE;
    query->due_us = now + timeout_us;
    return true;
}

/* What answers the request, or is a line before its answer, came. `ends`: it is the answer. */
enum zgi_query_news {
    ZGI_QUERY_UNASKED,  /* no request is open */
    ZGI_QUERY_GOES_ON,  /* a line: its timeout begins anew, and it is not sent again */
    ZGI_QUERY_ANSWERED, /* it is settled */
    ZGI_QUERY_TOO_LATE  /* it was given up: what came is counted and not delivered */
};

static inline enum zgi_query_news zgi_query_hear(struct zg_link *link, struct zg_query *query,
                                                 const struct zg_queried *queried, bool ends, uint32_t now)
{
    if (query->state == ZGI_QUERY_NONE)
        return ZGI_QUERY_UNASKED;
    if (query->state == ZGI_QUERY_LATE) {
        zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(late), 1);
        return ZGI_QUERY_TOO_LATE;
    }
    if (ends) {
        query->state = ZGI_QUERY_NONE;
        return ZGI_QUERY_ANSWERED;
    }
    query->state = ZGI_QUERY_WAITING;
    query->left = 0;
    query->due_us = now + zgi_flash_read(&queried[query->kind].timeout_us);
    return ZGI_QUERY_GOES_ON;
}
