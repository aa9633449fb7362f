/* SPDX-License-Identifier: MIT */
/* The definition's own messages as traffic: what is sent, with which values. */
#ifndef ZEUGMA_OWN_H
#define ZEUGMA_OWN_H

#include "codec/payload.h"
#include "sim/random.h"

#define ZG_OWN_ERROR (g_quark_from_static_string("zg-own-error"))

/* Opaque; free with zg_own_free(). */
struct zg_own;

struct zg_own *zg_own_new(const struct zg_plan *plan);
void zg_own_free(struct zg_own *own);

/* Adds what may be sent: NAME, a message without fields; NAME={...}, with these values; NAME.FIELD=A..B, with a number
 * from A to B in this field, a new one each time, and what an earlier NAME={...} says in the others. Only messages that
 * the host sends, and that are no replies. False with an error. */
bool zg_own_add(struct zg_own *own, const char *text, GError **error);

/* All messages that the host sends, with any valid values. They may move real machines. */
void zg_own_add_all(struct zg_own *own);

/* All messages at this period; otherwise each at its `every`, or ten times a second. */
void zg_own_set_period(struct zg_own *own, uint64_t period_ns);

/* How many kinds there are; one of them: its message, its period, and values for the next one, or NULL with an error if
 * what was given for them is wrong. */
unsigned zg_own_count(const struct zg_own *own);
const struct zg_plan_message *zg_own_message(const struct zg_own *own, unsigned index);
uint64_t zg_own_period_ns(const struct zg_own *own, unsigned index);
const struct zg_value *zg_own_values(struct zg_own *own, unsigned index, struct zg_random *random, GError **error);

#endif
