/* SPDX-License-Identifier: MIT */
/*
 * Requests without a ticket: their answers simply follow them. An end has one open at a time, sends it again after its
 * timeout, or reports its failure; then the next waits one more timeout, because a late answer would be taken for its
 * own. Generated nodes drive it. Nothing waits. Loop context.
 */
#ifndef ZEUGMA_QUERY_H
#define ZEUGMA_QUERY_H

#include <stdbool.h>
#include <stdint.h>

#include "zeugma/config.h"
#include "zeugma/delivery.h"

#ifdef __cplusplus
extern "C" {
#endif

/* A request without a ticket, as its sender treats it. Constant, usually generated. */
struct zg_queried {
    zg_header_number id;
    uint8_t retries; /* times that it is sent again */
    uint32_t timeout_us;
    bool bare; /* its payload is sent outside any frame */
};

/* The one that is open, or was given up a moment ago. All zero: none is. */
struct zg_query {
    /* private */
    uint8_t state;
    uint8_t kind; /* index of its message */
    uint8_t left; /* times that it may still be sent again */
    zg_header_number to;
    zg_index end_at; /* the transmit ring's head just after it */
    uint16_t length; /* of the payload */
    uint32_t due_us; /* when its timeout ends */
};

/* Private. */
enum zgi_query_state {
    ZGI_QUERY_NONE,
    ZGI_QUERY_DUE,     /* to be sent again */
    ZGI_QUERY_LEAVING, /* in the transmit ring */
    ZGI_QUERY_WAITING, /* for its answer */
    ZGI_QUERY_LATE     /* given up: what would have answered it is late */
};

#ifdef __cplusplus
}
#endif

#endif
