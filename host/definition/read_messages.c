/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

enum { UNSAID = 1000 }; /* retries that were not given */

/* A message being read. */
struct message_reading {
    const struct zg_definition *definition;
    struct zg_message *message;
};

static void read_id(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_message *message = ((struct message_reading *)into)->message;
    message->id_place = zgi_place(entry->value);
    message->identified = zgi_read_unsigned(reader, entry->value, "an id", 0, UINT32_MAX, &message->id);
}

static void add_tag(struct zgi_reader *reader, yaml_node_t *node, struct zg_message *message)
{
    struct zg_tag *tag = g_new0(struct zg_tag, 1);

    tag->place = zgi_place(node);
    if (zgi_read_bytes(reader, node, "a tag", ZG_TAG_MAX, tag->bytes, &tag->size) && tag->size == 0)
        zgi_error(reader->diagnostics, tag->place, "a tag has one byte or more; without one, leave the key out");
    g_ptr_array_add(message->tags, tag);
}

static void read_tag(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    add_tag(reader, entry->value, ((struct message_reading *)into)->message);
}

static void read_bare(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_message *message = ((struct message_reading *)into)->message;
    struct zg_tag *tag = g_new0(struct zg_tag, 1);

    message->bare = true;
    message->bare_place = tag->place = zgi_place(entry->value);
    tag->whole = true;
    if (zgi_read_bytes(reader, entry->value, "bare", ZG_MARK_MAX, tag->bytes, &tag->size) && tag->size == 0)
        zgi_error(reader->diagnostics, tag->place, "a bare message has one byte or more");
    g_ptr_array_insert(message->tags, 0, tag);
}

static void read_tags(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    g_autoptr(GPtrArray) items = zgi_items(reader, entry->value, "a list of tags, [\"T=\", \"t=\"]");

    for (unsigned i = 0; items && i < items->len; i++)
        add_tag(reader, g_ptr_array_index(items, i), ((struct message_reading *)into)->message);
}

static void read_from(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const sides[] = { "device", "host", "both", NULL };
    struct message_reading *reading = into;
    unsigned index;

    if (zgi_read_choice(reader, entry->value, "a sender", sides, &index))
        reading->message->from = (enum zg_side)(index + 1);
}

static void read_every(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_message *message = ((struct message_reading *)into)->message;
    const char *text = zgi_scalar(reader, entry->value, "a period (80 ms) or on_change");

    if (!text || strcmp(text, "on_change") == 0)
        return;
    if (!zg_parse_time(text, &message->every_ns) || message->every_ns == 0)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "expected a period (80 ms) or on_change, found \"%s\"",
                  text);
}

static void read_message_summary(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_keep_text(reader, entry, &((struct message_reading *)into)->message->summary);
}

static void read_fields(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct message_reading *reading = into;
    zgi_read_fields(reader, entry->value, reading->definition, reading->message->fields, reading->message->constants,
                    NULL);
}

static void read_message_layout(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_layout(reader, entry->value, false, &((struct message_reading *)into)->message->layout);
}

/* One name, or a list of them. */
static void read_names(struct zgi_reader *reader, yaml_node_t *node, const char *expected, GPtrArray *names)
{
    if (node->type != YAML_SEQUENCE_NODE) {
        const char *name = zgi_scalar(reader, node, expected);
        if (name)
            g_ptr_array_add(names, g_strdup(name));
        return;
    }
    g_autoptr(GPtrArray) items = zgi_items(reader, node, expected);
    for (unsigned i = 0; items && i < items->len; i++)
        read_names(reader, g_ptr_array_index(items, i), expected, names);
    if (items && items->len == 0)
        zgi_error(reader->diagnostics, zgi_place(node), "the list is empty; expected %s", expected);
}

static void read_lines(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_names(reader, entry->value, "messages that come before the answer",
               ((struct message_reading *)into)->message->lines);
}

static void read_ends(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_names(reader, entry->value, "messages that end the answer",
               ((struct message_reading *)into)->message->replies);
}

const struct zgi_key zgi_reply_keys[] = {
    { "lines", true, read_lines, "names", "Messages of which any number come first" },
    { "end", true, read_ends, "names", "The message that ends the answer, or any of several" },
    { 0 }
};

static void read_reply(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_message *message = ((struct message_reading *)into)->message;

    message->reply_place = zgi_place(entry->value);
    if (entry->value->type == YAML_MAPPING_NODE)
        zgi_read_mapping(reader, entry->value, entry->place, "the reply", zgi_reply_keys, into);
    else
        read_names(reader, entry->value, "the name of the message that answers, or a list of such names",
                   message->replies);
}

