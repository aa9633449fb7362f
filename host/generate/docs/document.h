/* SPDX-License-Identifier: MIT */
/* A document, written as Markdown or as a self-contained HTML page. In its texts, words between backquotes are code. */
#ifndef ZEUGMA_DOCUMENT_H
#define ZEUGMA_DOCUMENT_H

#include "plan/plan.h"

struct zgi_document {
    GString *text;
    bool html;
    unsigned columns; /* of the open table */
};

/* Begins a document, with a comment, and ends it. */
void zgi_document_begin(struct zgi_document *document, bool html, const char *comment, const char *title);
GString *zgi_document_end(struct zgi_document *document);

/* A heading of level 1 to 3. Links refer to its `id` (letters, digits, - and _). */
void zgi_document_heading(struct zgi_document *document, unsigned level, const char *id, const char *text);
void zgi_document_paragraph(struct zgi_document *document, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* A list of links to headings. Those whose id has a - are listed under the one before. */
void zgi_document_links(struct zgi_document *document, const char *const *ids, const char *const *texts);

/* A table: its headings, NULL-terminated, then rows with as many cells. */
void zgi_document_table(struct zgi_document *document, const char *const *headings);
void zgi_document_row(struct zgi_document *document, ...) G_GNUC_NULL_TERMINATED;
void zgi_document_table_end(struct zgi_document *document);

/* Text as it is, line by line. */
void zgi_document_code(struct zgi_document *document, const char *text);

/* The bytes of a block, bit by bit; `before` bytes come before it. */
void zgi_document_map(struct zgi_document *document, const struct zg_block *block, unsigned before);

#endif
