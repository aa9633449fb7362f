/* SPDX-License-Identifier: MIT */
#include "analysis/compare.h"

#include <string.h>

#include "analysis/compare_blocks.h"
#include "analysis/compare_texts.h"

static const struct zg_place nowhere = { 0, 0 };

/* --- line and frame: what every frame depends on */

static void compare_line(struct zgi_comparison *comparison)
{
    const struct zg_line *before = &comparison->before->definition->line;
    const struct zg_line *after = &comparison->after->definition->line;

    g_autofree char *old = zg_line_text(before), *new = zg_line_text(after);

    if (before->baud != after->baud || strcmp(old, new) != 0)
        zgi_changed(comparison, ZG_BREAKING, 0, before->place, after->place,
                    "the line's baud or format changed; no byte arrives as it was sent");
    if (before->half_duplex != after->half_duplex)
        zgi_changed(comparison, ZG_BREAKING, 0, before->place, after->place,
                    "the line became %s duplex; an end with the %s definition talks into the other's frames",
                    after->half_duplex ? "half" : "full", after->half_duplex ? "old" : "new");
}

static bool same_mark(const struct zg_mark *a, const struct zg_mark *b)
{
    return a->size == b->size && memcmp(a->bytes, b->bytes, a->size) == 0;
}

/* More marks that a receiver takes make no difference to what is sent. */
static bool same_ends(const struct zg_framing_choice *a, const struct zg_framing_choice *b)
{
    return same_mark(&a->end, &b->end) && zg_framing_is_sided(a) == zg_framing_is_sided(b) &&
           (!zg_framing_is_sided(a) || same_mark(&a->host_end, &b->host_end));
}

/* The case of digits that are sent makes no difference. */
static bool same_check_form(const struct zg_check_choice *a, const struct zg_check_choice *b)
{
    return a->as == b->as && a->after_end == b->after_end && same_mark(&a->after, &b->after);
}

static bool same_check(const struct zg_plan *before, const struct zg_plan *after)
{
    const struct zg_crc_parameters *a = &before->definition->check.crc, *b = &after->definition->check.crc;

    return before->definition->check.kind == after->definition->check.kind &&
           before->definition->check.sum == after->definition->check.sum &&
           before->definition->check.covers == after->definition->check.covers && a->width == b->width &&
           a->poly == b->poly && a->init == b->init && a->reflect_in == b->reflect_in &&
           a->reflect_out == b->reflect_out && a->xor_out == b->xor_out &&
           same_check_form(&before->definition->check, &after->definition->check) &&
           (before->check.size <= 1 || before->definition->check.as != ZG_CHECK_AS_BYTES ||
            before->check.big_endian == after->check.big_endian);
}

static bool same_role(const struct zg_step *a, const struct zg_step *b)
{
    return a->role->role == b->role->role && a->bits == b->bits && a->byte == b->byte && a->bit == b->bit &&
           (a->bits == 8 || a->big_endian == b->big_endian) && a->role->value == b->role->value &&
           a->role->counts == b->role->counts &&
           (a->role->counts != ZG_COUNTS_FROM || (a->role->from == b->role->from && a->role->plus == b->role->plus));
}

/* Whether each end finds the other's frames. What only a sender does (HDLC's control characters) does not count, nor a
 * lead that all receivers can do without. */
static bool same_framing(const struct zg_plan *before, const struct zg_plan *after)
{
    const struct zg_framing_choice *a = &before->definition->framing, *b = &after->definition->framing;

    return a->kind == b->kind && !a->coding == !b->coding && same_mark(&a->start, &b->start) && same_ends(a, b) &&
           a->marking == b->marking && a->escape == b->escape &&
           (a->marking != ZG_MARKING_ESCAPED || a->escape_xor == b->escape_xor) && a->size == b->size &&
           before->gap_ns == after->gap_ns && before->sized == after->sized &&
           (!before->sized || before->max_content == after->max_content);
}

