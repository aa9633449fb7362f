/* SPDX-License-Identifier: MIT */
/* PROTOCOL.h: constants, types and the functions of each message. */
#include <string.h>

#include "analysis/places.h"
#include "codec/json.h"
#include "generate/c/c.h"

static unsigned enum_bits(const struct zg_enum *enumeration)
{
    const struct zg_step step = { .type = enumeration->type };
    return zgi_c_bits(&step);
}

static void print_enum(const struct zgi_c *c, GString *text, const struct zg_enum *enumeration)
{
    unsigned width = enum_bits(enumeration);
    const char *sign = enumeration->type.kind == ZG_KIND_SIGNED ? "int" : "uint";

    if (enumeration->summary) {
        g_autofree char *summary = zgi_c_comment(enumeration->summary);
        g_string_append_printf(text, "/* %s */\n", summary);
    }
    g_string_append_printf(text, "typedef %s%u_t %s_%s;\n", sign, width, c->prefix, enumeration->name);
    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        g_autofree char *name = zgi_c_constant(c, enumeration->name, value->name);
        g_autofree char *number = zgi_c_literal(enumeration->type.kind, width, value->raw);
        if (enumeration->flags)
            g_string_append_printf(text, "#define %s ((%s_%s)((%s_%s)1 << %u))", name, c->prefix, enumeration->name,
                                   c->prefix, enumeration->name, (unsigned)value->raw.u);
        else
            g_string_append_printf(text, "#define %s ((%s_%s)%s)", name, c->prefix, enumeration->name, number);
        if (value->summary) {
            g_autofree char *summary = zgi_c_comment(value->summary);
            g_string_append_printf(text, " /* %s */", summary);
        }
        g_string_append_c(text, '\n');
    }
    g_string_append_c(text, '\n');
}

/* The comment on a field: scale, offset, unit, range, summary. */
static char *field_note(const struct zg_step *step)
{
    const struct zg_field *field = step->field;
    g_autoptr(GString) note = g_string_new(NULL);

    g_autofree char *scale = zg_place_scale(field);
    g_string_append_printf(note, "%s%s", *scale ? "raw" : "", scale);
    if (field->unit)
        g_string_append_printf(note, "%s%s", note->len ? " " : "", field->unit);
    if (field->ranged) {
        g_string_append(note, note->len ? ", " : "");
        zg_append_double(note, step->scale.low);
        g_string_append(note, " to ");
        zg_append_double(note, step->scale.high);
    }
    if (field->summary)
        g_string_append_printf(note, "%s%s", note->len ? "; " : "", field->summary);
    return zgi_c_comment(note->str);
}

static void print_field(const struct zgi_c *c, GString *text, const struct zg_step *step)
{
    g_autofree char *type = zgi_c_element_type(c, step);
    g_autofree char *note = field_note(step);

    if (step->field->optional)
        g_string_append_printf(text, "    bool has_%s;\n", step->code);
    if (zg_step_is_open_count(step))
        g_string_append_printf(text, "    uint%u_t %s_count; /* 0 to %u */\n", step->most > 255 ? 16 : 8, step->code,
                               step->most);
    g_string_append_printf(text, "    %s %s", type, step->code);
    if (step->type.kind == ZG_KIND_TEXT) /* and a terminating zero */
        g_string_append_printf(text, "[%u + 1]", step->most);
    else if (step->type.extent != ZG_EXTENT_ONE)
        g_string_append_printf(text, "[%u]", MAX(step->most, 1));
    g_string_append_printf(text, ";%s%s%s\n", *note ? " /* " : "", note, *note ? " */" : "");
}

static void print_struct(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    g_string_append_printf(text, "struct %s_%s {\n", c->prefix, block->name);
    for (unsigned i = 0; i < block->steps->len; i++)
        print_field(c, text, zg_block_step(block, i));
    if (block->steps->len == 0)
        g_string_append(text, "    uint8_t nothing; /* no fields; C wants one */\n");
    g_string_append(text, "};\n\n");
}

static void print_record(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    g_string_append_printf(text, "/* a record */\n");
    print_struct(c, text, block);
}

static void print_summary(GString *text, const char *summary, const char *more)
{
    g_autofree char *safe = summary ? zgi_c_comment(summary) : g_strdup("");
    g_string_append_printf(text, "/* %s%s%s */\n", safe, *safe ? "; " : "", more);
}

