/* SPDX-License-Identifier: MIT */
/* Private: a picture being drawn, and what all pictures look like. */
#ifndef ZEUGMA_PICTURE_SURFACE_H
#define ZEUGMA_PICTURE_SURFACE_H

#include <cairo.h>

#include "picture/picture.h"
#include "wave/output.h"

struct zgi_surface {
    cairo_t *cairo;
    cairo_surface_t *surface;
    struct zg_output output;
    enum zg_picture_kind kind;
    const char *path;
};

/* Begins a picture of this size, in points, white. False, with an error: it cannot be. */
bool zgi_surface_begin(struct zgi_surface *surface, enum zg_picture_kind kind, const char *path, double width,
                       double height, GError **error);

/* Writes it. False, with an error: that failed, and no file is left. */
bool zgi_surface_end(struct zgi_surface *surface, GError **error);

/* Colours, as 0xRRGGBB. */
enum {
    ZGI_INK = 0x1A1A1A,
    ZGI_FAINT = 0x8A8A8A,
    ZGI_GRID = 0xDDDDDD,
    ZGI_SIGNAL = 0x1F5FA8,
    ZGI_GOOD = 0x2B8A3E,
    ZGI_BAD = 0xC92A2A,
    ZGI_SHADE = 0xF3F5F8
};
void zgi_colour(cairo_t *cairo, unsigned colour);

/* Text from a point on its base line, or in the middle of it; at most `width` points of it, 0: all. */
enum zgi_align { ZGI_LEFT, ZGI_MIDDLE };
void zgi_text(cairo_t *cairo, double x, double y, double size, enum zgi_align align, double width, const char *text);

/* Text on up to `lines` lines, broken between words. */
void zgi_paragraph(cairo_t *cairo, double x, double y, double size, double width, unsigned lines, const char *text);

#endif
