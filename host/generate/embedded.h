/* SPDX-License-Identifier: MIT */
/* Files of this project that generated folders contain: parts of Python ("python/cobs.py") and the runtime ("link.c",
 * "zeugma/link.h"). The build makes them. */
#ifndef ZEUGMA_EMBEDDED_H
#define ZEUGMA_EMBEDDED_H

struct zgi_embedded {
    const char *path;
    const char *text;
};

/* Ends with a row of NULL. */
extern const struct zgi_embedded zgi_embedded_files[];

/* The text of a file, or NULL. */
const char *zgi_embedded_text(const char *path);

#endif
