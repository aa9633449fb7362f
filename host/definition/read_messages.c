/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

/* A message while it is read. */
struct message_reading {
    const struct zg_definition *definition;
    struct zg_message *message;
    bool identified;
};

static void read_id(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct message_reading *reading = into;
    reading->message->id_place = zgi_place(entry->value);
    reading->identified = zgi_read_unsigned(reader, entry->value, "an id", 0, UINT32_MAX, &reading->message->id);
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
    zgi_read_fields(reader, entry->value, reading->definition, reading->message->fields);
}

static const struct zgi_key message_keys[] = {
    { "id", false, read_id },        { "from", true, read_from },
    { "every", false, read_every },  { "summary", false, read_message_summary },
    { "fields", true, read_fields }, { "reply", false, NULL },
    { "timeout", false, NULL },      { "retries", false, NULL },
    { "delivery", false, NULL },     { "window", false, NULL },
    { "order", false, NULL },        { NULL, false, NULL }
};

static void message_free(gpointer data)
{
    struct zg_message *message = data;
    g_free(message->name);
    g_free(message->summary);
    g_ptr_array_unref(message->fields);
    g_free(message);
}

static const struct zg_header_role *id_role(const struct zg_definition *definition)
{
    for (unsigned i = 0; i < definition->header->len; i++) {
        const struct zg_header_role *role = g_ptr_array_index(definition->header, i);
        if (role->role == ZG_ROLE_ID)
            return role;
    }
    return NULL;
}

static void check_id(struct zgi_reader *reader, const struct message_reading *reading)
{
    const struct zg_definition *definition = reading->definition;
    const struct zg_message *message = reading->message;
    const struct zg_header_role *role = id_role(definition);

    if (role && role->bits < 32 && message->id >> role->bits != 0)
        zgi_error(reader->diagnostics, message->id_place,
                  "id %" G_GUINT64_FORMAT " does not fit the header's id, u%u (at most %u)", message->id, role->bits,
                  (1U << role->bits) - 1);
    for (unsigned i = 0; i < definition->messages->len; i++) {
        const struct zg_message *other = g_ptr_array_index(definition->messages, i);
        g_autofree char *where = zgi_where(reader, other->id_place);
        if (other->id == message->id)
            zgi_error(reader->diagnostics, message->id_place, "id %" G_GUINT64_FORMAT " is already taken by %s (%s)",
                      message->id, other->name, where);
    }
}

/* Within a major version messages only grow: newer fields stand after all older ones. */
static void check_growth(struct zgi_reader *reader, const struct zg_message *message)
{
    unsigned since = 0;

    for (unsigned i = 0; i < message->fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(message->fields, i);
        if (field->since < since && (field->since > 0 || field->since_place.line == 0))
            zgi_error(
                reader->diagnostics, field->since > 0 ? field->since_place : field->place,
                "%s stands after a field that came later; fields with since stand last, in the order of their versions",
                field->name);
        since = MAX(since, field->since);
        if (field->type.extent == ZG_EXTENT_REST && i + 1 < message->fields->len)
            zgi_error(reader->diagnostics, field->place, "%s is open-ended and must be the last field", field->name);
    }
}

static void read_message(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    struct zg_message *message = g_new0(struct zg_message, 1);
    struct message_reading reading = { .definition = definition, .message = message };

    message->name = g_strdup(entry->key);
    message->place = entry->place;
    message->id_place = entry->place;
    message->from = ZG_SIDE_DEVICE;
    message->fields = zgi_fields_new();
    zgi_check_name(reader, entry->key, entry->place, "a message");
    zgi_read_mapping(reader, entry->value, entry->place, "the message", message_keys, &reading);
    if (!reading.identified && id_role(definition) && entry->value->type == YAML_MAPPING_NODE &&
        !zgi_lookup(reader, entry->value, "id"))
        zgi_error(reader->diagnostics, entry->place, "the message lacks the key \"id\"");
    if (reading.identified)
        check_id(reader, &reading);
    check_growth(reader, message);
    g_ptr_array_add(definition->messages, message);
}

void zgi_read_messages(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;

    g_ptr_array_set_free_func(definition->messages, message_free);
    if (!zgi_entries(reader, entry->value, "a mapping of message names", read_message, definition))
        return;
    if (definition->messages->len == 0)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "there are no messages; expected at least one");
    else if (definition->messages->len > 1 && !id_role(definition))
        zgi_error(reader->diagnostics, definition->frame_place,
                  "the header lacks the role id, without which %u messages cannot be told apart",
                  definition->messages->len);
}
