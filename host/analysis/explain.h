/* SPDX-License-Identifier: MIT */
/* A frame on the wire, byte by byte. */
#ifndef ZEUGMA_EXPLAIN_H
#define ZEUGMA_EXPLAIN_H

#include "codec/payload.h"

/* A byte on the wire, and what it is. */
struct zg_explained {
    uint8_t wire;
    bool carries;    /* it carries, or stands for, a byte of the content */
    uint8_t content; /* which one */
    char *what;      /* "number = 7", "stuffing code, the next is 3 on" */
};

/* The frame of a message with these values and roles, byte by byte: an array of struct zg_explained *. The payload must
 * fit. Free with g_ptr_array_unref(). */
GPtrArray *zg_explain_frame(const struct zg_plan *plan, const struct zg_plan_message *item,
                            const struct zg_header *header, const struct zg_value *values);

/* The same as text, one line a byte. Free with g_free(). */
char *zg_explain_text(const struct zg_plan *plan, const struct zg_plan_message *item, const struct zg_header *header,
                      const struct zg_value *values);

#endif
