/* SPDX-License-Identifier: MIT */
/* Tags: where a payload begins with one, and where it must not. */
#include "generate/c/c.h"

static int longer_first(const void *a, const void *b)
{
    const struct zg_tag *const *first = a, *const *second = b;
    return (int)(*second)->size - (int)(*first)->size;
}

void zgi_c_print_tag(GString *text, const char *lead, const struct zg_tag *tag, const char *bytes)
{
    g_string_append_printf(text, "    %s (length %s %u", lead, tag->whole ? "==" : ">=", tag->size);
    for (unsigned k = 0; k < tag->size; k++)
        g_string_append_printf(text, " && %s[%u] == 0x%02X", bytes, k, tag->bytes[k]);
    g_string_append(text, ")\n");
}

void zgi_c_tags(GString *text, const struct zg_message *message, const char *bytes, const char *found)
{
    g_autoptr(GPtrArray) tags = g_ptr_array_new();

    for (unsigned i = 0; i < message->tags->len; i++)
        g_ptr_array_add(tags, g_ptr_array_index(message->tags, i));
    g_ptr_array_sort(tags, longer_first);
    for (unsigned i = 0; i < tags->len; i++) {
        const struct zg_tag *tag = g_ptr_array_index(tags, i);
        zgi_c_print_tag(text, i == 0 ? "if" : "else if", tag, bytes);
        g_string_append_printf(text, "        %s%u;\n", found, tag->size);
    }
}

/* A payload without a tag must not begin with one of another message. */
void zgi_c_mistaken(const struct zgi_c *c, GString *text, const struct zg_message *message)
{
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *other = zg_plan_message_at(c->plan, i)->message;
        for (unsigned k = 0; k < other->tags->len && (other->from & message->from); k++) {
            const struct zg_tag *tag = g_ptr_array_index(other->tags, k);
            g_string_append_printf(text, "    if (*size %s %u", tag->whole ? "==" : ">=", tag->size);
            for (unsigned at = 0; at < tag->size; at++)
                g_string_append_printf(text, " && out[%u] == 0x%02X", at, tag->bytes[at]);
            g_string_append_printf(text, ") /* it begins like %s */\n        return ZG_ERANGE;\n", other->name);
        }
    }
}
