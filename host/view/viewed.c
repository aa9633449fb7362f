/* SPDX-License-Identifier: MIT */
#include "view/viewed.h"

#include <string.h>

char **zg_viewed_names(const struct zg_plan *const *plans, unsigned count)
{
    char **names = g_new0(char *, count + 1);

    for (unsigned i = 0; i < count; i++) {
        const char *protocol = plans[i]->definition->protocol;
        unsigned before = 0;
        for (unsigned k = 0; k < i; k++)
            before += strcmp(plans[k]->definition->protocol, protocol) == 0;
        names[i] = before > 0 ? g_strdup_printf("%s-%u", protocol, before + 1) : g_strdup(protocol);
    }
    return names;
}

unsigned zg_viewed_width(const struct zg_viewed *viewed, unsigned count)
{
    unsigned width = 0;

    for (unsigned i = 0; i < count; i++)
        width = MAX(width, viewed[i].name ? (unsigned)strlen(viewed[i].name) : 0);
    return width;
}

/* The device with whose name, and a colon, a text begins; NULL: with none. `*rest` is what follows. */
static const struct zg_viewed *named(const struct zg_viewed *viewed, unsigned count, const char *text,
                                     const char **rest)
{
    for (unsigned i = 0; i < count; i++) {
        const size_t length = viewed[i].name ? strlen(viewed[i].name) : 0;
        if (length > 0 && strncmp(viewed[i].name, text, length) == 0 && text[length] == ':') {
            *rest = text + length + 1;
            return &viewed[i];
        }
    }
    *rest = text;
    return NULL;
}

/* Does something with the selection of each device, or of the one that is named. `did` (NULL: nobody asks) tells with
 * which it could be done. False, with all reasons: with none. */
static bool apply(const struct zg_viewed *viewed, unsigned count, const char *text,
                  bool (*function)(struct zg_selection *selection, const char *text, GError **error), bool *did,
                  GError **error)
{
    g_autoptr(GString) reasons = g_string_new(NULL);
    const char *rest;
    const struct zg_viewed *only = named(viewed, count, text, &rest);
    bool any = false;

    for (unsigned i = 0; i < count; i++) {
        g_autoptr(GError) reason = NULL;
        if (only && only != &viewed[i])
            continue;
        if (function(viewed[i].selection, rest, &reason)) {
            any = true;
            if (did)
                did[i] = true;
        } else if (!strstr(reasons->str, reason->message)) {
            g_string_append_printf(reasons, "%s%s", reasons->len > 0 ? "; " : "", reason->message);
        }
    }
    if (!any)
        g_set_error_literal(error, ZG_SELECTION_ERROR, 0, reasons->str);
    return any;
}

bool zg_viewed_show(const struct zg_viewed *viewed, unsigned count, const char *const *names, GError **error)
{
    g_autofree bool *did = g_new0(bool, count);

    for (const char *const *name = names; name && *name; name++)
        if (!apply(viewed, count, *name, zg_selection_show, did, error))
            return false;
    for (unsigned i = 0; i < count && names && *names; i++)
        if (!did[i])
            zg_selection_show_nothing(viewed[i].selection);
    return true;
}

bool zg_viewed_mark(const struct zg_viewed *viewed, unsigned count, const char *rule, GError **error)
{
    return apply(viewed, count, rule, zg_selection_mark, NULL, error);
}

static bool show_source(struct zg_selection *selection, const char *digits, GError **error)
{
    return zg_selection_source(selection, g_ascii_strtoll(digits, NULL, 10), error);
}

bool zg_viewed_source(const struct zg_viewed *viewed, unsigned count, int64_t address, GError **error)
{
    g_autofree char *digits = g_strdup_printf("%" G_GINT64_FORMAT, address);

    return apply(viewed, count, digits, show_source, NULL, error);
}