static void read_ticket(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "none", NULL };
    struct zg_message *message = ((struct message_reading *)into)->message;
    unsigned index;

    message->ticket_place = entry->place;
    message->ticketless = zgi_read_choice(reader, entry->value, "ticket", words, &index);
}

static void read_delivery(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "acknowledged", NULL };
    struct zg_message *message = ((struct message_reading *)into)->message;
    unsigned index;

    message->delivery_place = entry->place;
    message->acknowledged = zgi_read_choice(reader, entry->value, "delivery", words, &index);
}

static void read_timeout(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_message *message = ((struct message_reading *)into)->message;
    message->resend_place = entry->place;
    zgi_read_clocked_time(reader, entry, &message->timeout_ns);
    if (message->timeout_ns == 0)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "a timeout of 0 leaves no time for an answer");
}

static void read_small(struct zgi_reader *reader, const struct zgi_entry *entry, void *into, uint64_t least,
                       uint64_t most, unsigned *number)
{
    struct zg_message *message = ((struct message_reading *)into)->message;
    uint64_t value;

    message->resend_place = entry->place;
    if (zgi_read_unsigned(reader, entry->value, entry->key, least, most, &value))
        *number = (unsigned)value;
}

static void read_retries(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_small(reader, entry, into, 0, 255, &((struct message_reading *)into)->message->retries);
}

static void read_window(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    ((struct message_reading *)into)->message->window_place = entry->place;
    read_small(reader, entry, into, 1, 8, &((struct message_reading *)into)->message->window);
}

static void read_message_order(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "kept", NULL };
    struct zg_message *message = ((struct message_reading *)into)->message;
    unsigned index;

    message->order_place = entry->place;
    message->kept = zgi_read_choice(reader, entry->value, "a message's order", words, &index);
}

const struct zgi_key zgi_message_keys[] = {
    { "id", false, read_id, "natural", "Number of the message in the header" },
    { "tag", false, read_tag, "tag",
      "Without an id in the header: bytes at the payload's front that tell the message" },
    { "tags", false, read_tags, "tags", "Several such tags, of which the first is sent" },
    { "bare", false, read_bare, "mark", "These bytes are the whole message, outside any frame: ACK, a prompt" },
    { "from", true, read_from, "side", "Who sends it: device, host or both" },
    { "every", false, read_every, "every", "Nominal period, for the budget: a time, or on_change" },
    { "summary", false, read_message_summary, "text", "What the message is for" },
    { "layout", false, read_message_layout, "layout",
      "How the fields are arranged: binary (default), json, { pattern: ... } or { pairs: ... }" },
    { "fields", true, read_fields, "fields", "Its fields, by name, in the order of the payload" },
    { "reply", false, read_reply, "reply",
      "The message that answers it, which makes it a request; or several, any of which does" },
    { "ticket", false, read_ticket, "no_ticket", "none: a request without a ticket, whose answers simply follow it" },
    { "timeout", false, read_timeout, "positive_time", "Time for the answer before it is sent again; default 100 ms" },
    { "retries", false, read_retries, "retries",
      "How often it is sent again, 0 to 255; default 3; without a ticket 0" },
    { "delivery", false, read_delivery, "delivery",
      "acknowledged: it is sent again until its receiver acknowledges it" },
    { "window", false, read_window, "window", "How many may be unacknowledged at a time, 1 to 8; default 4" },
    { "order", false, read_message_order, "kept", "kept: it is delivered in the order of sending" },
    { 0 }
};

static void constant_free(gpointer data)
{
    struct zg_constant *constant = data;
    g_free(constant->name);
    g_free(constant->text);
    g_free(constant);
}

static void message_free(gpointer data)
{
    struct zg_message *message = data;
    g_free(message->name);
    g_free(message->summary);
    g_ptr_array_unref(message->replies);
    g_ptr_array_unref(message->lines);
    g_ptr_array_unref(message->fields);
    g_ptr_array_unref(message->tags);
    g_ptr_array_unref(message->constants);
    zgi_layout_clear(&message->layout);
    g_free(message);
}

static bool is_before(struct zg_place a, struct zg_place b)
{
    return a.line < b.line || (a.line == b.line && a.column < b.column);
}

