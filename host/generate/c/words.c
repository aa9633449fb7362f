/* SPDX-License-Identifier: MIT */
/* PROTOCOL_text.h/.c: the words for enum values and messages, in files of their own that a build may omit. */
#include "generate/c/c.h"

static void print_prototype(const struct zgi_c *c, GString *text, const struct zg_enum *enumeration, const char *end)
{
    g_string_append_printf(text, "const char *%s_%s_text(%s_%s value)%s\n", c->prefix, enumeration->name, c->prefix,
                           enumeration->name, end);
}

/* The message at an index, and the other side's with the same id. */
static void print_names_of_id(const struct zgi_c *c, GString *text, unsigned index)
{
    const struct zg_message *message = zg_plan_message_at(c->plan, index)->message;
    g_autofree char *name = zgi_c_constant(c, message->name, "ID");
    g_autoptr(GString) names = g_string_new(message->name);

    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *other = zg_plan_message_at(c->plan, i)->message;
        if (other->id != message->id || i == index)
            continue;
        if (i < index)
            return; /* named with that one */
        g_string_append_printf(names, " or %s", other->name);
    }
    g_string_append_printf(text, "    case %s: return \"%s\";\n", name, names->str);
}

void zgi_c_words_header(const struct zgi_c *c, GString *text)
{
    const struct zg_definition *definition = c->plan->definition;

    g_string_append_printf(text,
                           "#include \"%s.h\"\n\n#ifdef __cplusplus\nextern \"C\" {\n#endif\n\n/* The name of an "
                           "enum's value, of one flag, of a message by its id; \"?\": there is none. A build that "
                           "needs none of\n * them can omit %s_text.c. */\n",
                           c->prefix, c->prefix);
    for (unsigned i = 0; i < definition->enums->len; i++)
        print_prototype(c, text, g_ptr_array_index(definition->enums, i), ";");
    g_string_append_printf(text, "const char *%s_message_text(uint32_t id);\n\n#ifdef __cplusplus\n}\n#endif\n\n",
                           c->prefix);
}

void zgi_c_words_code(const struct zgi_c *c, GString *text)
{
    const struct zg_plan *plan = c->plan;
    const struct zg_definition *definition = plan->definition;

    g_string_append_printf(text, "#include \"%s_text.h\"\n\n", c->prefix);
    for (unsigned i = 0; i < definition->enums->len; i++) {
        const struct zg_enum *enumeration = g_ptr_array_index(definition->enums, i);
        print_prototype(c, text, enumeration, "\n{\n    switch (value) {");
        for (unsigned k = 0; k < enumeration->values->len; k++) {
            const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, k);
            g_autofree char *name = zgi_c_constant(c, enumeration->name, value->name);
            g_string_append_printf(text, "    case %s: return \"%s\";\n", name, value->name);
        }
        g_string_append(text, "    default: return \"?\";\n    }\n}\n\n");
    }
    g_string_append_printf(text, "const char *%s_message_text(uint32_t id)\n{\n", c->prefix);
    if (plan->id_bits == 0 && plan->messages->len > 1) {
        g_string_append(text, "    (void)id; /* a header without id tells no message */\n    return \"?\";\n}\n");
        return;
    }
    g_string_append(text, "    switch (id) {\n");
    for (unsigned i = 0; i < plan->messages->len; i++)
        print_names_of_id(c, text, i);
    g_string_append(text, "    default: return \"?\";\n    }\n}\n");
}
