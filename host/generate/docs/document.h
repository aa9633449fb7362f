/* SPDX-License-Identifier: MIT */
/* One document, written as Markdown or as a self-contained HTML page. In texts `words` between backquotes are code. */
#ifndef ZEUGMA_DOCUMENT_H
#define ZEUGMA_DOCUMENT_H

#include "plan/plan.h"

struct zgi_document {
    GString *text;
    bool html;
    unsigned columns; /* of the open table */
};

/* Begins with a comment, and ends. */
void zgi_document_begin(struct zgi_document *document, bool html, const char *comment, const char *title);
GString *zgi_document_end(struct zgi_document *document);

/* A heading of level 1 to 3; links name its `id` (letters, digits, - and _). */
void zgi_document_heading(struct zgi_document *document, unsigned level, const char *id, const char *text);
void zgi_document_paragraph(struct zgi_document *document, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* A list of links to headings; those whose id has a - stand below the one before. */
void zgi_document_links(struct zgi_document *document, const char *const *ids, const char *const *texts);

/* A table: its headings, ended by NULL, then rows of as many cells. */
void zgi_document_table(struct zgi_document *document, const char *const *headings);
void zgi_document_row(struct zgi_document *document, ...) G_GNUC_NULL_TERMINATED;
void zgi_document_table_end(struct zgi_document *document);

/* Text as it is, a line a line. */
void zgi_document_code(struct zgi_document *document, const char *text);

/* The bytes of a block drawn bit by bit; `before` bytes stand in front. */
void zgi_document_map(struct zgi_document *document, const struct zg_block *block, unsigned before);

#endif
