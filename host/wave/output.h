/* SPDX-License-Identifier: MIT */
/* A file being written: beside its place until it is whole, so that one that was there is replaced by all of it or not
 * at all. A device or a pipe is written to directly. */
#ifndef ZEUGMA_WAVE_OUTPUT_H
#define ZEUGMA_WAVE_OUTPUT_H

#include <glib.h>
#include <stdbool.h>
#include <stdio.h>

struct zg_output {
    FILE *file; /* what to write to */
    /* private */
    char *path, *part; /* part: where it is until then; NULL: in its place */
};

/* False, with an error (G_FILE_ERROR): it cannot be written there. */
bool zg_output_begin(struct zg_output *output, const char *path, GError **error);

/* Puts the file into its place if everything could be written, and `good` says so; otherwise nothing is left of it.
 * False, with an error unless `good` is false: it could not. */
bool zg_output_end(struct zg_output *output, bool good, GError **error);

/* A whole text at once. */
bool zg_output_text(const char *path, const char *text, GError **error);

#endif
