/* SPDX-License-Identifier: MIT */
/* What passes on a link as lines of text, at three depths: raw bytes, frames, values. */
#ifndef ZEUGMA_LINES_H
#define ZEUGMA_LINES_H

#include "view/viewed.h"

enum zg_depth { ZG_DEPTH_RAW, ZG_DEPTH_FRAMES, ZG_DEPTH_VALUES };

/* Opaque; free with zg_lines_free(). It remembers how wide values were, so that columns stay in place. `unicode`: signs
 * beyond ASCII may be used; `coloured`: marked values are also coloured. Where there are several devices, each line
 * says of which it is; zg_lines_align() gives their names one width, in characters. */
struct zg_lines;

struct zg_lines *zg_lines_new(const struct zg_viewed *viewed, bool unicode, bool coloured);
void zg_lines_align(struct zg_lines *lines, unsigned width);
void zg_lines_free(struct zg_lines *lines);

/* Bytes as hex and as text, up to 16 on a line. In the text each kind of byte has its own sign. */
void zg_lines_raw(const struct zg_lines *lines, double at, bool out, const uint8_t *bytes, size_t count, GString *text);

/* A stretch as one line: its header and raw bytes, or its values in columns. */
void zg_lines_stretch(struct zg_lines *lines, enum zg_depth depth, double at, bool out,
                      const struct zg_stretch *stretch, GString *text);

/* The sign for a byte in text, UTF-8: 00, tab, line feed, return and FF have one each; the other control characters
 * share one, and so do bytes beyond ASCII. */
const char *zg_byte_sign(uint8_t byte, bool unicode);

#endif
