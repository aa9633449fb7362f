/* SPDX-License-Identifier: MIT */
/*
 * The service delivery: acknowledged messages, requests and replies. The sender numbers them with tickets, keeps a
 * window of them, and sends each again until it is acknowledged or answered, or reports its failure. The receiver takes
 * each ticket once. Both start afresh when one of them restarts (zeugma/hello.h). Generated nodes drive it.
 * docs/behaviour.md says how to choose window, timeout and retries. Nothing waits. Loop context.
 *
 * For each open ticket t the sender keeps base <= t < next, with next - base <= window, modulo 256. So a receiver that
 * has taken ticket n must tell apart only n and the eight before it: older ones were settled before n was sent. If a
 * hundred tickets in a row were given up or refused, none of them taken, the sender starts afresh with that peer under
 * another boot number; otherwise a ticket could come round that the receiver would mistake for an old one.
 */
#ifndef ZEUGMA_DELIVERY_H
#define ZEUGMA_DELIVERY_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/config.h"
#include "zeugma/hello.h"
#include "zeugma/index.h"
#include "zeugma/peer.h"

#ifdef __cplusplus
extern "C" {
#endif

/* How a message with a ticket ended, as reported to its sender. */
enum zg_settled {
    ZG_DELIVERED,           /* acknowledged, or answered */
    ZG_REFUSED_UNKNOWN_ID,  /* the other end does not know this message, or has no handler for it */
    ZG_REFUSED_BAD_PAYLOAD, /* too short or too long for the other end */
    ZG_REFUSED_BAD_VALUE,   /* a value outside the other end's range */
    ZG_REFUSED_BUSY,        /* the other end has no place for it now */
    ZG_REFUSED_NOT_ALLOWED, /* such as writing a variable that is read only */
    ZG_REFUSED_NO_VARIABLE, /* no variable has this index */
    ZG_SETTLED_NO_ANSWER,   /* no answer to any of the tries; it may have arrived */
    ZG_SETTLED_RESTART      /* one of the two ends started afresh; it may have arrived */
};

/* The same as an English phrase. Any context; constant time. */
const char *zg_settled_text(enum zg_settled settled);

/* A message with tickets, as its sender treats it. Constant, usually generated. */
struct zg_ticketed {
    zg_header_number id;
    uint8_t window;  /* of this message, open at the same time */
    uint8_t retries; /* times that it is sent again */
    bool request;    /* only its reply settles it */
    bool kept;       /* the base follows the ticket */
    uint32_t timeout_us;
};

/* A message that is not settled yet. */
struct zg_open {
    /* private */
    uint8_t ticket;
    uint8_t kind; /* index of its message */
    uint8_t state;
    uint8_t left;    /* times that it may still be sent again */
    zg_index end_at; /* the transmit ring's head just after it */
    uint32_t due_us; /* when its timeout ends */
    uint16_t length; /* of the payload, tickets included */
    uint8_t reason;  /* how it ends if nothing else comes: no answer, or a refusal perhaps meant for another message */
};

/* A reply, kept to be sent again when its request comes again. */
struct zg_answered {
    /* private */
    zg_header_number id;
    uint16_t length; /* 0: none; tickets included */
    uint8_t ticket;
    bool due;
};

/* The state between two nodes. */
struct zg_delivery {
    /* private */
    struct zg_peer *peer;
    uint8_t next;    /* ticket of the next message sent */
    uint8_t base;    /* the oldest open ticket; base == next: none is open */
    uint8_t sure;    /* the newest ticket that the peer is known to have taken; next - sure <= ZGI_UNSURE + window */
    uint16_t taken;  /* from the peer: bit n is ticket newest - n */
    uint8_t newest;  /* the newest ticket taken from the peer */
    bool owing;      /* an acknowledgement is due */
    uint8_t refused; /* the reason of a refusal that is due; 0: none is */
    uint8_t refused_ticket;
    struct zg_open *open; /* terms->slots of them; ticket t is at t % slots */
    struct zg_answered *answered;
    uint8_t *contents; /* of the open messages, then of the answers, each with room for header and check */
};

/* What a node's delivery needs: constant, usually generated. */
struct zg_delivery_terms {
    const struct zg_ticketed *messages; /* that this node sends, except replies; in ZG_FLASH */
    uint8_t window;                     /* the largest window of these messages; 0: there are none */
    bool windows_differ;
    uint8_t kinds;         /* how many of them there are */
    bool sends_requests;   /* some of them are requests */
    bool keeps_order;      /* some must be taken in the order in which they were sent */
    uint8_t slots;         /* for open messages: a power of two, at least `window` */
    uint8_t answers;       /* for replies: a power of two, or 0 */
    uint16_t room;         /* bytes for each open message: header, payload, check */
    uint16_t answer_room;  /* bytes for each reply */
    bool receives_tickets; /* messages with tickets, or requests, come in */
    zg_header_number acknowledge_id;
    zg_header_number refused_id;
    /* A message ended. The payload begins with its ticket, and base. It may be overwritten as soon as this function
     * sends another message. */
    void (*settled)(void *owner, const struct zg_peer *peer, uint8_t kind, const uint8_t *payload, uint16_t length,
                    enum zg_settled how);
};

/* Private. */
enum zgi_open_state {
    ZGI_OPEN_FREE,
    ZGI_OPEN_HELD,    /* never sent yet */
    ZGI_OPEN_DUE,     /* to be sent again */
    ZGI_OPEN_LEAVING, /* in the transmit ring */
    ZGI_OPEN_WAITING  /* for what settles it */
};

/* Private: tickets that may be sent in a row without one being taken. Together with a window it must stay below half of
 * all tickets. */
enum { ZGI_UNSURE = 100 };

#ifdef __cplusplus
}
#endif

#endif
