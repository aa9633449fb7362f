/* SPDX-License-Identifier: MIT */
/* The devices that are shown together, each with its own definition, and what is shown of each. */
#ifndef ZEUGMA_VIEW_VIEWED_H
#define ZEUGMA_VIEW_VIEWED_H

#include "view/selection.h"

struct zg_viewed {
    const char *name; /* NULL: it is the only one */
    const struct zg_plan *plan;
    struct zg_selection *selection;
};

/* Names for devices: their protocols, and from the second of the same protocol on a number: "loom", "loom-2". NULL at
 * the end; free them with g_strfreev(). */
char **zg_viewed_names(const struct zg_plan *const *plans, unsigned count);

/* The width of the widest name, characters. */
unsigned zg_viewed_width(const struct zg_viewed *viewed, unsigned count);

/* What zg_selection_show(), zg_selection_mark() and zg_selection_source() do for one device, for each that has what is
 * asked for, or behind "NAME:" for that one. False, with an error: none has it. What is not asked for of any device,
 * but of another, is not shown. */
bool zg_viewed_show(const struct zg_viewed *viewed, unsigned count, const char *const *names, GError **error);
bool zg_viewed_mark(const struct zg_viewed *viewed, unsigned count, const char *rule, GError **error);
bool zg_viewed_source(const struct zg_viewed *viewed, unsigned count, int64_t address, GError **error);

#endif
