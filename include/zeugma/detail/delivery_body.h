/* SPDX-License-Identifier: MIT */
/*
 * Private. The service delivery, part of each node whose protocol->delivery is not NULL.
 */

/* The number of a message among those with tickets. Where there is only one, it needs no look-up. */
static inline uint8_t zgi_kind_of(const struct zg_link *link, const struct zg_open *open)
{
    return ZGI_DELIVERY(link)->kinds > 1 ? open->kind : 0;
}

/* The result is in flash: read its members with zgi_flash_read(). */
static inline const struct zg_ticketed *zgi_ticketed(const struct zg_link *link, uint8_t kind)
{
    return &ZGI_DELIVERY(link)->messages[kind];
}

static inline struct zg_open *zgi_open_of(struct zg_link *link, const struct zg_delivery *delivery, uint8_t ticket)
{
    return &delivery->open[ticket & (ZGI_DELIVERY(link)->slots - 1U)];
}

static inline uint8_t *zgi_open_content(struct zg_link *link, const struct zg_delivery *delivery, uint8_t ticket)
{
    return delivery->contents + (size_t)(ticket & (ZGI_DELIVERY(link)->slots - 1U)) * ZGI_DELIVERY(link)->room;
}

static inline uint8_t *zgi_open_payload(struct zg_link *link, const struct zg_delivery *delivery, uint8_t ticket)
{
    return zgi_open_content(link, delivery, ticket) + ZGI_PROTOCOL_OF(link)->header_size;
}

/* Starts with no ticket sent or taken. The first one sent may be any below 128; it is 0 unless the slot of 0 is in use.
 */
static inline void zgi_delivery_begin(struct zg_delivery *delivery, uint8_t first)
{
    delivery->next = delivery->base = first;
    delivery->sure = (uint8_t)(first - 1U);
    delivery->newest = 0xFF;
    delivery->taken = 0x1FF;
    delivery->owing = false;
    delivery->refused = 0;
}

/* Reports how the message in a ticket's slot ended. The slot is free by then, so that the handler may send the next
 * message; the handler unpacks the old one first. */
static ZGI_RARE void zgi_settle(struct zg_link *link, struct zg_delivery *delivery, uint8_t ticket, enum zg_settled how)
{
    struct zg_open *open = zgi_open_of(link, delivery, ticket);

    open->state = ZGI_OPEN_FREE;
    if (how == ZG_DELIVERED && (uint8_t)(ticket - delivery->sure) < 0x80)
        delivery->sure = ticket;
    while (delivery->base != delivery->next && zgi_open_of(link, delivery, delivery->base)->state == ZGI_OPEN_FREE)
        delivery->base++;
    zgi_settled(link, delivery->peer, zgi_kind_of(link, open), zgi_open_payload(link, delivery, ticket), open->length,
                how);
}

static inline bool zgi_is_unsure(const struct zg_delivery *delivery)
{
    return (uint8_t)(delivery->next - delivery->sure) > ZGI_UNSURE;
}

/* Starts afresh, with no ticket sent or taken. */
static inline void zgi_delivery_afresh(struct zg_link *link, struct zg_delivery *delivery, uint8_t first)
{
    for (uint8_t i = 0; i < ZGI_DELIVERY(link)->answers; i++)
        delivery->answered[i].length = 0;
    zgi_delivery_begin(delivery, first);
}

/* The other end restarted: starts afresh, and reports every open message as failed, the oldest first. New tickets
 * continue in the same slots, so that each handler finds at least the slot of its own message free. Messages that
 * handlers send meanwhile belong to the new run and are left alone. */
