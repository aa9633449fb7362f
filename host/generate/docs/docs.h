/* SPDX-License-Identifier: MIT */
/* Shared by the files of the specification. */
#ifndef ZEUGMA_DOCS_H
#define ZEUGMA_DOCS_H

#include "generate/docs/document.h"

/* A message's values and its frame, in two lines; nothing if the frame is long. */
void zgi_docs_example(struct zgi_document *document, const struct zg_plan *plan, const struct zg_plan_message *item);

/* The first message's frame, byte by byte. */
void zgi_docs_worked_example(struct zgi_document *document, const struct zg_plan *plan);

/* How frames are sent. */
void zgi_docs_framing(struct zgi_document *document, const struct zg_plan *plan);

#endif
