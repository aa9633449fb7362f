/* SPDX-License-Identifier: MIT */
/*
 * Private. The code of an end for any protocol: it calls the functions of its struct zg_protocol. A file that has
 * better ones defines ZGI_ADAPTED and the six functions below before it includes this.
 */
#ifndef ZEUGMA_DETAIL_ANY_END_H
#define ZEUGMA_DETAIL_ANY_END_H

#include "zeugma/any_link.h"
#include "zeugma/delivery.h"
#include "zeugma/detail/end.h"

typedef struct zg_receiver zgi_receiver;

#define ZGI_PROTOCOL(receiver) ((receiver)->protocol)
#define ZGI_RECEIVER(link) (((struct zg_any_link *)(void *)(link))->receiver)
#define ZGI_OWNER(receiver) ((receiver)->owner)
#define ZGI_COUNTERS(receiver) ((receiver)->counters)
#define ZGI_KNOW_RING(link, ring) ((void)0)
#define ZGI_KNOW_FRAME(link) ((void)0)
#define ZGI_IN_PLACE 0
#define ZGI_FED_AT_ONCE 1

#ifndef ZGI_ADAPTED

/* Judges a candidate's header: 0; ZG_EVERSION: another version; ZG_EFORM: no sender makes such a header. */
static inline int zgi_admit(const struct zg_receiver *receiver, const uint8_t *content, size_t length,
                            struct zg_header *header)
{
    return receiver->protocol->admit(receiver->owner, content, length, header);
}

static inline void zgi_write_header(struct zg_link *link, const struct zg_header *header, uint8_t *out)
{
    const struct zg_receiver *receiver = ZGI_RECEIVER(link);
    receiver->protocol->write_header(receiver->owner, header, out);
}

/* Hands a frame on. Returns how many bytes of the payload were left over, or a negative error. */
static inline int zgi_deliver(struct zg_link *link, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    const struct zg_receiver *receiver = ZGI_RECEIVER(link);
    return receiver->protocol->deliver(receiver->owner, frame, payload, length);
}

/* Reports how a message that was sent with a ticket ended. Called only where the protocol has delivery. */
static inline void zgi_settled(struct zg_link *link, const struct zg_peer *peer, uint8_t kind, const uint8_t *payload,
                               uint16_t length, enum zg_settled how)
{
    const struct zg_receiver *receiver = ZGI_RECEIVER(link);
    receiver->protocol->delivery->settled(receiver->owner, peer, kind, payload, length, how);
}

static inline zg_check_word zgi_check_update(const struct zg_check *check, zg_check_word state, const uint8_t *bytes,
                                             size_t count)
{
    return check->update(check->parameters, state, bytes, count);
}

static inline zg_check_word zgi_check_finish(const struct zg_check *check, zg_check_word state)
{
    return check->finish(check->parameters, state);
}

#endif

#include "zeugma/detail/link_body.h"

#endif
