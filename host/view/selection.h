/* SPDX-License-Identifier: MIT */
/* Which parts of a stream are shown, and which values are marked: "tension > 200". */
#ifndef ZEUGMA_SELECTION_H
#define ZEUGMA_SELECTION_H

#include "codec/frame_reader.h"

#define ZG_SELECTION_ERROR (g_quark_from_static_string("zg-selection-error"))

/* Opaque; free with zg_selection_free(). The plan must outlive it. */
struct zg_selection;

/* Shows everything, marks nothing. */
struct zg_selection *zg_selection_new(const struct zg_plan *plan);
void zg_selection_free(struct zg_selection *selection);

/* Shows only what is named: MESSAGE, MESSAGE.FIELD, or FIELD of every message that has it. Repeated calls add to it. */
bool zg_selection_show(struct zg_selection *selection, const char *name, GError **error);

/* Shows no frames. */
void zg_selection_show_nothing(struct zg_selection *selection);

/* Shows only frames of this source address. */
bool zg_selection_source(struct zg_selection *selection, int64_t address, GError **error);

/* Marks values: FIELD or MESSAGE.FIELD, one of > >= < <= = !=, and a number or an enum's name. */
bool zg_selection_mark(struct zg_selection *selection, const char *rule, GError **error);

/* Whether a stretch is shown. One that is no frame is, unless a source was chosen. */
bool zg_selection_shows(const struct zg_selection *selection, const struct zg_stretch *stretch);

/* Whether a message, or one of its fields, was asked for by name. */
bool zg_selection_names(const struct zg_selection *selection, const struct zg_plan_message *message);

/* Whether a message's field is shown; whether its present value is marked. */
bool zg_selection_shows_field(const struct zg_selection *selection, const struct zg_plan_message *message,
                              unsigned index);
bool zg_selection_marks(const struct zg_selection *selection, const struct zg_plan_message *message, unsigned index,
                        const struct zg_value *value);

/* The numbers that the selection's marks compare a field with, of double. Free with g_array_unref(). */
GArray *zg_selection_limits(const struct zg_selection *selection, const struct zg_plan_message *message,
                            unsigned index);

/* The only message that is shown. NULL: there may be others. */
const struct zg_plan_message *zg_selection_only(const struct zg_selection *selection);

#endif
