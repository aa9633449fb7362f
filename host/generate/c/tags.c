/* SPDX-License-Identifier: MIT */
/* What stands in a payload and must not: another message's tag in front, an end mark anywhere. */
#include "generate/c/c.h"

static int longer_first(const void *a, const void *b)
{
    const struct zg_tag *const *first = a, *const *second = b;
    return (int)(*second)->size - (int)(*first)->size;
}

static int longer_told_first(const void *a, const void *b)
{
    return (int)((const struct zgi_told *)b)->tag->size - (int)((const struct zgi_told *)a)->tag->size;
}

GArray *zgi_c_tags_of(const struct zg_plan *plan, enum zg_side from)
{
    GArray *all = g_array_new(FALSE, FALSE, sizeof(struct zgi_told));

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        for (unsigned k = 0; k < item->message->tags->len && (item->message->from & from) && !item->message->bare;
             k++) {
            const struct zgi_told told = { item, g_ptr_array_index(item->message->tags, k) };
            g_array_append_val(all, told);
        }
    }
    g_array_sort(all, longer_told_first);
    return all;
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
        for (unsigned k = 0; k < other->tags->len && (other->from & message->from) && !other->bare; k++) {
            const struct zg_tag *tag = g_ptr_array_index(other->tags, k);
            g_string_append_printf(text, "    if (*size %s %u", tag->whole ? "==" : ">=", tag->size);
            for (unsigned at = 0; at < tag->size; at++)
                g_string_append_printf(text, " && out[%u] == 0x%02X", at, tag->bytes[at]);
            g_string_append_printf(text, ") /* it begins like %s */\n        return ZG_ERANGE;\n", other->name);
        }
    }
}

static bool is_text(const struct zg_step *step)
{
    return step->type.kind == ZG_KIND_TEXT;
}

bool zgi_c_must_be_carried(const struct zg_plan *plan, const struct zg_plan_message *item)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;

    return ((plan->searched && !item->fixed_end) || (framing->ignores > 0 && !framing->coding)) &&
           zg_block_any_step(&item->payload, is_text);
}

static void print_mark_check(GString *text, const uint8_t *bytes, unsigned size)
{
    g_string_append(text, "    {\n        static const uint8_t mark[] = { ");
    for (unsigned i = 0; i < size; i++)
        g_string_append_printf(text, "%s0x%02X", i > 0 ? ", " : "", bytes[i]);
    g_string_append(text, " };\n        if (zg_holds_mark(out, *size, mark, sizeof mark))\n            "
                          "return ZG_ERANGE;\n    }\n");
}

void zgi_c_carried(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    const struct zg_framing_choice *framing = &c->plan->definition->framing;
    const struct zg_mark *ends[ZG_ALSO_MOST + 2];
    const unsigned count = c->plan->searched && !item->fixed_end ? zg_framing_ends(framing, ends) : 0;

    for (unsigned k = 0; k < count; k++)
        print_mark_check(text, ends[k]->bytes, ends[k]->size);
    for (unsigned i = 0; i < framing->ignores && !framing->coding; i++)
        print_mark_check(text, &framing->ignored[i], 1);
}