static inline void zgi_delivery_restart(struct zg_link *link, struct zg_delivery *delivery)
{
    if (ZGI_DELIVERY(link)->window == 0) {
        zgi_delivery_afresh(link, delivery, 0);
        return;
    }
    const uint8_t first = (uint8_t)(delivery->base & (ZGI_DELIVERY(link)->slots - 1U));
    const uint8_t count = (uint8_t)(delivery->next - delivery->base);
    unsigned was_open = 0; /* bit n: the message n places after the first */
    for (uint8_t i = 0; i < count; i++)
        if (zgi_open_of(link, delivery, (uint8_t)(first + i))->state != ZGI_OPEN_FREE)
            was_open |= 1U << i;
    zgi_delivery_afresh(link, delivery, first);
    for (uint8_t i = 0; i < count; i++)
        if ((was_open >> i & 1U) != 0)
            zgi_settle(link, delivery, (uint8_t)(first + i), ZG_SETTLED_RESTART);
}

/* A place for a message of this kind: where its payload goes, after ticket and base. NULL: its window is full. */
static inline uint8_t *zgi_delivery_open(struct zg_link *link, struct zg_delivery *delivery, uint8_t kind)
{
    const struct zg_ticketed *message = zgi_ticketed(link, kind);
    const uint8_t window = ZGI_DELIVERY(link)->window;

    if (zgi_is_unsure(delivery))
        return NULL;
    if ((window < ZGI_DELIVERY(link)->slots && (uint8_t)(delivery->next - delivery->base) >= window) ||
        zgi_open_of(link, delivery, delivery->next)->state != ZGI_OPEN_FREE)
        return NULL;
    if (ZGI_DELIVERY(link)->windows_differ) {
        uint8_t alike = 0;
        for (uint8_t ticket = delivery->base; ticket != delivery->next; ticket++) {
            const struct zg_open *other = zgi_open_of(link, delivery, ticket);
            alike = (uint8_t)(alike + (other->state != ZGI_OPEN_FREE && other->kind == kind));
        }
        if (alike >= zgi_flash_read(&message->window))
            return NULL;
    }
    return zgi_open_payload(link, delivery, delivery->next) + 1 +
           (ZGI_DELIVERY(link)->keeps_order && zgi_flash_read(&message->kept));
}

/* The payload is in its place, `length` bytes with its tickets: sends it as soon as the line allows. */
static inline void zgi_delivery_commit(struct zg_link *link, struct zg_delivery *delivery, uint8_t kind, size_t length)
{
    struct zg_open *open = zgi_open_of(link, delivery, delivery->next);
    const struct zg_ticketed *message = zgi_ticketed(link, kind);

    open->ticket = delivery->next++;
    open->kind = kind;
    open->state = ZGI_OPEN_HELD;
    open->left = zgi_flash_read(&message->retries);
    open->reason = ZG_SETTLED_NO_ANSWER;
    open->length = (uint16_t)length;
    open->due_us = zgi_now(link) + zgi_flash_read(&message->timeout_us);
}

/* Whether a ticket was taken. Tickets older than the newest and the eight before it count as taken. */
static inline bool zgi_ticket_taken(const struct zg_delivery *delivery, uint8_t ticket)
{
    const uint8_t back = (uint8_t)(delivery->newest - ticket);
    return back < 0x80 && (back > 8 || (delivery->taken >> back & 1) != 0);
}

static inline void zgi_ticket_take(struct zg_delivery *delivery, uint8_t ticket)
{
    uint8_t ahead = (uint8_t)(ticket - delivery->newest);
    unsigned taken = delivery->taken;

    if (ahead >= 0x80) {
        taken |= 1U << (uint8_t)-ahead;
    } else {
        taken = (ahead > 8 ? 0 : taken << ahead) | 1U;
        delivery->newest = ticket;
    }
    delivery->taken = (uint16_t)taken;
}

static inline void zgi_refuse(struct zg_delivery *delivery, uint8_t ticket, enum zg_settled reason)
{
    delivery->refused = (uint8_t)reason;
    delivery->refused_ticket = ticket;
}

/* --- messages and requests that come in */

static inline struct zg_answered *zgi_answered_of(struct zg_link *link, const struct zg_delivery *delivery,
                                                  uint8_t ticket)
{
    return &delivery->answered[ticket & (ZGI_DELIVERY(link)->answers - 1U)];
}