static void print_message(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    const struct zg_message *message = item->message;
    g_autofree char *id = zgi_c_constant(c, message->name, "ID");
    g_autofree char *size = zgi_c_constant(c, message->name, "MAX_PAYLOAD");
    g_autofree char *tickets = zgi_c_constant(c, message->name, "TICKET_SIZE");
    g_autofree char *replies = zg_message_replies(message);
    g_autofree char *more =
        g_strdup_printf("sent by %s%s%s", zg_side_name(message->from), *replies ? ", answered by " : "", replies);

    print_summary(text, message->summary, more);
    g_string_append_printf(text, "#define %s %" G_GUINT64_FORMAT "U\n#define %s %uU /* bytes%s */\n", id, message->id,
                           size, item->payload_most, item->tickets > 0 ? ", ticket included" : "");
    if (item->tickets > 0)
        g_string_append_printf(text, "#define %s %uU /* bytes before the fields */\n", tickets, item->tickets);
    g_string_append_c(text, '\n');
    print_struct(c, text, &item->payload);
}

static void print_variable(const struct zgi_c *c, GString *text, const struct zg_plan_variable *item)
{
    g_autofree char *index = zgi_c_constant(c, item->name, "INDEX");
    g_autofree char *access = zgi_c_constant(c, item->name, "ACCESS");
    g_autofree char *size = zgi_c_constant(c, item->name, "SIZE");

    print_summary(text, zg_variable_field(item->variable)->summary, "a variable");
    g_string_append_printf(text,
                           "#define %s %uU\n#define %s %uU /* what a host may do: 1 read, 2 write, 3 both */\n#define "
                           "%s %uU /* the most bytes */\n\n",
                           index, item->variable->index, access, (unsigned)item->variable->access, size,
                           item->block.most_size);
    print_struct(c, text, &item->block);
}

/* The accessors of a block's scaled fields; those of arrays have an index. */
static void print_accessors(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        const char *index = zg_step_is_array(step) ? ", unsigned index" : "";
        if (!step->field->scaled)
            continue;
        g_autofree char *suffix = zg_field_suffix(step->field);
        g_string_append_printf(
            text,
            "/* %s%s%s: %s of the field's physical value, and setting it to\n * the nearest raw value of a physical "
            "one (0; or ZG_ERANGE, and the field is unchanged). */\ndouble %s_%s_%s_%s(const struct %s_%s "
            "*message%s);\nint %s_%s_set_%s_%s(struct %s_%s *message%s, double value);\n\n",
            step->code, step->field->unit ? " in " : "", step->field->unit ? step->field->unit : "",
            step->exact ? "the nearest double" : "a double, not always the nearest (the scale has too many digits),",
            c->prefix, block->name, step->code, suffix, c->prefix, block->name, index, c->prefix, block->name,
            step->code, suffix, c->prefix, block->name, index);
    }
}

/* The functions of a message or variable; `what` is a remark on what is packed. */
static void print_prototypes(const struct zgi_c *c, GString *text, const struct zg_block *block, const char *what)
{
    const char *p = c->prefix;
    const char *name = block->name;

    g_string_append_printf(text,
                           "int %s_%s_check(const struct %s_%s *message);\n"
                           "int %s_%s_pack(const struct %s_%s *message, uint8_t *out, size_t room, size_t *size);%s\n"
                           "int %s_%s_unpack(struct %s_%s *message, const uint8_t *in, size_t length, size_t "
                           "*ignored);\n\n",
                           p, name, p, name, p, name, p, name, what, p, name, p, name);
    print_accessors(c, text, block);
}

/* Bits of the widest number in a header. */
static unsigned widest_role(const struct zg_plan *plan)
{
    unsigned most = 0;

    for (unsigned i = 0; i < plan->header.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&plan->header, i);
        if (step->role->role != ZG_ROLE_CONST && step->role->role != ZG_ROLE_RESERVED)
            most = MAX(most, zgi_c_bits(step));
    }
    return most;
}