static void check_id(struct zgi_reader *reader, const struct zg_definition *definition,
                     const struct zg_message *message)
{
    const struct zg_header_role *role = zgi_role(definition, ZG_ROLE_ID);

    if (role && message->id >> role->bits != 0)
        zgi_error(reader->diagnostics, message->id_place,
                  "id %" G_GUINT64_FORMAT " of %s does not fit the header's id, u%u (at most %" G_GUINT64_FORMAT ")",
                  message->id, message->name, role->bits, UINT64_MAX >> (64 - role->bits));
    for (unsigned i = 0; i < definition->messages->len; i++) {
        const struct zg_message *other = g_ptr_array_index(definition->messages, i);
        if (!other->identified || other->id != message->id || (other->from & message->from) == 0)
            continue;
        bool second = !is_before(message->id_place, other->id_place);
        const struct zg_message *first = second ? other : message;
        g_autofree char *where = zgi_where(reader, first->id_place);
        const char *name = second && message->service ? message->name : "";
        zgi_error(reader->diagnostics, second ? message->id_place : other->id_place,
                  "id %" G_GUINT64_FORMAT "%s%s is already taken by %s%s (%s)", message->id, *name ? " of " : "", name,
                  first->name, first->service ? " of the services" : "", where);
    }
}

/* Whether two tags are the same bytes. */
static bool same_tag(const struct zg_tag *a, const struct zg_tag *b)
{
    return a->size == b->size && memcmp(a->bytes, b->bytes, a->size) == 0;
}

/* Reports a tag of a message that another one of the same sender has. */
static void check_tags_against(struct zgi_reader *reader, const struct zg_message *message,
                               const struct zg_message *other)
{
    for (unsigned i = 0; i < message->tags->len; i++)
        for (unsigned k = 0; k < (other == message ? i : other->tags->len); k++) {
            const struct zg_tag *tag = g_ptr_array_index(message->tags, i), *taken = g_ptr_array_index(other->tags, k);
            g_autofree char *where = zgi_where(reader, taken->place);
            if (same_tag(tag, taken))
                zgi_error(reader->diagnostics, tag->place, "the tag of %s is already taken by %s (%s)", message->name,
                          other->name, where);
        }
}

/* Whether a payload itself shows that it is this message: by a tag, by a constant, or by its keys in json. */
static bool is_told(const struct zg_message *message)
{
    return message->tags->len > 0 || message->constants->len > 0 || message->layout.kind == ZG_LAYOUT_JSON;
}

/* Without an id, the messages of a sender are told apart by their tags; one may lack a tag: it is what begins with none
 * of the others'. */
/* Whether a request without a ticket names a message among its answers: then that tells it. */
static bool follows(const struct zg_definition *definition, const struct zg_message *message)
{
    for (unsigned i = 0; i < definition->messages->len; i++) {
        const struct zg_message *request = g_ptr_array_index(definition->messages, i);
        if (request->ticketless && zg_message_answers(request, message->name) != ZG_ANSWERS_NOT)
            return true;
    }
    return false;
}

/* Of the bare messages of one sender, none begins with another. */
static void check_bares(struct zgi_reader *reader, const struct zg_definition *definition, unsigned index)
{
    const struct zg_message *message = g_ptr_array_index(definition->messages, index);
    const struct zg_tag *bytes = g_ptr_array_index(message->tags, 0);

    for (unsigned i = 0; i < index; i++) {
        const struct zg_message *other = g_ptr_array_index(definition->messages, i);
        if (!other->bare || (other->from & message->from) == 0)
            continue;
        const struct zg_tag *taken = g_ptr_array_index(other->tags, 0);
        g_autofree char *where = zgi_where(reader, other->bare_place);
        if (memcmp(bytes->bytes, taken->bytes, MIN(bytes->size, taken->size)) == 0)
            zgi_error(reader->diagnostics, message->bare_place,
                      "of the bare messages %s and %s (%s) one begins with the other; choose other bytes",
                      message->name, other->name, where);
    }
}

static void check_tags(struct zgi_reader *reader, const struct zg_definition *definition, unsigned index)
{
    const struct zg_message *message = g_ptr_array_index(definition->messages, index);

    if (message->bare) {
        check_bares(reader, definition, index);
        return;
    }
    if (zgi_role(definition, ZG_ROLE_ID)) {
        if (message->tags->len > 0)
            zgi_error(reader->diagnostics, ((struct zg_tag *)g_ptr_array_index(message->tags, 0))->place,
                      "the header's id tells %s; expected no tag, or a header without id", message->name);
        return;
    }
    check_tags_against(reader, message, message);
    for (unsigned i = 0; i < index; i++) {
        const struct zg_message *other = g_ptr_array_index(definition->messages, i);
        if ((other->from & message->from) == 0 || other->bare)
            continue;
        check_tags_against(reader, message, other);
        if (is_told(message) || is_told(other) || follows(definition, message) || follows(definition, other))
            continue;
        g_autofree char *where = zgi_where(reader, other->place);
        zgi_error(
            reader->diagnostics, message->place,
            "nothing tells %s from %s (%s): the header has no id, and neither has a tag; expected header: [id: u8, "
            "...], or tag: \"...\", or that a request with ticket: none names one of them as its reply",
            message->name, other->name, where);
    }
}