/* Notes a payload's tickets in its frame and judges them. 1: it is new; unpack it and call zgi_delivery_take(). 0: it
 * needs nothing more: it is a copy, which is acknowledged or answered again; or the two nodes do not know each other
 * yet; or an earlier message is missing and the order is kept, so this one will come again. ZG_ESIZE: the tickets are
 * missing. `request`: a reply acknowledges it. */
static inline int zgi_delivery_admit(struct zg_link *link, struct zg_hello *hello, struct zg_delivery *delivery,
                                     struct zg_frame *frame, const uint8_t *payload, size_t length, bool kept,
                                     bool request)
{
    if (length < 1U + kept)
        return ZG_ESIZE;
    const uint8_t ticket = payload[0];
    frame->header.ticket = ticket;
    if (kept)
        frame->header.base = payload[1];
    if (!hello->known) {
        hello->ask = true;
        return 0;
    }
    if (zgi_ticket_taken(delivery, ticket)) {
        if (!request)
            delivery->owing = true;
        else if (zgi_answered_of(link, delivery, ticket)->ticket == ticket)
            zgi_answered_of(link, delivery, ticket)->due = true;
        return 0;
    }
    for (uint8_t before = kept ? payload[1] : ticket; before != ticket && (uint8_t)(ticket - before) < 0x80; before++)
        if (!zgi_ticket_taken(delivery, before))
            return 0;
    return 1;
}

/* Takes a message, so that its copies are recognised. `result` is what unpacking returned: if that failed, or there is
 * no handler, the message is refused. True: hand it on. */
static inline bool zgi_delivery_take(struct zg_link *link, struct zg_delivery *delivery, uint8_t ticket, int result,
                                     bool wanted, bool request)
{
    if (result < 0 || !wanted) {
        zgi_refuse(delivery, ticket, result < 0 ? ZG_REFUSED_BAD_PAYLOAD : ZG_REFUSED_UNKNOWN_ID);
        return false;
    }
    zgi_ticket_take(delivery, ticket);
    if (request) /* what was in the slot is settled: its window has passed */
        zgi_answered_of(link, delivery, ticket)->length = 0;
    else
        delivery->owing = true;
    return true;
}

/* A message whose id this node does not know. If it looks like one with a ticket that is expected, it is refused. */
static inline void zgi_refuse_unknown(const struct zg_hello *hello, struct zg_delivery *delivery,
                                      const uint8_t *payload, size_t length)
{
    if (length > 0 && hello->known && (uint8_t)((uint8_t)(payload[0] - delivery->newest) + 8U) < 16 &&
        !zgi_ticket_taken(delivery, payload[0]))
        zgi_refuse(delivery, payload[0], ZG_REFUSED_UNKNOWN_ID);
}

/* Where a reply's payload goes, after the ticket. NULL: no unanswered request has this ticket. */
static inline uint8_t *zgi_delivery_answer(struct zg_link *link, struct zg_delivery *delivery, uint8_t ticket)
{
    const struct zg_delivery_terms *terms = ZGI_DELIVERY(link);
    const uint8_t slot = (uint8_t)(ticket & (terms->answers - 1U));

    if ((uint8_t)(delivery->newest - ticket) >= terms->answers || !zgi_ticket_taken(delivery, ticket) ||
        delivery->answered[slot].length > 0)
        return NULL;
    return delivery->contents + (size_t)terms->slots * terms->room + (size_t)slot * terms->answer_room +
           ZGI_PROTOCOL_OF(link)->header_size + 1;
}

/* The reply is in its place, `length` bytes with its ticket: sends it, and again when the request comes again. */
static inline void zgi_delivery_answered(struct zg_link *link, struct zg_delivery *delivery, uint8_t *at,
                                         uint8_t ticket, zg_header_number id, size_t length)
{
    struct zg_answered *answered = zgi_answered_of(link, delivery, ticket);

    at[-1] = ticket;
    answered->id = id;
    answered->length = (uint16_t)length;
    answered->ticket = ticket;
    answered->due = true;
}

/* --- acknowledgements, replies and refusals that come in */

