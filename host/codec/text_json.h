/* SPDX-License-Identifier: MIT */
/* Payloads that are a JSON object (RFC 8259). */
#ifndef ZEUGMA_TEXT_JSON_H
#define ZEUGMA_TEXT_JSON_H

#include "codec/block.h"
#include "codec/error.h"
#include "codec/text_element.h"

/* Appends characters as a string of JSON. */
void zg_text_json_quote(const char *bytes, size_t count, GString *out);

/* As in codec/text.h; and where each value stands, unless `spans` is NULL. */
bool zgi_json_write(const struct zg_text *text, const struct zg_block *block, const struct zg_value *values,
                    GString *out, struct zg_span *spans, GError **error);
bool zgi_json_read(const struct zg_text *text, const struct zg_block *block, const char *from, size_t length,
                   struct zg_value *values, size_t *ignored, size_t *stopped);

/* Of a text that is no such object, or lacks something: what it was at where reading stopped, which is progress->at. */
void zgi_json_fault(const struct zg_text *text, const struct zg_block *block, const char *from, size_t length,
                    struct zg_value *values, struct zgi_progress *progress);

#endif
