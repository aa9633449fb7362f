/* SPDX-License-Identifier: MIT */
/* Which message a payload is, where no header says so: by the longest tag with which it begins, or by what fits. */
#include "generate/c/c.h"

/* How well a message without a tag fits. */
static void print_fit(const struct zgi_c *c, GString *text, const struct zg_message *message)
{
    zgi_c_emit(c, text, message->name,
               "static unsigned @p_@s_fit_@n(const uint8_t *payload, size_t length, size_t *ignored)\n{\n    struct "
               "@p_@n message;\n\n    if (@p_@n_unpack(&message, payload, length, ignored) != 0)\n        return 0;\n"
               "    return 1U + (*ignored == 0 ? 2U : 0U) + ");
    zgi_c_emit(c, text, message->name,
               message->constants->len > 0 ? "4U + (@p_@n_check(&message) == 0 ? 8U : 0U);\n}\n\n"
                                           : "(@p_@n_check(&message) == 0 ? 8U : 0U);\n}\n\n");
}

/* Of several messages without a tag, the one that answers the open request, or fits best: whole, told apart by a
 * constant, with values in their ranges; of equal ones that with the fewest unknown characters. */
static void print_best(const struct zgi_c *c, GString *functions, GString *cases, const GPtrArray *bare)
{
    for (unsigned i = 0; i < bare->len; i++) {
        const struct zg_message *message = g_ptr_array_index(bare, i);
        print_fit(c, functions, message);
        zgi_c_emit(c, cases, message->name, "    fit = @p_@s_fit_@n(payload, length, &ignored);\n");
        zgi_c_query_prefer(c, cases, message);
        g_string_append_printf(cases,
                               "    if (fit > best || (fit > 0 && fit == best && ignored < least)) {\n        best = "
                               "fit;\n        least = ignored;\n        which = %u;\n    }\n",
                               i);
    }
    g_string_append(cases, "    switch (which) {\n");
    for (unsigned i = 1; i < bare->len; i++) {
        g_string_append_printf(cases, "    case %u: ", i);
        zgi_c_emit(c, cases, ((const struct zg_message *)g_ptr_array_index(bare, i))->name,
                   "return @p_@s_take_@n(node, frame, payload, length);\n");
    }
    zgi_c_emit(c, cases, ((const struct zg_message *)g_ptr_array_index(bare, 0))->name,
               "    default: return @p_@s_take_@n(node, frame, payload, length);\n    }\n");
}

void zgi_c_choice(const struct zgi_c *c, GString *functions, GString *cases, const char *unknown)
{
    g_autoptr(GArray) all = zgi_c_tags_of(c->plan, zg_receivers(c->side));
    g_autoptr(GPtrArray) bare = g_ptr_array_new();

    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        if ((message->from & zg_receivers(c->side)) && message->tags->len == 0)
            g_ptr_array_add(bare, (gpointer)message);
    }
    if (bare->len > 1)
        g_string_append(cases, "    unsigned best = 0, which = 0, fit;\n    size_t least = 0, ignored = 0;\n\n");
    for (unsigned i = 0; i < all->len; i++) {
        const struct zgi_told *told = &g_array_index(all, struct zgi_told, i);
        zgi_c_print_tag(cases, "if", told->tag, "payload");
        zgi_c_emit(c, cases, told->item->message->name,
                   "        return @p_@s_take_@n(node, frame, payload, length);\n");
    }
    if (bare->len > 1) {
        print_best(c, functions, cases, bare);
    } else if (bare->len == 1) {
        zgi_c_emit(c, cases, ((const struct zg_message *)g_ptr_array_index(bare, 0))->name,
                   "    return @p_@s_take_@n(node, frame, payload, length);\n");
    } else if (all->len > 0) {
        g_string_append(cases, "    return ");
        zgi_c_emit(c, cases, NULL, unknown);
        g_string_append(cases, ";\n");
    }
}
