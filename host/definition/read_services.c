/* SPDX-License-Identifier: MIT */
/* The services: which are enabled, and their messages, which are read from services.yaml like a user's. */
#include <string.h>

#include "definition/read.h"
#include "definition/services.h"

/* The services being read. */
struct services_reading {
    struct zg_definition *definition;
    yaml_node_t *base, *enable;
    struct zgi_reader *user;       /* of the definition */
    struct zg_place service_place; /* of the name of the service whose messages are being read */
    uint64_t first;                /* the first id of the services' messages */
};

static void keep_base(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    ((struct services_reading *)into)->base = entry->value;
}

static void keep_enable(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    ((struct services_reading *)into)->enable = entry->value;
}

const struct zgi_key zgi_services_keys[] = {
    { "base", false, keep_base, "natural",
      "First id of the services; default the highest multiple of 16 that leaves 16" },
    { "enable", true, keep_enable, "service_list", "The services" },
    { 0 }
};

/* Makes a message of services.yaml one of the definition's, at the place where its service is enabled. */
static void take_message(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct services_reading *reading = into;
    struct zg_definition *definition = reading->definition;
    struct zg_message *message = zgi_read_message(reader, entry, definition);
    const struct zg_message *other = zg_definition_message(definition, message->name);

    message->service = true;
    message->id += reading->first;
    message->place = message->id_place = reading->service_place;
    for (unsigned i = 0; i < message->fields->len; i++)
        ((struct zg_field *)g_ptr_array_index(message->fields, i))->place = reading->service_place;
    if (other) {
        g_autofree char *where = zgi_where(reading->user, reading->service_place);
        zgi_error(reading->user->diagnostics, other->place,
                  "the message %s has the name of a service's message (%s); choose another", other->name, where);
    }
    zgi_add_message(reading->user, definition, message);
}

/* Adds the messages of all enabled services, each at the place of its service's name. */
static void take_services(struct services_reading *reading, const struct zg_place *places)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("services.yaml");
    struct zgi_reader reader = { .diagnostics = diagnostics };
    bool parsed = zgi_yaml_parse(&reader, zgi_services_text, strlen(zgi_services_text));

    g_assert(parsed);
    const yaml_node_t *root = yaml_document_get_root_node(&reader.document);
    for (unsigned i = 0; zg_service_names[i]; i++) {
        reading->service_place = places[i];
        if (reading->definition->services >> i & 1)
            zgi_entries(&reader, zgi_lookup(&reader, root, zg_service_names[i]), "messages", take_message, reading);
    }
    g_assert(zg_diagnostics_count(diagnostics) == 0);
    yaml_document_delete(&reader.document);
    zg_diagnostics_free(diagnostics);
}

/* Finds the first id: the definition's, or the highest multiple of 16 with 16 free ids. False, with a diagnostic: there
 * are not enough ids. */
static bool find_base(struct zgi_reader *reader, struct services_reading *reading)
{
    const struct zg_definition *definition = reading->definition;
    const struct zg_header_role *role = zgi_role(definition, ZG_ROLE_ID);

    if (!role) {
        if (!definition->header_in_doubt)
            zgi_error(reader->diagnostics, definition->services_place, "services need the role id in the header");
        return false;
    }
    if (reading->base)
        return zgi_read_unsigned(reader, reading->base, "the services' first id", 0, UINT32_MAX, &reading->first);
    if (role->bits < 4) {
        zgi_error(reader->diagnostics, definition->services_place,
                  "the services' ids do not fit the header's id, u%u; make it u4 or wider", role->bits);
        return false;
    }
    reading->first = ((UINT64_C(1) << role->bits) - 16) & ~UINT64_C(15);
    return true;
}

static void enable_all(struct zgi_reader *reader, struct services_reading *reading)
{
    struct zg_definition *definition = reading->definition;
    g_autoptr(GPtrArray) items = zgi_items(reader, reading->enable, "a list of services, [hello, echo]");
    struct zg_place places[32] = { { 0, 0 } };

    for (unsigned i = 0; items && i < items->len; i++) {
        yaml_node_t *item = g_ptr_array_index(items, i);
        unsigned index;
        if (!zgi_read_choice(reader, item, "a service", zg_service_names, &index))
            continue;
        if (definition->services >> index & 1) {
            g_autofree char *where = zgi_where(reader, places[index]);
            zgi_error(reader->diagnostics, zgi_place(item), "the service %s is listed twice; first at %s",
                      zg_service_names[index], where);
            continue;
        }
        definition->services |= 1U << index;
        places[index] = zgi_place(item);
    }
    if (definition->services != 0 && find_base(reader, reading))
        take_services(reading, places);
}

/* services = list of names, or mapping of base and enable */
void zgi_read_services(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct services_reading reading = { .definition = into, .user = reader, .enable = entry->value };

    reading.definition->services_place = entry->place;
    if (entry->value->type == YAML_MAPPING_NODE) {
        reading.enable = NULL;
        zgi_read_mapping(reader, entry->value, entry->place, "the services", zgi_services_keys, &reading);
    }
    if (reading.enable)
        enable_all(reader, &reading);
}

void zgi_read_console(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "framed", "interleaved", NULL };
    struct zg_definition *definition = into;
    unsigned index;

    definition->console_place = zgi_place(entry->value);
    if (zgi_read_choice(reader, entry->value, "a console", words, &index))
        definition->console = (enum zg_console)(index + 1);
}