static void compare_framing(struct zgi_comparison *comparison)
{
    const struct zg_framing_choice *old = &comparison->before->definition->framing;
    const struct zg_framing_choice *new = &comparison->after->definition->framing;
    g_autofree char *was = zg_framing_text(old), *is = zg_framing_text(new);

    if (!same_framing(comparison->before, comparison->after))
        zgi_changed(comparison, ZG_BREAKING, 0, old->place, new->place,
                    "the framing, %s, became %s; neither end finds the other's frames", was, is);
    else if (old->lead != new->lead)
        zgi_changed(comparison, ZG_COMPATIBLE, 0, old->place, new->place,
                    "the framing, %s, became %s; one delimiter more or fewer does no harm", was, is);
    else if (old->ignores != new->ignores || memcmp(old->ignored, new->ignored, old->ignores) != 0)
        zgi_changed(comparison, ZG_COMPATIBLE, 0, old->place, new->place,
                    "the framing, %s, became %s; text that holds a byte which only one end ignores arrives without it",
                    was, is);
}

static void compare_header(struct zgi_comparison *comparison)
{
    const struct zg_plan *before = comparison->before, *after = comparison->after;
    unsigned count = MAX(before->header.steps->len, after->header.steps->len);

    for (unsigned i = 0; i < count; i++) {
        const struct zg_step *old = i < before->header.steps->len ? zg_block_step(&before->header, i) : NULL;
        const struct zg_step *new = i < after->header.steps->len ? zg_block_step(&after->header, i) : NULL;
        if (old && new &&same_role(old, new))
            continue;
        zgi_changed(comparison, ZG_BREAKING, 0, old ? old->role->place : nowhere, new ? new->role->place : nowhere,
                    "the header differs from its role %u on, %s; neither end understands the other's frames", i + 1,
                    new ? new->name : old->name);
        return;
    }
}

static void compare_frame(struct zgi_comparison *comparison)
{
    const struct zg_plan *before = comparison->before, *after = comparison->after;
    const struct zg_definition *old = before->definition, *new = after->definition;

    compare_line(comparison);
    if (old->big_endian != new->big_endian)
        zgi_changed(comparison, ZG_BREAKING, 0, old->frame_place, new->frame_place,
                    "the frame's byte order became %s; each end reads the bytes of numbers in reverse order",
                    new->big_endian ? "big" : "little");
    compare_framing(comparison);
    compare_header(comparison);
    if (!same_check(before, after))
        zgi_changed(comparison, ZG_BREAKING, 0, old->check.place, new->check.place,
                    "the check changed; every frame of the other end fails it");
    if (before->version_bits > 0 && before->version_bits == after->version_bits && before->version != after->version)
        zgi_changed(
            comparison, ZG_BREAKING, 0, old->version_place, new->version_place,
            "the major version, %u, became %u; every frame of the other end is dropped as being of another version",
            old->major, new->major);
}

/* --- messages */

/* Whether both are in frames, or both the same bytes outside them. */
static bool same_bare(const struct zg_plan_message *a, const struct zg_plan_message *b)
{
    const struct zg_tag *one = zg_plan_tag(a), *other = zg_plan_tag(b);

    return a->message->bare == b->message->bare &&
           (!a->message->bare || (one->size == other->size && memcmp(one->bytes, other->bytes, one->size) == 0));
}

/* The one that is the same bytes outside frames. */
static const struct zg_plan_message *bare_like(const struct zg_plan *plan, const struct zg_plan_message *item)
{
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *other = zg_plan_message_at(plan, i);
        if (other->message->bare && (other->message->from & item->message->from) != 0 && same_bare(other, item))
            return other;
    }
    return NULL;
}

/* The message of another plan that is told like this one: by its id, or by the tag that it is sent with. */
static const struct zg_plan_message *told_like(const struct zg_plan *plan, const struct zg_plan_message *item)
{
    const struct zg_tag *tag = zg_plan_tag(item);

    if (item->message->bare)
        return bare_like(plan, item);
    const struct zg_plan_message *other =
        zg_plan_told(plan, item->message->from, item->message->id, tag ? tag->bytes : NULL, tag ? tag->size : 0);

    return other && (plan->id_bits > 0 || other->message->tags->len > 0) ? other : NULL;
}

/* Whether a message is known by the tag, or the lack of one, with which the other is sent. */
static bool knows(const struct zg_plan_message *item, const struct zg_plan_message *sent)
{
    const struct zg_tag *tag = zg_plan_tag(sent);
    const struct zg_tag *own = tag ? zg_message_tag(item->message, tag->bytes, tag->size) : NULL;

    return tag ? own && own->size == tag->size : item->message->tags->len == 0;
}

