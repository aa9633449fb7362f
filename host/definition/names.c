/* SPDX-License-Identifier: MIT */
#include "definition/read.h"
#include "definition/reserved.h"
#include "definition/words.h"

char *zg_field_suffix(const struct zg_field *field)
{
    g_autoptr(GString) suffix = g_string_new("in_");

    if (!field->unit)
        return g_strdup("value");
    for (const char *c = field->unit; *c; c = g_utf8_next_char(c)) {
        gunichar letter = g_utf8_get_char(c);
        if (letter < 128 && g_ascii_isalnum((char)letter))
            g_string_append_c(suffix, (char)letter);
        else if (letter == '%')
            g_string_append(suffix, "percent");
        else if (letter == '/')
            g_string_append(suffix, "_per_");
        else if (letter == 0xB0)
            g_string_append(suffix, "deg");
        else if (letter == 0xB5 || letter == 0x3BC)
            g_string_append_c(suffix, 'u');
        else if (suffix->str[suffix->len - 1] != '_')
            g_string_append_c(suffix, '_');
    }
    return g_strdup(suffix->str);
}

char *zg_python_name(const char *name)
{
    GString *text = g_string_new(NULL);
    bool start = true;

    for (const char *c = name; *c; c++) {
        if (*c != '_')
            g_string_append_c(text, start ? g_ascii_toupper(*c) : *c);
        start = *c == '_';
    }
    if (zgi_is_keyword(text->str)) /* None, True, False */
        g_string_append_c(text, '_');
    return g_string_free(text, FALSE);
}

/* The names that generated code will define, each with what it belongs to. */
struct names {
    GHashTable *taken; /* name -> owner, both owned */
    struct zg_diagnostics *diagnostics;
};

/* Reserves a name, and takes ownership of it. False, with a diagnostic, if it is taken. */
static bool take(struct names *names, struct zg_place place, const char *owner, char *name)
{
    const char *other = g_hash_table_lookup(names->taken, name);
    if (other)
        zgi_error(names->diagnostics, place,
                  "%s would define the name \"%s\" in generated code, as would %s; rename one", owner, name, other);
    bool is_free = !other;
    g_hash_table_replace(names->taken, name, g_strdup(owner));
    return is_free;
}

/* Reserves the name of an enum, flags, record or message, and of its Python class. False: one was taken. */
static bool take_type(struct names *names, struct zg_place place, const char *owner, const char *name)
{
    g_autofree char *class_name = zg_python_name(name);
    return take(names, place, owner, g_strdup(name)) &&
           take(names, place, owner, g_strconcat("class ", class_name, NULL));
}

static void take_enum(struct names *names, const struct zg_enum *enumeration)
{
    g_autofree char *owner = g_strdup_printf("enum %s", enumeration->name);
    take_type(names, enumeration->place, owner, enumeration->name);
    take(names, enumeration->place, owner, g_strconcat(enumeration->name, "_text", NULL));
    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        g_autofree char *name = g_strdup_printf("%s_%s", enumeration->name, value->name);
        g_autofree char *value_owner = g_strdup_printf("%s of enum %s", value->name, enumeration->name);
        take(names, value->place, value_owner, g_ascii_strup(name, -1));
    }
}

/* The members of a struct: each field, and NAME_count if the number of its elements varies. */
static void take_members(struct names *names, const char *owner, const GPtrArray *fields)
{
    for (unsigned i = 0; i < fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(fields, i);
        g_autofree char *field_owner = g_strdup_printf("field %s of %s", field->name, owner);
        take(names, field->place, field_owner, g_strdup_printf("%s.%s", owner, field->code));
        if (field->type.extent == ZG_EXTENT_COUNTED || field->type.extent == ZG_EXTENT_REST)
            take(names, field->place, field_owner, g_strdup_printf("%s.%s_count", owner, field->code));
    }
}

static void take_accessors(struct names *names, const char *block, const GPtrArray *fields)
{
    for (unsigned i = 0; i < fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(fields, i);
        g_autofree char *owner = g_strdup_printf("field %s of %s", field->name, block);
        g_autofree char *suffix = zg_field_suffix(field);
        if (!field->scaled)
            continue;
        take(names, field->place, owner, g_strdup_printf("%s_%s_%s", block, field->code, suffix));
        take(names, field->place, owner, g_strdup_printf("%s_set_%s_%s", block, field->code, suffix));
        take(names, field->place, owner, g_strdup_printf("%s_%s_scale", block, field->code));
    }
}

