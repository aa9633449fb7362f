/* SPDX-License-Identifier: MIT */
/* Drawings as files, by cairo. Without it, which is an option of the build, every call fails and says so. */
#ifndef ZEUGMA_PICTURE_H
#define ZEUGMA_PICTURE_H

#include "wave/wave.h"

#define ZG_PICTURE_ERROR (g_quark_from_static_string("zg-picture-error"))

enum zg_picture_kind { ZG_PICTURE_SVG, ZG_PICTURE_PNG, ZG_PICTURE_PDF };

/* The kind of a file by the end of its name, ".svg", ".png" or ".pdf". False, with an error: it is none. */
bool zg_picture_kind_of(const char *path, enum zg_picture_kind *kind, GError **error);

/* Draws a wave, 1280 points wide and as high as it takes. False, with an error: it cannot be written, or would be too
 * large. */
bool zg_picture_wave(const struct zg_wave *wave, enum zg_picture_kind kind, const char *path, GError **error);

#endif
