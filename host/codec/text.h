/* SPDX-License-Identifier: MIT */
/* Payloads in text layouts: values to characters and back. */
#ifndef ZEUGMA_CODEC_TEXT_H
#define ZEUGMA_CODEC_TEXT_H

#include "codec/block.h"
#include "codec/error.h"

/* Appends a message's fields as its layout writes them, behind its tag. False: a value cannot be written so that it is
 * read again; the error names it and the message. */
bool zg_text_write(const struct zg_plan_message *message, const struct zg_value *values, GString *text, GError **error);

/* The same for values that can be written; and where each stands behind the tag, one span for each step. */
void zg_text_spans(const struct zg_plan_message *message, const struct zg_value *values, struct zg_span *spans);

/* Reads them. `*ignored` is how many characters belong to unknown keys. False: the text does not fit the layout. */
bool zg_text_read(const struct zg_plan_message *message, const char *text, size_t length, struct zg_value *values,
                  size_t *ignored);

/* Why a payload does not fit the layout behind its `front` bytes, as it goes on behind the message's name: ".level
 * cannot be \"x1\"". `*at`: how far it was read, bytes. NULL: it fits. Free with g_free(). */
char *zg_text_fault(const struct zg_plan_message *message, const char *payload, size_t length, size_t front,
                    size_t *at);

#endif
