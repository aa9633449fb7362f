/* SPDX-License-Identifier: MIT */
/* The header: a list of roles, each with its type. */
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

/* A role being read. */
struct role_reading {
    struct zg_header_role *role;
    yaml_node_t *value;       /* of const */
    struct zgi_entry counted; /* by a length: from which role; its value is NULL: none was said */
};

static bool is_filler(enum zg_role role)
{
    return role == ZG_ROLE_CONST || role == ZG_ROLE_RESERVED;
}

static void read_role_type(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_header_role *role = ((struct role_reading *)into)->role;
    unsigned most = is_filler(role->role) ? 64 : 32;
    struct zg_type type;

    if (!zgi_read_integer_type(reader, entry->value, &type))
        return;
    if (type.kind != ZG_KIND_UNSIGNED || type.bits > most)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "the header role %s is unsigned, of at most u%u",
                  zg_role_name(role->role), most);
    role->bits = MIN(type.bits, most);
}

static void read_role_order(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_order(reader, entry->value, &((struct role_reading *)into)->role->big_endian);
}

static void keep_value(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    ((struct role_reading *)into)->value = entry->value;
}

static void read_counts(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "payload", "rest", "content", NULL };
    unsigned index;
    if (zgi_read_choice(reader, entry->value, "what length counts", words, &index))
        ((struct role_reading *)into)->role->counts = (enum zg_counts)index;
}

static void keep_from(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    ((struct role_reading *)into)->counted = *entry;
}

static void read_plus(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    uint64_t plus;

    if (zgi_read_unsigned(reader, entry->value, "how much more length counts,", 0, 255, &plus))
        ((struct role_reading *)into)->role->plus = (unsigned)plus;
}

const struct zgi_key zgi_role_keys[] = { { "type", true, read_role_type, "integer_type", "Its width, u1 to u32" },
                                         { "order", false, read_role_order, "byte_order",
                                           "Byte order; default: the frame's" },
                                         { 0 } };

const struct zgi_key zgi_length_keys[] = {
    { "type", true, read_role_type, "integer_type", "Its width, u1 to u32" },
    { "order", false, read_role_order, "byte_order", "Byte order; default: the frame's" },
    { "counts", false, read_counts, "counts", "payload (default), rest: everything after it, or content: all" },
    { "from", false, keep_from, "role",
      "In the place of counts: from the first byte of this role to the payload's end" },
    { "plus", false, read_plus, "natural", "With from: how much more it counts; default 0" },
    { 0 }
};

const struct zgi_key zgi_const_keys[] = { { "type", true, read_role_type, "integer_type", "Its width, u1 to u64" },
                                          { "value", true, keep_value, "natural", "Its value" },
                                          { "order", false, read_role_order, "byte_order",
                                            "Byte order; default: the frame's" },
                                          { 0 } };

const struct zgi_key zgi_node_keys[] = {
    { "type", true, read_role_type, "integer_type", "Its width, u1 to u32" },
    { "order", false, read_role_order, "byte_order", "Byte order; default: the frame's" },
    { "broadcast", false, keep_value, "natural", "The address that means every device; default: all ones" },
    { 0 }
};

static const struct zgi_key *keys_of(enum zg_role role)
{
    return role == ZG_ROLE_NODE     ? zgi_node_keys
           : role == ZG_ROLE_CONST  ? zgi_const_keys
           : role == ZG_ROLE_LENGTH ? zgi_length_keys
                                    : zgi_role_keys;
}

static void check_role_unique(struct zgi_reader *reader, const struct zg_definition *definition,
                              const struct zg_header_role *role)
{
    for (unsigned i = 0; i < definition->header->len && !is_filler(role->role); i++) {
        const struct zg_header_role *other = g_ptr_array_index(definition->header, i);
        g_autofree char *where = zgi_where(reader, other->place);
        if (other->role == role->role)
            zgi_error(reader->diagnostics, role->place, "the header already has the role %s (%s)",
                      zg_role_name(role->role), where);
    }
}

static bool is_address(enum zg_role role)
{
    return role == ZG_ROLE_DESTINATION || role == ZG_ROLE_SOURCE;
}