/* "id 7", or "the tag of pick". Free with g_free(). */
static char *told_by(const struct zg_plan *plan, const struct zg_plan_message *item)
{
    if (item->message->bare)
        return g_strdup_printf("the bytes of %s", item->message->name);
    return plan->id_bits > 0 ? g_strdup_printf("id %" G_GUINT64_FORMAT, item->message->id)
                             : g_strdup_printf("the tag of %s", item->message->name);
}

static void compare_tags(struct zgi_comparison *comparison, const struct zg_plan_message *before,
                         const struct zg_plan_message *after)
{
    const struct zg_message *old = before->message, *new = after->message;
    const bool old_knows = knows(before, after), new_knows = knows(after, before);

    if (!same_bare(before, after))
        zgi_changed(comparison, ZG_BREAKING, 0, old->place, new->place,
                    "%s is other bytes outside frames, or no longer outside them; the other end does not know it",
                    new->name);
    if (old->bare || new->bare || comparison->before->id_bits > 0 || comparison->after->id_bits > 0)
        return;
    if (!old_knows && !new_knows)
        zgi_changed(comparison, ZG_BREAKING, 0, old->place, new->place,
                    "%s begins with another tag; the other end does not know it", new->name);
    else if (!old_knows)
        zgi_changed(comparison, ZG_COMPATIBLE, zg_receivers(new->from), old->place, new->place,
                    "%s is sent with a tag that an old end does not know", new->name);
    else if (!new_knows)
        zgi_changed(comparison, ZG_COMPATIBLE, new->from, old->place, new->place,
                    "%s was sent with a tag that a new end does not know", new->name);
}

static void compare_senders(struct zgi_comparison *comparison, const struct zg_message *before,
                            const struct zg_message *after)
{
    unsigned lost = before->from & ~(unsigned)after->from, won = after->from & ~(unsigned)before->from;

    if (lost)
        zgi_changed(comparison, ZG_BREAKING, 0, before->place, after->place,
                    "%s is no longer sent by the %s; the other end misses it", after->name,
                    zg_side_name((enum zg_side)lost));
    if (won)
        zgi_changed(comparison, ZG_COMPATIBLE, zg_receivers((enum zg_side)won), before->place, after->place,
                    "%s is now also sent by the %s; an old end drops it", after->name, zg_side_name((enum zg_side)won));
}

static bool same_names(const GPtrArray *a, const GPtrArray *b)
{
    for (unsigned i = 0; i < a->len && i < b->len; i++)
        if (strcmp(g_ptr_array_index(a, i), g_ptr_array_index(b, i)) != 0)
            return false;
    return a->len == b->len;
}

static void compare_tickets(struct zgi_comparison *comparison, const struct zg_plan_message *before,
                            const struct zg_plan_message *after)
{
    const struct zg_message *old = before->message, *new = after->message;

    if (before->tickets != after->tickets)
        zgi_changed(comparison, ZG_BREAKING, 0, old->place, new->place,
                    "%s begins with %u byte%s of ticket instead of %u; every field is read from other bytes", new->name,
                    after->tickets, after->tickets == 1 ? "" : "s", before->tickets);
    else if (!same_names(old->replies, new->replies) || !same_names(old->lines, new->lines) ||
             old->acknowledged != new->acknowledged)
        zgi_changed(comparison, ZG_BREAKING, 0, old->place, new->place,
                    "%s is answered differently; its sender waits for what does not come", new->name);
}

/* Whether the largest payload that one end sends fits the other's receiver. */
static void compare_sizes(struct zgi_comparison *comparison, const struct zg_plan_message *before,
                          const struct zg_plan_message *after)
{
    unsigned old_room = comparison->before->max_payload, new_room = comparison->after->max_payload;
    enum zg_side from = (enum zg_side)(before->message->from & after->message->from);

    if (before->message->bare || after->message->bare)
        return;
    if (after->payload_most > old_room)
        zgi_changed(comparison, ZG_COMPATIBLE, zg_receivers(from), before->message->place, after->message->place,
                    "%s can take %u bytes, an old end receives %u; longer ones are lost there", after->message->name,
                    after->payload_most, old_room);
    if (before->payload_most > new_room)
        zgi_changed(comparison, ZG_COMPATIBLE, from, before->message->place, after->message->place,
                    "%s could take %u bytes, a new end receives %u; longer ones are lost there", after->message->name,
                    before->payload_most, new_room);
}