/* Within a major version messages only grow: newer fields come after all older ones. */
static void check_growth(struct zgi_reader *reader, const struct zg_message *message)
{
    unsigned since = 0;

    for (unsigned i = 0; i < message->fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(message->fields, i);
        if (field->since < since && (field->since > 0 || field->since_place.line == 0))
            zgi_error(
                reader->diagnostics, field->since > 0 ? field->since_place : field->place,
                "%s follows a field of a later version; fields with `since` come last, in the order of their versions",
                field->name);
        since = MAX(since, field->since);
        if (field->type.extent == ZG_EXTENT_REST && i + 1 < message->fields->len)
            zgi_error(reader->diagnostics, field->place, "%s is open-ended and must be the last field", field->name);
    }
}

/* A bare message has nothing but its bytes. */
static void check_bare(struct zgi_reader *reader, const struct zg_message *message)
{
    const char *more = message->identified                                       ? "an id"
                       : message->tags->len > 1                                  ? "a tag"
                       : message->fields->len > 0 || message->constants->len > 0 ? "fields"
                       : message->layout.place.line > 0                          ? "a layout"
                       : message->acknowledged                                   ? "a delivery"
                       : message->replies->len > 0 && !message->ticketless       ? "a ticket"
                                                                                 : NULL;

    if (more)
        zgi_error(
            reader->diagnostics, message->bare_place,
            "%s is bare, outside any frame, and cannot have %s; expected fields: {}, and on a request ticket: none",
            message->name, more);
}

struct zg_message *zgi_read_message(struct zgi_reader *reader, const struct zgi_entry *entry,
                                    struct zg_definition *definition)
{
    struct zg_message *message = g_new0(struct zg_message, 1);
    struct message_reading reading = { .definition = definition, .message = message };

    message->name = g_strdup(entry->key);
    message->place = entry->place;
    message->id_place = entry->place;
    message->from = ZG_SIDE_DEVICE;
    message->fields = zgi_fields_new();
    message->tags = g_ptr_array_new_with_free_func(g_free);
    message->constants = g_ptr_array_new_with_free_func(constant_free);
    message->replies = g_ptr_array_new_with_free_func(g_free);
    message->lines = g_ptr_array_new_with_free_func(g_free);
    message->timeout_ns = 100000000;
    message->retries = UNSAID;
    message->window = 4;
    zgi_check_member_name(reader, entry->key, entry->place, "a message");
    zgi_read_mapping(reader, entry->value, entry->place, "the message", zgi_message_keys, &reading);
    if (message->bare)
        check_bare(reader, message);
    if (!message->identified && !message->bare && zgi_role(definition, ZG_ROLE_ID) &&
        entry->value->type == YAML_MAPPING_NODE && !zgi_lookup(reader, entry->value, "id"))
        zgi_error(reader->diagnostics, entry->place, "the message lacks the key \"id\"");
    if (message->retries == UNSAID) /* a device cannot tell a copy of a request without a ticket */
        message->retries = message->ticketless ? 0 : 3;
    check_growth(reader, message);
    return message;
}

void zgi_add_message(struct zgi_reader *reader, struct zg_definition *definition, struct zg_message *message)
{
    if (message->identified)
        check_id(reader, definition, message);
    g_ptr_array_add(definition->messages, message);
}

static void read_message(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_add_message(reader, into, zgi_read_message(reader, entry, into));
}

void zgi_read_messages(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;

    if (!zgi_entries(reader, entry->value, "a mapping of message names", read_message, definition))
        return;
    if (definition->messages->len == 0)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "there are no messages; expected at least one");
    for (unsigned i = 0; i < definition->messages->len; i++)
        zgi_settle_layout(reader, definition, g_ptr_array_index(definition->messages, i));
    for (unsigned i = 0; i < definition->messages->len && !definition->header_in_doubt; i++)
        check_tags(reader, definition, i);
}

GPtrArray *zgi_messages_new(void)
{
    return g_ptr_array_new_with_free_func(message_free);
}
