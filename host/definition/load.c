/* SPDX-License-Identifier: MIT */
#include "definition/definition.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

static void read_language(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    const char *text = zgi_scalar(reader, entry->value, "1, the version of the language");
    (void)into;
    if (text && strcmp(text, "1") != 0)
        zgi_error(reader->diagnostics, zgi_place(entry->value),
                  "expected 1, the version of the language that this zeugma reads, found \"%s\"", text);
}

static void read_protocol(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    zgi_keep_text(reader, entry, &definition->protocol);
    if (definition->protocol)
        zgi_check_protocol_name(reader, definition->protocol, zgi_place(entry->value));
}

/* version = major "." minor, each 0 to 255 */
static void read_version(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    const char *text = zgi_scalar(reader, entry->value, "a version major.minor, such as 1.0");

    definition->version_place = zgi_place(entry->value);
    if (text && !zgi_parse_version(text, &definition->major, &definition->minor))
        zgi_error(reader->diagnostics, zgi_place(entry->value),
                  "expected a version major.minor, each 0 to 255, such as 1.0, found \"%s\"", text);
}

static void read_summary(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_keep_text(reader, entry, &((struct zg_definition *)into)->summary);
}

static void skip_section(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader; /* handled by the table of sections, in the order of their dependencies */
    (void)entry;
    (void)into;
}

const struct zgi_key zgi_definition_keys[] = {
    { "zeugma", true, read_language, "language", "Version of the definition language: 1" },
    { "protocol", true, read_protocol, "name", "Name of the protocol, and prefix of generated names" },
    { "version", true, read_version, "version", "Version of the protocol, major.minor, each 0 to 255" },
    { "summary", false, read_summary, "text", "What the protocol is for" },
    { "line", false, skip_section, "line", "The physical line" },
    { "frame", true, skip_section, "frame", "How frames are formed" },
    { "enums", false, skip_section, "enums", "Integers with names, by name" },
    { "messages", true, skip_section, "messages", "The messages, by name" },
    { "flags", false, skip_section, "flag_sets", "Sets of bits with names, by name" },
    { "records", false, skip_section, "records", "Groups of fields, by name" },
    { "variables", false, skip_section, "variables",
      "Variables of the device that a host may read or change, by name" },
    { "services", false, skip_section, "services",
      "Ready-made services: hello, echo, counters, variables, console, delivery, traffic" },
    { "console", false, skip_section, "console", "framed: console text travels in frames; interleaved: between them" },
    { 0 }
};

/* A section may depend on those before it in this table, wherever they are in the file. */
static const struct {
    const char *name;
    void (*read)(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
} sections[] = { { "line", zgi_read_line },         { "frame", zgi_read_frame },
                 { "enums", zgi_read_enums },       { "flags", zgi_read_flags },
                 { "records", zgi_read_records },   { "messages", zgi_read_messages },
                 { "services", zgi_read_services }, { "variables", zgi_read_variables },
                 { "console", zgi_read_console } };

static void read_sections(struct zgi_reader *reader, yaml_node_t *root, struct zg_definition *definition)
{
    for (size_t i = 0; i < G_N_ELEMENTS(sections); i++) {
        struct zgi_entry entry = { sections[i].name, { 1, 1 }, NULL };
        if (root->type != YAML_MAPPING_NODE)
            return;
        for (yaml_node_pair_t *pair = root->data.mapping.pairs.start; pair < root->data.mapping.pairs.top; pair++) {
            const yaml_node_t *key = yaml_document_get_node(&reader->document, pair->key);
            if (key->type == YAML_SCALAR_NODE && strcmp((const char *)key->data.scalar.value, entry.key) == 0 &&
                !entry.value) {
                entry.place = zgi_place(key);
                entry.value = yaml_document_get_node(&reader->document, pair->value);
            }
        }
        if (entry.value)
            sections[i].read(reader, &entry, definition);
    }
}

struct zg_definition *zg_definition_parse(const char *file, const char *text, size_t length,
                                          struct zg_diagnostics *diagnostics)
{
    struct zgi_reader reader = { .diagnostics = diagnostics };

    if (!zgi_yaml_parse(&reader, text, length))
        return NULL;
    struct zg_definition *definition = g_new0(struct zg_definition, 1);
    definition->file = g_strdup(file);
    definition->line = (struct zg_line){ .baud = 115200,
                                         .data_bits = 8,
                                         .parity = 'N',
                                         .half_stops = 2,
                                         .byte_timeout_ns = 20000000,
                                         .clock = { .divider = { 16, 0 } },
                                         .place = { 1, 1 } };
    definition->frame_place = (struct zg_place){ 1, 1 };
    definition->header = g_ptr_array_new_with_free_func(g_free);
    definition->enums = g_ptr_array_new();
    definition->records = g_ptr_array_new();
    definition->messages = zgi_messages_new();
    definition->variables = zgi_variables_new();
    yaml_node_t *root = yaml_document_get_root_node(&reader.document);
    zgi_read_mapping(&reader, root, (struct zg_place){ 1, 1 }, "the definition", zgi_definition_keys, definition);
    read_sections(&reader, root, definition);
    if (definition->line.data_bits == 4 && !definition->line.is_clocked)
        definition->framing.halves = definition->line.msb_first ? ZG_HALVES_HIGH_FIRST : ZG_HALVES_LOW_FIRST;
    zgi_check_behaviour(definition, diagnostics);
    if (zg_diagnostics_errors(diagnostics) == 0)
        zgi_check_generated_names(definition, diagnostics);
    zgi_diagnostics_sort(diagnostics);
    yaml_document_delete(&reader.document);
    if (zg_diagnostics_errors(diagnostics) == 0)
        return definition;
    zg_definition_free(definition);
    return NULL;
}

struct zg_definition *zg_definition_load(const char *file, struct zg_diagnostics *diagnostics, GError **error)
{
    g_autofree char *text = g_malloc(ZG_DEFINITION_MAX + 1);
    FILE *stream = fopen(file, "rb");
    size_t length = stream ? fread(text, 1, ZG_DEFINITION_MAX + 1, stream) : 0;
    bool failed = !stream || ferror(stream);
    int reason = errno;

    if (stream)
        (void)fclose(stream);
    if (failed) {
        g_set_error(error, G_FILE_ERROR, (int)g_file_error_from_errno(reason), "cannot read %s: %s", file,
                    g_strerror(reason));
        return NULL;
    }
    if (length > ZG_DEFINITION_MAX) {
        zgi_error(diagnostics, (struct zg_place){ 1, 1 }, "the file is larger than %d bytes; is it a definition?",
                  ZG_DEFINITION_MAX);
        return NULL;
    }
    return zg_definition_parse(file, text, length, diagnostics);
}