static void take_record(struct names *names, const struct zg_record *record)
{
    g_autofree char *owner = g_strdup_printf("record %s", record->name);
    take_type(names, record->place, owner, record->name);
    take_members(names, owner, record->fields);
    take_accessors(names, record->name, record->fields);
}

/* What messages and variables have in common: a struct, its functions and constants. */
static void take_block(struct names *names, struct zg_place place, const char *owner, const char *name,
                       const GPtrArray *fields, const char *const *constants)
{
    static const char *const functions[] = { "_pack", "_unpack", "_check" };
    g_autofree char *upper = g_ascii_strup(name, -1);

    if (!take_type(names, place, owner, name))
        return; /* the names that follow would collide as well */
    for (size_t i = 0; i < G_N_ELEMENTS(functions); i++)
        take(names, place, owner, g_strconcat(name, functions[i], NULL));
    for (; *constants; constants++)
        take(names, place, owner, g_strconcat(upper, *constants, NULL));
    take_accessors(names, name, fields);
}

static void take_message(struct names *names, const struct zg_message *message)
{
    static const char *const constants[] = { "_ID", "_MAX_PAYLOAD", "_TICKET_SIZE", NULL };
    static const char *const nodes[] = { "device", "host" };
    g_autofree char *owner = g_strdup_printf("message %s", message->name);

    take_block(names, message->place, owner, message->name, message->fields, constants);
    take_members(names, owner, message->fields);
    for (size_t i = 0; i < G_N_ELEMENTS(nodes); i++)
        take(names, message->place, owner, g_strdup_printf("%s_send_%s", nodes[i], message->name));
    take(names, message->place, owner, g_strconcat("handler ", message->name, NULL));
    if (zg_message_is_request(message) || message->acknowledged)
        take(names, message->place, owner, g_strconcat("handler ", message->name, "_settled", NULL));
}

static void take_variable(struct names *names, const struct zg_variable *variable)
{
    static const char *const constants[] = { "_INDEX", "_ACCESS", "_SIZE", NULL };
    const struct zg_field *field = zg_variable_field(variable);
    g_autofree char *owner = g_strdup_printf("variable %s", field->name);
    g_autofree char *name = g_strconcat("variable_", field->name, NULL);

    take_block(names, field->place, owner, name, variable->fields, constants);
}

void zgi_check_generated_names(const struct zg_definition *definition, struct zg_diagnostics *diagnostics)
{
    static const char *const own[] = { "device",
                                       "device_handlers",
                                       "device_init",
                                       "device_poll",
                                       "host",
                                       "host_handlers",
                                       "host_init",
                                       "host_poll",
                                       "MAX_PAYLOAD",
                                       "HEADER_SIZE",
                                       "CHECK_SIZE",
                                       "MAX_FRAME",
                                       "RECEIVE_ROOM",
                                       "framing",
                                       "check",
                                       "write_header",
                                       "admit",
                                       "message_text",
                                       "VERSION_MAJOR",
                                       "VERSION_MINOR",
                                       "class Frame",
                                       "class Receiver",
                                       "class Delivery",
                                       "class Peer",
                                       "device_session",
                                       "host_session",
                                       "variables",
                                       "handler link_changed",
                                       "handler variable_written",
                                       "handler console_text",
                                       "class RangeError",
                                       "class ProtocolError",
                                       "class Fraction",
                                       "class ClassVar",
                                       "class Iterator",
                                       "class List",
                                       "class Union" };
    struct names names = { g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free), diagnostics };

    for (size_t i = 0; i < G_N_ELEMENTS(own); i++)
        take(&names, (struct zg_place){ 1, 1 }, "every definition", g_strdup(own[i]));
    for (unsigned i = 0; i < definition->enums->len; i++)
        take_enum(&names, g_ptr_array_index(definition->enums, i));
    for (unsigned i = 0; i < definition->records->len; i++)
        take_record(&names, g_ptr_array_index(definition->records, i));
    for (unsigned i = 0; i < definition->messages->len; i++)
        take_message(&names, g_ptr_array_index(definition->messages, i));
    for (unsigned i = 0; i < definition->variables->len; i++)
        take_variable(&names, g_ptr_array_index(definition->variables, i));
    g_hash_table_unref(names.taken);
}
