/* SPDX-License-Identifier: MIT */
/* The newest bytes that passed somewhere, by their count. */
#ifndef ZEUGMA_TAPE_H
#define ZEUGMA_TAPE_H

#include <glib.h>
#include <stdint.h>

/* Opaque; free with zgi_tape_free(). A NULL tape takes nothing. */
struct zgi_tape;

struct zgi_tape *zgi_tape_new(void);
void zgi_tape_free(struct zgi_tape *tape);

void zgi_tape_add(struct zgi_tape *tape, const uint8_t *bytes, size_t count);

/* Bytes from..to, counted from the first that was ever added, at most ZGI_TAPE_CUT of them; NULL if they are no longer,
 * or not yet, there. Free with g_bytes_unref(). */
enum { ZGI_TAPE_CUT = 4096 };
GBytes *zgi_tape_cut(const struct zgi_tape *tape, uint64_t from, uint64_t to);

#endif
