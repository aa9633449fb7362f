/* SPDX-License-Identifier: MIT */
#include "analysis/changes.h"

static void change_free(gpointer data)
{
    struct zg_change *change = data;
    g_free(change->text);
    g_free(change);
}

struct zg_change *zgi_changed(struct zgi_comparison *comparison, enum zg_verdict verdict, unsigned first,
                              struct zg_place before, struct zg_place after, const char *format, ...)
{
    struct zg_change *change = g_new0(struct zg_change, 1);
    va_list arguments;

    *change = (struct zg_change){ .verdict = verdict, .first = first, .before = before, .after = after };
    va_start(arguments, format);
    change->text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_ptr_array_add(comparison->changes, change);
    return change;
}

const char *zg_verdict_name(enum zg_verdict verdict)
{
    static const char *const names[] = { "same", "compatible", "breaking" };
    return names[verdict];
}

enum zg_verdict zg_compare_verdict(const GPtrArray *changes, unsigned *first)
{
    enum zg_verdict worst = ZG_SAME;

    *first = 0;
    for (unsigned i = 0; i < changes->len; i++) {
        const struct zg_change *change = g_ptr_array_index(changes, i);
        worst = MAX(worst, change->verdict);
        *first |= change->first;
    }
    if (worst == ZG_BREAKING)
        *first = 0;
    return worst;
}

GPtrArray *zgi_changes_new(void)
{
    return g_ptr_array_new_with_free_func(change_free);
}

unsigned zgi_receivers(enum zg_side from)
{
    return (from & ZG_SIDE_DEVICE ? ZG_SIDE_HOST : 0U) | (from & ZG_SIDE_HOST ? ZG_SIDE_DEVICE : 0U);
}
