/* SPDX-License-Identifier: MIT */
#include "view/in_order.h"

struct held {
    guint64 at_ns;
    GString *text;
};

struct zg_in_order {
    GQueue held; /* struct held *, by time */
};

static void free_held(gpointer data)
{
    struct held *held = data;

    g_string_free(held->text, TRUE);
    g_free(held);
}

struct zg_in_order *zg_in_order_new(void)
{
    return g_new0(struct zg_in_order, 1);
}

void zg_in_order_free(struct zg_in_order *texts)
{
    if (!texts)
        return;
    g_queue_clear_full(&texts->held, free_held);
    g_free(texts);
}

bool zg_in_order_is_empty(const struct zg_in_order *texts)
{
    return texts->held.length == 0;
}

void zg_in_order_add(struct zg_in_order *texts, guint64 at_ns, const char *text, gsize length)
{
    struct held *held = g_new(struct held, 1);
    GList *before = texts->held.tail; /* the usual place */

    *held = (struct held){ at_ns, g_string_new_len(text, (gssize)length) };
    while (before && ((const struct held *)before->data)->at_ns > at_ns)
        before = before->prev;
    if (before)
        g_queue_insert_after(&texts->held, before, held);
    else
        g_queue_push_head(&texts->held, held);
}

void zg_in_order_take(struct zg_in_order *texts, guint64 until_ns, GString *taken)
{
    for (struct held *first; (first = g_queue_peek_head(&texts->held)) && first->at_ns <= until_ns;) {
        g_string_append_len(taken, first->text->str, (gssize)first->text->len);
        free_held(g_queue_pop_head(&texts->held));
    }
}
