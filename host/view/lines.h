/* SPDX-License-Identifier: MIT */
/* What passes on a link as lines of text, at three depths: raw bytes, frames, values. */
#ifndef ZEUGMA_LINES_H
#define ZEUGMA_LINES_H

#include "view/selection.h"

enum zg_depth { ZG_DEPTH_RAW, ZG_DEPTH_FRAMES, ZG_DEPTH_VALUES };

/* Opaque; free with zg_lines_free(). It remembers how wide values were, so that columns stay in place. `unicode`: signs
 * beyond ASCII may be used; `coloured`: marks are coloured, too. */
struct zg_lines;

struct zg_lines *zg_lines_new(const struct zg_plan *plan, const struct zg_selection *selection, bool unicode,
                              bool coloured);
void zg_lines_free(struct zg_lines *lines);

/* Bytes as hex beside text, up to 16 a line: every byte has a sign of its own kind; 00 and FF have one each. */
void zg_lines_raw(const struct zg_lines *lines, double at, bool out, const uint8_t *bytes, size_t count, GString *text);

/* A stretch as one line: with header and raw bytes, or its values in columns. */
void zg_lines_stretch(struct zg_lines *lines, enum zg_depth depth, double at, bool out,
                      const struct zg_stretch *stretch, GString *text);

/* The sign that stands for a byte in text: 00, tab, line end, return and FF have one each, so have the other control
 * characters, and what is beyond ASCII. UTF-8. */
const char *zg_byte_sign(uint8_t byte, bool unicode);

#endif
