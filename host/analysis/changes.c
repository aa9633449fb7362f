/* SPDX-License-Identifier: MIT */
#include "analysis/changes.h"

static void change_free(gpointer data)
{
    struct zg_change *change = data;
    g_free(change->text);
    g_free(change);
}

void zgi_changed(struct zgi_comparison *comparison, enum zg_verdict verdict, unsigned first, struct zg_place before,
                 struct zg_place after, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    char *key = g_strdup_printf("%u:%u %u:%u %s", before.line, before.column, after.line, after.column, text);
    struct zg_change *change = g_hash_table_lookup(comparison->noted, key);
    if (change) {
        change->first |= first;
        g_free(key);
        return;
    }
    change = g_new0(struct zg_change, 1);
    *change = (struct zg_change){ verdict, first, before, after, g_steal_pointer(&text) };
    g_hash_table_insert(comparison->noted, key, change);
    g_ptr_array_add(comparison->changes, change);
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