/* Whether a slot's message has this ticket, was sent and is not settled. */
static inline bool zgi_is_open(const struct zg_open *open, uint8_t ticket)
{
    return open->ticket == ticket && open->state >= ZGI_OPEN_DUE;
}

static inline void zgi_delivery_acknowledged(struct zg_link *link, struct zg_delivery *delivery, const uint8_t *payload)
{
    unsigned taken = (unsigned)payload[1] << 1 | 1U;

    for (uint8_t ticket = payload[0]; taken != 0; ticket--, taken >>= 1) {
        const struct zg_open *open = zgi_open_of(link, delivery, ticket);
        if ((taken & 1U) != 0 && zgi_is_open(open, ticket) &&
            !(ZGI_DELIVERY(link)->sends_requests &&
              zgi_flash_read(&zgi_ticketed(link, zgi_kind_of(link, open))->request)))
            zgi_settle(link, delivery, ticket, ZG_DELIVERED);
    }
}

static inline void zgi_delivery_refused(struct zg_link *link, struct zg_delivery *delivery, const uint8_t *payload)
{
    struct zg_open *open = zgi_open_of(link, delivery, payload[0]);

    if (!zgi_is_open(open, payload[0]) || payload[1] == 0)
        return;
    zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(refused), 1);
    /* what is unknown may be a message without tickets whose first byte looks like this ticket */
    if (payload[1] == ZG_REFUSED_UNKNOWN_ID)
        open->reason = ZG_REFUSED_UNKNOWN_ID;
    else
        zgi_settle(link, delivery, payload[0], (enum zg_settled)payload[1]);
}

/* An acknowledgement or a refusal came. Returns how many of its bytes were left over, or ZG_ESIZE. */
static inline int zgi_delivery_settling(struct zg_link *link, struct zg_delivery *delivery,
                                        const struct zg_header *header, const uint8_t *payload, size_t length)
{
    if (length < 2)
        return ZG_ESIZE;
    if (header->id == ZGI_DELIVERY(link)->acknowledge_id)
        zgi_delivery_acknowledged(link, delivery, payload);
    else
        zgi_delivery_refused(link, delivery, payload);
    return (int)(length - 2);
}

/* Whether a reply's ticket is that of an open request of this kind. */
static inline bool zgi_is_asked(struct zg_link *link, const struct zg_delivery *delivery, uint8_t ticket, uint8_t kind)
{
    const struct zg_open *open = zgi_open_of(link, delivery, ticket);
    return zgi_is_open(open, ticket) && zgi_kind_of(link, open) == kind;
}

/* --- what is due */

/* Sends an open message if the line allows, with the present base. */
static inline bool zgi_open_send(struct zg_link *link, struct zg_delivery *delivery, uint8_t ticket)
{
    const struct zg_open *open = zgi_open_of(link, delivery, ticket);
    const struct zg_ticketed *message = zgi_ticketed(link, zgi_kind_of(link, open));
    uint8_t *content = zgi_open_content(link, delivery, ticket);
    uint8_t *payload = content + ZGI_PROTOCOL_OF(link)->header_size;

    payload[0] = ticket;
    if (ZGI_DELIVERY(link)->keeps_order && zgi_flash_read(&message->kept))
        payload[1] = delivery->base;
    if (zgi_link_send(link, delivery->peer->address, zgi_flash_read(&message->id), content, NULL, open->length) != 0)
        return false;
    zgi_await(link, delivery->peer->address, zgi_flash_read(&message->timeout_us));
    return true;
}