static void compare_messages(struct zgi_comparison *comparison, const struct zg_plan_message *before,
                             const struct zg_plan_message *after)
{
    const struct zg_message *old = before->message, *new = after->message;

    if (strcmp(old->name, new->name) != 0)
        zgi_changed(comparison, ZG_SAME, 0, old->place, new->place, "%s was named %s", new->name, old->name);
    if (comparison->before->id_bits > 0 && old->id != new->id && !old->bare && !new->bare)
        zgi_changed(comparison, ZG_BREAKING, 0, old->id_place, new->id_place,
                    "id %" G_GUINT64_FORMAT " of %s became %" G_GUINT64_FORMAT "; the other end does not know it",
                    old->id, new->name, new->id);
    compare_tags(comparison, before, after);
    compare_senders(comparison, old, new);
    compare_tickets(comparison, before, after);
    compare_sizes(comparison, before, after);
    if (before->text || after->text)
        zgi_compare_texts(comparison, before, after);
    else
        zgi_compare_blocks(comparison, new->name, &before->payload, &after->payload,
                           (enum zg_side)(old->from | new->from), old->place, new->place);
}

static struct zgi_comparison comparison_new(const struct zg_plan *before, const struct zg_plan *after)
{
    return (struct zgi_comparison){ before, after, zgi_changes_new(),
                                    g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL),
                                    g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL) };
}

/* Ends a comparison and returns its changes. */
static GPtrArray *comparison_end(struct zgi_comparison *comparison)
{
    g_hash_table_unref(comparison->noted);
    g_hash_table_unref(comparison->records);
    return comparison->changes;
}

/* A message of another name under an old id: renamed if its bytes are the same, otherwise a different message. */
static void compare_renamed(struct zgi_comparison *comparison, const struct zg_plan_message *before,
                            const struct zg_plan_message *after)
{
    struct zgi_comparison trial = comparison_new(comparison->before, comparison->after);
    unsigned first;

    compare_messages(&trial, before, after);
    g_autoptr(GPtrArray) found = comparison_end(&trial);
    if (zg_compare_verdict(found, &first) == ZG_BREAKING) {
        g_autofree char *what = told_by(comparison->after, after);
        zgi_changed(comparison, ZG_BREAKING, 0, before->message->id_place, after->message->id_place,
                    "%s was %s and is %s, whose fields differ; each end mistakes one for the other", what,
                    before->message->name, after->message->name);
        return;
    }
    for (unsigned i = 0; i < found->len; i++) {
        const struct zg_change *change = g_ptr_array_index(found, i);
        zgi_changed(comparison, change->verdict, change->first, change->before, change->after, "%s", change->text);
    }
}

static const struct zg_plan_message *partner_of(const struct zgi_comparison *comparison,
                                                const struct zg_plan_message *after)
{
    const struct zg_plan_message *named = zg_plan_by_name(comparison->before, after->message->name);
    const struct zg_plan_message *same_id = told_like(comparison->before, after);

    if (named || !same_id || zg_plan_by_name(comparison->after, same_id->message->name))
        return named;
    return same_id;
}

static void compare_all_messages(struct zgi_comparison *comparison)
{
    const struct zg_plan *before = comparison->before, *after = comparison->after;
    g_autoptr(GHashTable) kept = g_hash_table_new(NULL, NULL);

    for (unsigned i = 0; i < after->messages->len; i++) {
        const struct zg_plan_message *new = zg_plan_message_at(after, i);
        const struct zg_plan_message *old = partner_of(comparison, new);
        const struct zg_plan_message *other = told_like(before, new);
        if (old) {
            g_hash_table_add(kept, (gpointer)old);
            if (strcmp(old->message->name, new->message->name) == 0)
                compare_messages(comparison, old, new);
            else
                compare_renamed(comparison, old, new);
        } else if (other) {
            g_autofree char *what = told_by(after, new);
            zgi_changed(comparison, ZG_BREAKING, 0, other->message->id_place, new->message->id_place,
                        "%s was %s and is %s; each end mistakes one for the other", what, other->message->name,
                        new->message->name);
        } else {
            zgi_changed(comparison, ZG_COMPATIBLE, zg_receivers(new->message->from), nowhere, new->message->place,
                        "the message %s is new; an end with the old definition drops it", new->message->name);
        }
    }
    for (unsigned i = 0; i < before->messages->len; i++) {
        const struct zg_plan_message *old = zg_plan_message_at(before, i);
        if (!g_hash_table_contains(kept, old))
            zgi_changed(comparison, ZG_BREAKING, 0, old->message->place, nowhere,
                        "the message %s is gone; an end with the new definition drops it and sends none",
                        old->message->name);
    }
}

