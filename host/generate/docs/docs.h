/* SPDX-License-Identifier: MIT */
/* Shared by the files of the specification. */
#ifndef ZEUGMA_DOCS_H
#define ZEUGMA_DOCS_H

#include "generate/docs/document.h"

/* What a field means besides its type: its byte order if different, the version that introduced it, and its summary.
 * Free with g_free(). */
char *zgi_docs_meaning(const struct zg_plan *plan, const struct zg_step *step);

/* The fields of a block that follows a tag, or so many bytes of ticket and base. */
void zgi_docs_fields(struct zgi_document *document, const struct zg_plan *plan, const struct zg_block *block,
                     unsigned tickets, const struct zg_tag *tag);

/* The payload of a message with a text layout. */
void zgi_docs_text(struct zgi_document *document, const struct zg_plan *plan, const struct zg_plan_message *item);

/* A message's values and its frame, in two lines; nothing if the frame is long. */
void zgi_docs_example(struct zgi_document *document, const struct zg_plan *plan, const struct zg_plan_message *item);

/* The first message's frame, byte by byte. */
void zgi_docs_worked_example(struct zgi_document *document, const struct zg_plan *plan);

/* How frames are sent. */
void zgi_docs_framing(struct zgi_document *document, const struct zg_plan *plan);

#endif