/* The role node is both addresses in one. */
static void check_node_alone(struct zgi_reader *reader, const struct zg_definition *definition,
                             const struct zg_header_role *role)
{
    for (unsigned i = 0; i < definition->header->len; i++) {
        const struct zg_header_role *other = g_ptr_array_index(definition->header, i);
        if ((role->role == ZG_ROLE_NODE && is_address(other->role)) ||
            (other->role == ZG_ROLE_NODE && is_address(role->role)))
            zgi_error(reader->diagnostics, role->place,
                      "node is the device's address in both directions; with it expected neither destination nor "
                      "source");
    }
}

/* The role with this name; ZG_ROLES, with a diagnostic, if there is none. */
static enum zg_role role_of(struct zgi_reader *reader, const struct zgi_entry *entry)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (unsigned i = 0; i < ZG_ROLES; i++) {
        if (strcmp(zg_role_name((enum zg_role)i), entry->key) == 0)
            return (enum zg_role)i;
        g_ptr_array_add(names, (gpointer)zg_role_name((enum zg_role)i));
    }
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(entry->key, (const char *const *)names->pdata);
    zgi_error(reader->diagnostics, entry->place, "unknown header role \"%s\"%s", entry->key, hint);
    return ZG_ROLES;
}

/* What a length counts from. */
static void read_from(struct zgi_reader *reader, const struct role_reading *reading)
{
    const struct zgi_entry *counted = &reading->counted;
    const char *word = counted->value ? zgi_scalar(reader, counted->value, "a role of the header") : NULL;
    struct zg_header_role *role = reading->role;

    if (!counted->value && role->plus > 0)
        zgi_error(reader->diagnostics, role->place, "plus belongs to from; expected from: id, plus: ...");
    if (!word)
        return;
    const struct zgi_entry named = { .key = word, .place = counted->place };
    role->from = role_of(reader, &named);
    if (role->from != ZG_ROLES && is_filler(role->from))
        zgi_error(reader->diagnostics, counted->place,
                  "length cannot count from %s, of which a header may have several; expected another role", word);
    if (role->counts != ZG_COUNTS_PAYLOAD)
        zgi_error(reader->diagnostics, counted->place, "counts and from exclude each other; expected one of them");
    role->counts = ZG_COUNTS_FROM;
}

static void read_role(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    enum zg_role role = role_of(reader, entry);

    if (role == ZG_ROLES)
        return;
    struct zg_header_role *item = g_new0(struct zg_header_role, 1);
    struct role_reading reading = { .role = item };
    *item =
        (struct zg_header_role){ .role = role, .bits = 8, .big_endian = definition->big_endian, .place = entry->place };
    if (entry->value->type == YAML_MAPPING_NODE)
        zgi_read_mapping(reader, entry->value, entry->place, "the header role", keys_of(role), &reading);
    else if (role == ZG_ROLE_CONST)
        zgi_error(reader->diagnostics, entry->place, "const needs its value: const: { type: u16, value: 0xA55A }");
    else
        read_role_type(reader, entry, &reading);
    if (role == ZG_ROLE_LENGTH)
        read_from(reader, &reading);
    if (reading.value)
        zgi_read_unsigned(reader, reading.value, "a value that fits its type,", 0, UINT64_MAX >> (64 - item->bits),
                          &item->value);
    if (role == ZG_ROLE_NODE && !reading.value)
        item->value = UINT64_MAX >> (64 - item->bits);
    check_role_unique(reader, definition, item);
    check_node_alone(reader, definition, item);
    g_ptr_array_add(definition->header, item);
}

/* header = list of mappings, each of one role */
void zgi_read_header(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    unsigned errors = zg_diagnostics_errors(reader->diagnostics);
    g_autoptr(GPtrArray) items = zgi_items(reader, entry->value, "a list of header roles, [id: u8, sequence: u8]");

    for (unsigned i = 0; items && i < items->len; i++)
        zgi_entries(reader, g_ptr_array_index(items, i), "a header role with its type, id: u8", read_role, into);
    definition->header_in_doubt = zg_diagnostics_errors(reader->diagnostics) > errors;
}

const struct zg_header_role *zgi_role(const struct zg_definition *definition, enum zg_role role)
{
    for (unsigned i = 0; i < definition->header->len; i++) {
        const struct zg_header_role *item = g_ptr_array_index(definition->header, i);
        if (item->role == role)
            return item;
    }
    return NULL;
}
