/* SPDX-License-Identifier: MIT */
/* Texts in the order of their times, although some become known late: a frame that silence ends, for example. */
#ifndef ZEUGMA_IN_ORDER_H
#define ZEUGMA_IN_ORDER_H

#include <glib.h>
#include <stdbool.h>

/* Opaque; free with zg_in_order_free(). */
struct zg_in_order;

struct zg_in_order *zg_in_order_new(void);
void zg_in_order_free(struct zg_in_order *texts);

/* Whether none is held. */
bool zg_in_order_is_empty(const struct zg_in_order *texts);

/* Texts of the same time stay in the order in which they were added. */
void zg_in_order_add(struct zg_in_order *texts, guint64 at_ns, const char *text, gsize length);

/* Appends to `taken`, and removes, the texts up to a time. After that no text of an earlier time may be added. */
void zg_in_order_take(struct zg_in_order *texts, guint64 until_ns, GString *taken);

#endif