/* Which version of the runtime it needs, so that headers of another version are reported before they lead to errors. */
static void print_runtime(const struct zgi_c *c, GString *text)
{
    g_string_append_printf(text,
                           "#define %s_RUNTIME %d /* the version of the runtime that this was generated for */\n#if "
                           "%s_RUNTIME != ZG_RUNTIME\n",
                           c->upper, ZG_RUNTIME, c->upper);
    g_string_append(
        text, "#error \"this file was generated for another version of the runtime: generate it again\"\n#endif\n\n");
}

static const char functions_explained[] =
    "/* Of each message and variable:\n *\n * NAME_check(): 0, or ZG_ERANGE if a field is outside its type or range.\n "
    "*\n * NAME_pack(): writes its payload into `out` and the length into `*size`. Returns 0; ZG_ERANGE as\n * above; "
    "ZG_EROOM if `room` bytes are too few: `*size` is how many are needed, and nothing is\n * written.\n *\n * "
    "NAME_unpack(): reads it from `in`, which must not be NULL. Returns 0, and sets `*ignored`, unless\n * `ignored` "
    "is NULL, to how many bytes follow the last known field; or ZG_ESIZE if `length` does not\n * fit the fields. "
    "Values outside their range are read as they are; NAME_check() finds them. */\n\n";

void zgi_c_types(const struct zgi_c *c, GString *text)
{
    const struct zg_plan *plan = c->plan;
    const struct zg_halves *halves = &plan->framer.halves;
    g_autofree char *room = plan->definition->framing.halves
                                ? g_strdup_printf("ZG_HALVES_ROOM(%zu, %zu)", halves->room, halves->max_frame)
                                : g_strdup_printf("%uU", plan->receive_room);

    g_string_append_printf(text,
                           "#include <stdbool.h>\n#include <stddef.h>\n#include <stdint.h>\n\n"
                           "#include \"zeugma/error.h\"\n%s#include \"zeugma/link.h\"\n\n",
                           plan->definition->framing.halves ? "#include \"zeugma/halves.h\"\n" : "");
    print_runtime(c, text);
    g_string_append_printf(
        text,
        "#ifdef __cplusplus\nextern \"C\" {\n#endif\n\n#define %s_VERSION_MAJOR %uU\n#define %s_VERSION_MINOR "
        "%uU\n#define %s_HEADER_SIZE %uU /* bytes */\n#define %s_CHECK_SIZE %uU /* bytes */\n#define %s_MAX_PAYLOAD "
        "%uU /* bytes, before stuffing */\n#define %s_MAX_FRAME %uU /* bytes on the wire, with the worst stuffing "
        "*/\n#define %s_RECEIVE_ROOM %s /* bytes of memory for finding a frame */\n\nZG_ASSERT(ZG_CHECK_BITS >= %u, "
        "\"this protocol's check needs a wider ZG_CHECK_BITS\");\nZG_ASSERT(ZG_HEADER_NUMBER_BITS >= %u, \"this "
        "protocol's header needs a wider ZG_HEADER_NUMBER_BITS\");\n\n",
        c->upper, plan->definition->major, c->upper, plan->definition->minor, c->upper, plan->header.size, c->upper,
        (unsigned)plan->check.size, c->upper, plan->max_payload, c->upper, plan->max_frame, c->upper, room,
        plan->definition->check.sum ? plan->definition->check.sum->register_bits : plan->definition->check.crc.width,
        widest_role(plan));
    g_string_append(text, functions_explained);
    for (unsigned i = 0; i < plan->definition->enums->len; i++)
        print_enum(c, text, g_ptr_array_index(plan->definition->enums, i));
    for (unsigned i = 0; i < plan->records->len; i++) {
        print_record(c, text, g_ptr_array_index(plan->records, i));
        print_accessors(c, text, g_ptr_array_index(plan->records, i));
    }
    for (unsigned i = 0; i < plan->messages->len; i++) {
        print_message(c, text, zg_plan_message_at(plan, i));
        print_prototypes(c, text, &zg_plan_message_at(plan, i)->payload,
                         zg_plan_message_at(plan, i)->tickets > 0 ? " /* without its ticket */" : "");
    }
    for (unsigned i = 0; i < plan->variables->len; i++) {
        print_variable(c, text, zg_plan_variable_at(plan, i));
        print_prototypes(c, text, &zg_plan_variable_at(plan, i)->block, "");
    }
    g_string_append(text, "#ifdef __cplusplus\n}\n#endif\n\n");
}