/* Drives one open message: sends it, waits until it has left, and notices when its time is over. */
static inline void zgi_open_poll(struct zg_link *link, const struct zg_hello *hello, struct zg_delivery *delivery,
                                 uint8_t ticket, uint32_t now)
{
    struct zg_open *open = zgi_open_of(link, delivery, ticket);
    const uint32_t timeout_us = zgi_flash_read(&zgi_ticketed(link, zgi_kind_of(link, open))->timeout_us);
    const bool is_first = open->state == ZGI_OPEN_HELD;

    if (open->state == ZGI_OPEN_FREE || open->ticket != ticket) /* a handler sent a new message in its slot */
        return;
    if (open->state == ZGI_OPEN_LEAVING) {
        if (zgi_has_left(link, open->end_at)) {
            open->state = ZGI_OPEN_WAITING;
            open->due_us = now + timeout_us + zgi_spread(link, timeout_us / 4, hello->boot);
        }
        return;
    }
    if (open->state != ZGI_OPEN_WAITING && hello->known) {
        if (!zgi_open_send(link, delivery, ticket))
            return; /* the line is in use: the timeout does not run */
        zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(resent), !is_first);
        open->state = ZGI_OPEN_LEAVING;
        open->end_at = link->transmit.head;
        return;
    }
    if (!zg_clock_reached(now, open->due_us))
        return;
    if (open->left == 0) {
        zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(given_up), 1);
        zgi_settle(link, delivery, ticket, (enum zg_settled)open->reason);
        return;
    }
    open->left--;
    open->due_us = now + timeout_us;
    if (!is_first)
        open->state = ZGI_OPEN_DUE;
}

/* Sends a message of a service that is two bytes long. */
static inline bool zgi_send_pair(struct zg_link *link, const struct zg_peer *peer, zg_header_number id, uint8_t first,
                                 uint8_t second)
{
    uint8_t content[ZG_HEADER_MAX + 2 + sizeof(zg_check_word)];
    uint8_t *payload = content + ZGI_PROTOCOL_OF(link)->header_size;

    payload[0] = first;
    payload[1] = second;
    return zgi_link_send(link, peer->address, id, content, NULL, 2) == 0;
}

/* Too many messages in a row were not taken, and none is open: starts afresh, as after a restart. While the peer does
 * not know this node, nothing was sent and there is nothing to report. */
static ZGI_RARE void zgi_delivery_renew(struct zg_link *link, struct zg_hello *hello, struct zg_delivery *delivery)
{
    zgi_delivery_afresh(link, delivery, (uint8_t)(delivery->next & (ZGI_DELIVERY(link)->slots - 1U)));
    if (!hello->known)
        return;
    hello->known = false;
    hello->runs++;
    hello->tries = 0;
    hello->answer = !ZGI_HELLO(link)->answers_only;
    zgi_notify(link, delivery->peer, ZG_LINK_RESTARTED); /* requests that are not answered yet are void */
}

/* Sends the acknowledgements, replies, refusals and messages that are due, and reports what failed. */
static inline void zgi_delivery_poll(struct zg_link *link, struct zg_hello *hello, struct zg_delivery *delivery,
                                     uint32_t now)
{
    const struct zg_delivery_terms *terms = ZGI_DELIVERY(link);
    const uint8_t end = delivery->next;

    for (uint8_t i = 0; i < terms->answers; i++) {
        struct zg_answered *answered = &delivery->answered[i];
        uint8_t *content = delivery->contents + (size_t)terms->slots * terms->room + (size_t)i * terms->answer_room;
        if (answered->due && answered->length > 0 &&
            zgi_link_send(link, delivery->peer->address, answered->id, content, NULL, answered->length) == 0)
            answered->due = false;
    }
    if (terms->receives_tickets && delivery->refused != 0 &&
        zgi_send_pair(link, delivery->peer, terms->refused_id, delivery->refused_ticket, delivery->refused))
        delivery->refused = 0;
    if (terms->receives_tickets && delivery->owing &&
        zgi_send_pair(link, delivery->peer, terms->acknowledge_id, delivery->newest, (uint8_t)(delivery->taken >> 1)))
        delivery->owing = false;
    if (terms->window == 0)
        return;
    for (uint8_t ticket = delivery->base; ticket != end; ticket++)
        zgi_open_poll(link, hello, delivery, ticket, now);
    if (zgi_is_unsure(delivery) && delivery->base == delivery->next)
        zgi_delivery_renew(link, hello, delivery);
}