/* --- variables */

static const struct zg_plan_variable *variable_named(const struct zg_plan *plan, const char *name)
{
    for (unsigned i = 0; i < plan->variables->len; i++)
        if (strcmp(zg_plan_variable_at(plan, i)->name, name) == 0)
            return zg_plan_variable_at(plan, i);
    return NULL;
}

static void compare_variable(struct zgi_comparison *comparison, const struct zg_plan_variable *before,
                             const struct zg_plan_variable *after)
{
    const struct zg_variable *old = before->variable, *new = after->variable;
    struct zg_place old_place = zg_variable_field(old)->place, new_place = zg_variable_field(new)->place;
    unsigned lost = old->access & ~(unsigned)new->access, won = new->access & ~(unsigned)old->access;

    if (old->index != new->index)
        zgi_changed(comparison, ZG_BREAKING, 0, old->index_place, new->index_place,
                    "index %u of %s became %u; to each end it is another variable", old->index, after->name,
                    new->index);
    if (lost)
        zgi_changed(comparison, ZG_BREAKING, 0, old_place, new_place,
                    "a host may no longer %s %s; an old host is refused", zg_access_name((enum zg_access)lost),
                    after->name);
    if (won)
        zgi_changed(comparison, ZG_COMPATIBLE, ZG_SIDE_DEVICE, old_place, new_place,
                    "a host may now %s %s; an old device refuses it", zg_access_name((enum zg_access)won), after->name);
    zgi_compare_blocks(comparison, after->name, &before->block, &after->block, ZG_SIDE_BOTH, old_place, new_place);
}

static void compare_variables(struct zgi_comparison *comparison)
{
    const struct zg_plan *before = comparison->before, *after = comparison->after;

    for (unsigned i = 0; i < after->variables->len; i++) {
        const struct zg_plan_variable *new = zg_plan_variable_at(after, i);
        const struct zg_plan_variable *old = variable_named(before, new->name);
        if (old)
            compare_variable(comparison, old, new);
        else
            zgi_changed(comparison, ZG_COMPATIBLE, ZG_SIDE_DEVICE, nowhere, zg_variable_field(new->variable)->place,
                        "%s is new; an old device refuses it", new->name);
    }
    for (unsigned i = 0; i < before->variables->len; i++) {
        const struct zg_plan_variable *old = zg_plan_variable_at(before, i);
        if (!variable_named(after, old->name))
            zgi_changed(comparison, ZG_BREAKING, 0, zg_variable_field(old->variable)->place, nowhere,
                        "%s is gone; a new device refuses it", old->name);
    }
}

static int by_place(gconstpointer a, gconstpointer b)
{
    const struct zg_change *left = *(const struct zg_change *const *)a, *right = *(const struct zg_change *const *)b;
    bool left_old = left->after.line == 0, right_old = right->after.line == 0;
    struct zg_place l = left_old ? left->before : left->after, r = right_old ? right->before : right->after;

    if (left_old != right_old)
        return left_old ? 1 : -1;
    if (l.line != r.line)
        return l.line < r.line ? -1 : 1;
    return (l.column > r.column) - (l.column < r.column);
}

GPtrArray *zg_compare(const struct zg_plan *before, const struct zg_plan *after)
{
    struct zgi_comparison comparison = comparison_new(before, after);

    compare_frame(&comparison);
    compare_all_messages(&comparison);
    compare_variables(&comparison);
    GPtrArray *changes = comparison_end(&comparison);
    g_ptr_array_sort(changes, by_place);
    return changes;
}
