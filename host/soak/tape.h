/* SPDX-License-Identifier: MIT */
/* The newest bytes that passed somewhere, by their count, and when. */
#ifndef ZEUGMA_TAPE_H
#define ZEUGMA_TAPE_H

#include <glib.h>
#include <stdint.h>

#include "soak/journal.h"

/* Opaque; free with zgi_tape_free(). A NULL tape takes nothing. */
struct zgi_tape;

struct zgi_tape *zgi_tape_new(void);
void zgi_tape_free(struct zgi_tape *tape);

/* Bytes, the last of which was there at `last_ns`. */
void zgi_tape_add(struct zgi_tape *tape, const uint8_t *bytes, size_t count, uint64_t last_ns);

/* When what is in bytes from..to was there: of struct zg_passed, ascending, with places counted from `from`. Free with
 * g_array_unref(). */
GArray *zgi_tape_times(const struct zgi_tape *tape, uint64_t from, uint64_t to);

/* Bytes from..to, counted from the first that was ever added; of more than ZG_STRETCH_BYTES_MOST the first and the last
 * half of so many. NULL if they are no longer, or not yet, there. Free with g_bytes_unref(). */
GBytes *zgi_tape_cut(const struct zgi_tape *tape, uint64_t from, uint64_t to);

/* Keeps the first half for a later cut from there, if the tape is about to lose it. */
void zgi_tape_keep(struct zgi_tape *tape, uint64_t from);

#endif
