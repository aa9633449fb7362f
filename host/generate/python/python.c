/* SPDX-License-Identifier: MIT */
/* PROTOCOL.py: constants, the parts that every protocol shares, enums, records and messages. */
#include <math.h>
#include <string.h>

#include "codec/json.h"
#include "generate/embedded.h"
#include "generate/generate.h"
#include "generate/python/forms.h"
#include "plan/end.h"
#include "plan/fingerprint.h"

/* A field's name, with "_" appended if a message has a function of that name. */
static char *attribute(const char *name)
{
    static const char *const own[] = { "check",  "pack",        "unpack",   "ID",    "TAGS",   "WHOLE",
                                       "SENDER", "TICKET_SIZE", "DELIVERY", "INDEX", "ACCESS", NULL };
    return g_strconcat(name, g_strv_contains(own, name) ? "_" : "", NULL);
}

/* Text as a Python string. */
static char *quoted(const char *text)
{
    struct zg_json json;
    zg_json_begin(&json, false);
    zg_json_string(&json, NULL, text);
    return zg_json_end(&json);
}

static void append_number(GString *text, double value)
{
    if (isinf(value)) {
        g_string_append(text, value < 0 ? "-math.inf" : "math.inf");
        return;
    }
    gsize before = text->len;
    zg_append_double(text, value);
    if (!strpbrk(text->str + before, ".en"))
        g_string_append(text, ".0");
}

static void append_raw(GString *text, const struct zg_step *step, union zg_raw raw)
{
    if (step->type.kind == ZG_KIND_FLOAT)
        append_number(text, raw.f);
    else if (zg_step_is_signed(step))
        g_string_append_printf(text, "%" G_GINT64_FORMAT, raw.i);
    else
        g_string_append_printf(text, "%" G_GUINT64_FORMAT, raw.u);
}

/* --- what one element is */

static const char *kind_name(const struct zg_step *step)
{
    static const char *const names[] = {
        [ZG_KIND_UNSIGNED] = "u", [ZG_KIND_SIGNED] = "i",          [ZG_KIND_BOOL] = "bool",
        [ZG_KIND_FLOAT] = "f",    [ZG_KIND_LEB_UNSIGNED] = "uleb", [ZG_KIND_LEB_SIGNED] = "sleb",
        [ZG_KIND_TEXT] = "text",  [ZG_KIND_BYTES] = "bytes",       [ZG_KIND_RECORD] = "record",
    };
    return names[step->type.kind];
}

static char *element_hint(const struct zg_step *step)
{
    if (step->type.enumeration) {
        g_autofree char *name = zg_python_name(step->type.enumeration->name);
        return step->type.enumeration->flags ? g_strdup(name) : g_strdup_printf("Union[%s, int]", name);
    }
    switch (step->type.kind) {
    case ZG_KIND_BOOL: return g_strdup("bool");
    case ZG_KIND_FLOAT: return g_strdup("float");
    case ZG_KIND_TEXT: return g_strdup("str");
    case ZG_KIND_BYTES: return g_strdup("bytes");
    case ZG_KIND_RECORD: return zg_python_name(step->record->name);
    default: return g_strdup(step->field->scaled ? "float" : "int");
    }
}

/* The initial value of one element. */
static char *element_default(const struct zg_step *step)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    GString *text = g_string_new(NULL);

    if (enumeration) {
        g_autofree char *name = zg_python_name(enumeration->name);
        const char *value = enumeration->flags ? NULL : zg_enum_name(enumeration, step->fallback);
        g_autofree char *upper = value ? g_ascii_strup(value, -1) : NULL;
        if (value)
            g_string_append_printf(text, "%s.%s", name, upper);
        else if (enumeration->flags)
            g_string_append_printf(text, "%s(%" G_GUINT64_FORMAT ")", name, step->fallback.u);
        else
            append_raw(text, step, step->fallback);
    } else if (step->record) {
        g_autofree char *name = zg_python_name(step->record->name);
        g_string_append_printf(text, "%s()", name);
    } else if (step->type.kind == ZG_KIND_BOOL) {
        g_string_append(text, step->fallback.b ? "True" : "False");
    } else if (step->field->scaled) {
        append_number(text, zg_step_physical(step, step->fallback));
    } else {
        append_raw(text, step, step->fallback);
    }
    return g_string_free(text, FALSE);
}

/* --- fields */

static void print_default(GString *text, const struct zg_step *step)
{
    bool fixed = step->type.extent == ZG_EXTENT_FIXED;

    if (step->type.kind == ZG_KIND_TEXT) {
        g_string_append(text, "\"\"");
        return;
    }
    if (step->type.kind == ZG_KIND_BYTES) {
        g_string_append_printf(text, "bytes(%u)", fixed ? step->most : 0);
        return;
    }
    g_autofree char *item = element_default(step);
    if (zg_step_is_array(step) && fixed)
        g_string_append_printf(text, "field(default_factory=lambda: [%s for _ in range(%u)])", item, step->most);
    else if (zg_step_is_array(step))
        g_string_append(text, "field(default_factory=list)");
    else if (step->record)
        g_string_append_printf(text, "field(default_factory=lambda: %s)", item);
    else
        g_string_append(text, item);
}

static void print_field(GString *text, const struct zg_step *step)
{
    g_autofree char *hint = element_hint(step);
    g_autofree char *name = attribute(step->code);
    g_autoptr(GString) note = g_string_new(NULL);

    if (step->field->unit)
        g_string_append(note, step->field->unit);
    if (step->field->ranged) {
        g_string_append(note, note->len ? ", " : "");
        zg_append_double(note, step->scale.low);
        g_string_append(note, " to ");
        zg_append_double(note, step->scale.high);
    }
    if (step->field->summary)
        g_string_append_printf(note, "%s%s", note->len ? "; " : "", step->field->summary);
    g_strdelimit(note->str, "\r\n", ' ');
    g_autofree char *whole = zg_step_is_array(step) ? g_strdup_printf("List[%s]", hint) : g_strdup(hint);
    g_string_append_printf(text, step->field->optional ? "    %s: Optional[%s] = " : "    %s: %s = ", name, whole);
    if (step->field->optional)
        g_string_append(text, "None");
    else
        print_default(text, step);
    g_string_append_printf(text, "%s%s\n", note->len ? "  # " : "", note->str);
}

static void print_limits(GString *text, const struct zg_step *step)
{
    if (zg_type_is_integer(step->type) || (step->type.kind == ZG_KIND_FLOAT && step->field->ranged)) {
        g_string_append(text, ", low=");
        append_raw(text, step, step->low);
        g_string_append(text, ", high=");
        append_raw(text, step, step->high);
    }
    if (step->field->scaled) {
        g_autofree char *scale = mpq_get_str(NULL, 10, step->field->scale);
        g_autofree char *offset = mpq_get_str(NULL, 10, step->field->offset);
        g_string_append_printf(text, ", scale=Fraction(\"%s\"), offset=Fraction(\"%s\")", scale, offset);
    }
    if (step->field->scaled || (step->type.kind == ZG_KIND_FLOAT && step->field->ranged)) {
        g_string_append(text, ", limits=(");
        append_number(text, step->scale.low);
        g_string_append(text, ", ");
        append_number(text, step->scale.high);
        g_string_append_c(text, ')');
    }
}

static void print_step(GString *text, const struct zg_step *step, enum zg_layout_kind kind)
{
    static const char *const extents[] = { "one", "fixed", "counted", "rest" };
    bool leb = zg_step_is_leb(step);
    g_autofree char *name = attribute(step->code);

    g_string_append_printf(text, "        _Step(\"%s\", \"%s\", bits=%u, byte=%u", name, kind_name(step), step->bits,
                           step->byte);
    if (step->type.extent != ZG_EXTENT_ONE)
        g_string_append_printf(text, ", extent=\"%s\", most=%u", extents[step->type.extent], step->most);
    if (step->bit > 0)
        g_string_append_printf(text, ", bit=%u", step->bit);
    if (step->big_endian)
        g_string_append(text, ", big=True");
    if (step->varies)
        g_string_append(text, ", varies=True");
    if (step->count_size > 0)
        g_string_append_printf(text, ", count=%u%s", step->count_size,
                               step->count_big_endian ? ", count_big=True" : "");
    if (step->count_size > 0 && step->count_unit > 1)
        g_string_append_printf(text, ", unit=%u", step->count_unit);
    if (step->newer)
        g_string_append(text, ", newer=True");
    if (leb)
        g_string_append_printf(text, ", leb=%u", step->type.bits);
    if (step->record) {
        g_autofree char *record = zg_python_name(step->record->name);
        g_string_append_printf(text, ", record=%s", record);
    }
    if (step->type.enumeration) {
        g_autofree char *names = zg_python_name(step->type.enumeration->name);
        g_string_append_printf(text, ", names=%s", names);
    }
    if (step->type.is_ascii)
        g_string_append(text, ", ascii=True");
    print_limits(text, step);
    if (step->fallback.u != 0) {
        g_string_append(text, ", default=");
        append_raw(text, step, step->fallback);
    }
    if (kind != ZG_LAYOUT_BINARY)
        zgi_python_form(text, step, kind);
    g_string_append(text, "),\n");
}

static void print_steps(GString *text, const struct zg_block *block, enum zg_layout_kind kind)
{
    g_string_append_printf(text, "    _size = %u\n    _steps = (\n", block->size);
    for (unsigned i = 0; i < block->steps->len; i++)
        print_step(text, zg_block_step(block, i), kind);
    g_string_append(text, "    )\n");
}

static void print_docstring(GString *text, const char *summary, const char *more)
{
    g_autofree char *whole = g_strdup_printf("%s%s%s", summary ? summary : "", summary && *more ? ". " : "", more);
    g_autofree char *doc = quoted(whole);
    g_string_append_printf(text, "    %s\n\n", doc);
}

/* --- the module */

static void print_enum(GString *text, const struct zg_enum *enumeration)
{
    g_autofree char *name = zg_python_name(enumeration->name);

    g_string_append_printf(text, "\n\nclass %s(enum.%s):\n", name, enumeration->flags ? "IntFlag" : "IntEnum");
    print_docstring(text, enumeration->summary, enumeration->flags ? "A set of flags." : "One of these.");
    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        g_autofree char *upper = g_ascii_strup(value->name, -1);
        g_autofree char *summary = value->summary ? g_strdelimit(g_strdup(value->summary), "\r\n", ' ') : NULL;
        if (enumeration->flags)
            g_string_append_printf(text, "    %s = 1 << %u", upper, (unsigned)value->raw.u);
        else
            g_string_append_printf(text, "    %s = %" G_GINT64_FORMAT, upper, value->raw.i);
        g_string_append_printf(text, "%s%s\n", summary ? "  # " : "", summary ? summary : "");
    }
}

static void print_record(GString *text, const struct zg_block *record, enum zg_layout_kind kind)
{
    g_autofree char *name = zg_python_name(record->name);

    g_string_append_printf(text, "\n\n@dataclass\nclass %s(_Block):\n", name);
    print_docstring(text, NULL, "A record.");
    for (unsigned i = 0; i < record->steps->len; i++)
        print_field(text, zg_block_step(record, i));
    if (record->length)
        g_string_append_printf(text, "    _length: ClassVar[tuple] = (%u, %u, \"%s\", %d)\n", record->length_byte,
                               record->length->bits / 8, record->length->big_endian ? "big" : "little",
                               -(int)zg_block_length_of(record, 0));
    print_steps(text, record, kind);
}

static void print_classes(GString *text, const GPtrArray *names)
{
    g_string_append_c(text, '(');
    for (unsigned i = 0; i < names->len; i++) {
        g_autofree char *name = zg_python_name(g_ptr_array_index(names, i));
        g_string_append_printf(text, "%s\"%s\",", i > 0 ? " " : "", name);
    }
    g_string_append_c(text, ')');
}

/* Window, retries, seconds to wait for the answer, whether the order is kept, the classes of the replies. */
static void print_delivery(GString *text, const struct zg_message *message)
{

    g_string_append_printf(text, "    DELIVERY: ClassVar = (%u, %u, ", message->window, message->retries);
    append_number(text, (double)message->timeout_ns / 1e9);
    g_string_append_printf(text, ", %s, ", message->kept ? "True" : "False");
    print_classes(text, message->replies);
    g_string_append(text, ")\n");
}

static void print_query(GString *text, const struct zg_message *message)
{
    g_string_append_printf(text, "    QUERY: ClassVar = (%u, ", message->retries);
    append_number(text, (double)message->timeout_ns / 1e9);
    g_string_append(text, ", ");
    print_classes(text, message->replies);
    g_string_append(text, ", ");
    print_classes(text, message->lines);
    g_string_append(text, ")\n");
}

static void print_tags(GString *text, const struct zg_message *message)
{
    if (message->tags->len > 0)
        g_string_append(text, "    TAGS: ClassVar[tuple] = (");
    for (unsigned i = 0; i < message->tags->len; i++) {
        const struct zg_tag *tag = g_ptr_array_index(message->tags, i);
        g_string_append_printf(text, "%sb\"", i > 0 ? " " : "");
        for (unsigned k = 0; k < tag->size; k++)
            g_string_append_printf(text, "\\x%02x", tag->bytes[k]);
        g_string_append(text, "\",");
    }
    if (message->tags->len > 0)
        g_string_append(text, ")\n");
    if (message->tags->len > 0 && ((const struct zg_tag *)g_ptr_array_index(message->tags, 0))->whole)
        g_string_append(text, "    WHOLE: ClassVar[bool] = True\n");
    if (message->bare)
        g_string_append(text, "    BARE: ClassVar[bool] = True\n");
}

static void print_message(GString *text, const struct zg_plan *plan, const struct zg_plan_message *item)
{
    g_autofree char *name = zg_python_name(item->message->name);
    g_autofree char *sender = g_strdup_printf("Sent by %s.", zg_side_name(item->message->from));

    g_string_append_printf(text, "\n\n@dataclass\nclass %s(%s):\n", name, item->text ? "_Written" : "_Message");
    print_docstring(text, item->message->summary, sender);
    for (unsigned i = 0; i < item->payload.steps->len; i++)
        print_field(text, zg_block_step(&item->payload, i));
    g_string_append_printf(text, "    ID: ClassVar[int] = %" G_GUINT64_FORMAT "\n    SENDER: ClassVar[str] = \"%s\"\n",
                           item->message->id, zg_side_name(item->message->from));
    print_tags(text, item->message);
    if (item->text)
        zgi_python_parts(text, item);
    if (item->fixed_end)
        g_string_append_printf(text, "    BEFORE_END: ClassVar[Optional[int]] = %u\n", zg_plan_before_end(plan, item));
    else if (plan->searched)
        g_string_append(text, "    SEARCHED: ClassVar[bool] = True\n");
    if (item->tickets > 0)
        g_string_append_printf(text, "    TICKET_SIZE: ClassVar[int] = %u\n", item->tickets);
    if (item->tickets > 0 && !item->message->is_reply)
        print_delivery(text, item->message);
    if (item->message->ticketless)
        print_query(text, item->message);
    print_steps(text, &item->payload, item->message->layout.kind);
}

static void print_variable(GString *text, const struct zg_plan_variable *item)
{
    g_autofree char *name = zg_python_name(item->name);

    g_string_append_printf(text, "\n\n@dataclass\nclass %s(_Message):\n", name);
    print_docstring(text, zg_variable_field(item->variable)->summary, "A variable.");
    print_field(text, zg_block_step(&item->block, 0));
    g_string_append_printf(text, "    INDEX: ClassVar[int] = %u\n    ACCESS: ClassVar[str] = \"%s\"\n",
                           item->variable->index, zg_access_name(item->variable->access));
    print_steps(text, &item->block, ZG_LAYOUT_BINARY);
}

static void print_mark(GString *text, const char *name, const struct zg_mark *mark)
{
    g_string_append_printf(text, "%s = bytes([", name);
    for (unsigned i = 0; i < mark->size; i++)
        g_string_append_printf(text, "%s0x%02X", i > 0 ? ", " : "", mark->bytes[i]);
    g_string_append(text, "])\n");
}

static void print_framing(GString *text, const struct zg_plan *plan)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;
    static const struct zg_mark none = { 0 };
    static const char *const halves[] = { "None", "\"low\"", "\"high\"" };

    g_string_append_printf(text,
                           "FRAMING = \"%s\"\nHALVES = %s  # of a byte that is two characters: which goes first\nLEAD "
                           "= %s\nESCAPE_CONTROL = %s\nMAX_CONTENT = %u\nFILLED = %u\nCODING = %s\n",
                           zg_framing_names[framing->kind], halves[framing->halves],
                           plan->framer.framing.lead ? "True" : "False", framing->escape_control ? "True" : "False",
                           plan->definition->framing.coding ? 2 * plan->max_content : plan->max_content, plan->filled,
                           plan->definition->framing.coding == ZG_CODING_UPPER   ? "\"HEX\""
                           : plan->definition->framing.coding == ZG_CODING_LOWER ? "\"hex\""
                                                                                 : "None");
    print_mark(text, "START", &framing->start);
    print_mark(text, "END", &framing->end);
    print_mark(text, "HOST_END", zg_framing_is_sided(framing) ? &framing->host_end : &framing->end);
    g_string_append(text, "IGNORED = bytes([");
    for (unsigned i = 0; i < framing->ignores; i++)
        g_string_append_printf(text, "%s0x%02X", i > 0 ? ", " : "", framing->ignored[i]);
    g_string_append(text, "])\nENDS = (END, HOST_END");
    for (unsigned i = 0; i < framing->also_ends; i++) {
        g_string_append(text, ", bytes([");
        for (unsigned k = 0; k < framing->also_end[i].size; k++)
            g_string_append_printf(text, "%s0x%02X", k > 0 ? ", " : "", framing->also_end[i].bytes[k]);
        g_string_append(text, "])");
    }
    g_string_append(text, ")\n");
    print_mark(text, "CHECK_SUFFIX", plan->check.form && plan->check.form->closing_size > 0 ? &framing->end : &none);
    print_mark(text, "CHECK_PREFIX", plan->definition->check.covers == ZG_COVERS_ALL ? &framing->start : &none);
    if (framing->kind == ZG_FRAMING_LENGTH || framing->kind == ZG_FRAMING_FIXED || plan->sized)
        g_string_append_printf(text, "_LENGTH_END = %u  # bytes of the header up to the length's last\n",
                               (unsigned)plan->framer.sized.head);
    if (zg_framing_is_plain(framing) && !plan->sized)
        g_string_append_printf(text, "PLAIN = True\nDOUBLED = False\nESCAPE = None\nESCAPE_XOR = 0\nFIXED_ENDS = %s\n",
                               zg_plan_has_fixed_ends(plan, ZG_SIDE_BOTH) ? "True" : "False");
    else if (framing->marking != ZG_MARKING_PLAIN)
        g_string_append_printf(text, "PLAIN = False\nDOUBLED = %s\nESCAPE = 0x%02X\nESCAPE_XOR = 0x%02X\n",
                               framing->marking == ZG_MARKING_DOUBLED ? "True" : "False", framing->escape,
                               framing->escape_xor);
}

static void print_constants(GString *text, const struct zg_plan *plan)
{
    const struct zg_definition *definition = plan->definition;
    const struct zg_crc_parameters *crc = &definition->check.crc;

    g_string_append_printf(
        text,
        "VERSION = (%u, %u)\n_VERSION_ON_WIRE = %u\nHEADER_SIZE = %u\nCHECK_SIZE = %u\nCHECK_ORDER = \"%s\"\n"
        "MAX_PAYLOAD = %u\nMAX_FRAME = %u\n_LENGTH_MORE = %u\n",
        definition->major, definition->minor, plan->version, plan->header.size, (unsigned)plan->check.size,
        plan->check.big_endian ? "big" : "little", plan->max_payload, plan->max_frame, plan->length_more);
    g_string_append_printf(text, "CHECK = \"%s\"\nCHECK_SKIP = %u  # bytes of the header that it does not cover\n",
                           definition->check.kind == ZG_CHECK_CRC ? "crc" : definition->check.name,
                           (unsigned)plan->check.skip);
    print_mark(text, "CHECK_AFTER", &definition->check.after);
    g_string_append_printf(text,
                           "CHECK_BASE = %u  # 0: bytes\nCHECK_CASE = \"%s\"\nCHECK_BEHIND = %u  # bytes of it behind "
                           "the end mark\n",
                           plan->check.form ? plan->check.form->base : 0U, definition->check.lower ? "x" : "X",
                           zg_plan_trailing(plan));
    g_string_append_printf(text, "INTERLEAVED = %s  # console text shares the line\n",
                           definition->console == ZG_CONSOLE_INTERLEAVED ? "True" : "False");
    print_framing(text, plan);
    if (definition->check.kind == ZG_CHECK_CRC)
        g_string_append_printf(text,
                               "CRC_WIDTH = %u\nCRC_POLY = 0x%" G_GINT64_MODIFIER "X\nCRC_INIT = 0x%" G_GINT64_MODIFIER
                               "X\nCRC_REFLECT_IN = %s\nCRC_REFLECT_OUT = %s\nCRC_XOR_OUT = 0x%" G_GINT64_MODIFIER
                               "X\n",
                               crc->width, crc->poly, crc->init, crc->reflect_in ? "True" : "False",
                               crc->reflect_out ? "True" : "False", crc->xor_out);
    g_string_append(text,
                    "_HEADER = (  # role, byte, bit of its run, bits, most significant first, value of a constant\n");
    for (unsigned i = 0; i < plan->header.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&plan->header, i);
        g_string_append_printf(text, "    (\"%s\", %u, %u, %u, %s, %" G_GUINT64_FORMAT "),\n", step->code, step->byte,
                               step->bit, step->bits, step->big_endian ? "True" : "False", step->role->value);
    }
    g_string_append(text, ")\n\n");
}

/* The parts that are the same for every protocol with this framing. */
static void print_support(GString *text, const struct zg_plan *plan)
{
    static const char *const finders[ZG_FRAMINGS][2] = { [ZG_FRAMING_COBS] = { "delimited", "cobs" },
                                                         [ZG_FRAMING_SLIP] = { "delimited", "escaped" },
                                                         [ZG_FRAMING_HDLC] = { "delimited", "escaped" },
                                                         [ZG_FRAMING_LENGTH] = { "scanned", "sized" },
                                                         [ZG_FRAMING_FIXED] = { "scanned", "sized" },
                                                         [ZG_FRAMING_MARKS] = { "scanned", "marks" },
                                                         [ZG_FRAMING_GAP] = { "gap", NULL },
                                                         [ZG_FRAMING_PACKET] = { "gap", NULL } };
    const struct zg_framing_choice *framing = &plan->definition->framing;
    const char *parts[] = { "values",
                            finders[framing->kind][0],
                            finders[framing->kind][1],
                            framing->halves ? "halves" : NULL,
                            "receiver",
                            zg_plan_has_texts(plan) ? "texts" : NULL };

    if (plan->sized)
        parts[2] = "sized";
    for (unsigned i = 0; i < G_N_ELEMENTS(parts); i++) {
        g_autofree char *path = parts[i] ? g_strdup_printf("python/%s.py", parts[i]) : NULL;
        if (path)
            g_string_append_printf(text, "%s%s",
                                   i == 0               ? ""
                                   : i == 2 && parts[1] ? ""
                                                        : "\n\n",
                                   zgi_embedded_text(path));
    }
}

static void print_seconds(GString *text, const char *name, uint64_t ns)
{
    g_string_append_printf(text, "%s = ", name);
    append_number(text, (double)ns / 1e9);
    g_string_append(text, "  # s\n");
}

/* The host's end, and what it needs to know about this protocol. */
static void print_host(GString *text, const struct zg_plan *plan)
{
    static const char *const services[] = { "hello",          "acknowledge", "refused", "echo_reply",
                                            "variable_value", "console",     "traffic" };
    const struct zg_line *line = &plan->definition->line;

    g_string_append_printf(text, "\nFINGERPRINT = 0x%08X\n_WINDOW = %u\n", zg_fingerprint(plan),
                           zg_plan_end(plan, ZG_SIDE_HOST).window);
    print_seconds(text, "BYTE_TIMEOUT", line->byte_timeout_ns);
    print_seconds(text, "KEEPALIVE", line->keepalive_ns);
    print_seconds(text, "LINK_TIMEOUT", line->link_timeout_ns);
    print_seconds(text, "_GAP", plan->send_gap_ns);
    print_seconds(text, "_TURN", plan->turn_ns);
    print_seconds(text, "_ANSWER", zg_plan_answer_us(plan) * 1000);
    print_seconds(text, "_BYTE", zg_line_byte_ns(line));
    print_seconds(text, "HELLO_WAIT", zg_plan_hello_wait_us(plan) * 1000);
    for (unsigned i = 0; i < G_N_ELEMENTS(services); i++) {
        const struct zg_plan_message *item = zg_plan_by_name(plan, services[i]);
        g_autofree char *upper = g_ascii_strup(services[i], -1);
        g_autofree char *name = zg_python_name(services[i]);
        g_string_append_printf(text, "_%s = %s\n", upper, item && item->message->service ? name : "None");
    }
    if (zg_definition_serves(plan->definition, ZG_SERVICE_TRAFFIC))
        g_string_append_printf(text, "\n\n%s", zgi_embedded_text("python/traffic.py"));
    g_string_append(text, zgi_embedded_text("python/host.py"));
}

GPtrArray *zg_generate_python(const struct zg_plan *plan)
{
    const struct zg_definition *definition = plan->definition;
    GPtrArray *files = zgi_generated_new();
    GString *text = g_string_new(NULL);
    g_autofree char *file = g_path_get_basename(definition->file);
    g_autofree char *line = g_strdup_printf("Made by zeugma from %s, %s %u.%u. Change that, not this.", file,
                                            definition->protocol, definition->major, definition->minor);
    g_autofree char *doc = quoted(line);
    const bool has_texts = zg_plan_has_texts(plan), has_halves = plan->definition->framing.halves != ZG_HALVES_NONE;

    g_string_append_printf(
        text,
        "%s\n\nfrom __future__ import annotations\n\n%simport enum\nimport functools\n%simport math\nimport operator\n"
        "%simport struct\n%simport zlib\n"
        "from dataclasses import dataclass, field\nfrom fractions import Fraction\n"
        "from typing import ClassVar, Iterator, List, Optional, Union\n\n",
        doc, has_texts ? "import base64\n" : "", has_halves ? "import itertools\n" : "", has_texts ? "import re\n" : "",
        has_halves ? "import types\n" : "");
    print_constants(text, plan);
    print_support(text, plan);
    for (unsigned i = 0; i < definition->enums->len; i++)
        print_enum(text, g_ptr_array_index(definition->enums, i));
    for (unsigned i = 0; i < plan->records->len; i++)
        print_record(text, g_ptr_array_index(plan->records, i), has_texts ? ZG_LAYOUT_JSON : ZG_LAYOUT_BINARY);
    for (unsigned i = 0; i < plan->messages->len; i++)
        print_message(text, plan, zg_plan_message_at(plan, i));
    for (unsigned i = 0; i < plan->variables->len; i++)
        print_variable(text, zg_plan_variable_at(plan, i));
    g_string_append(text, "\n\nMESSAGES = {\n");
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(plan, i)->message;
        g_autofree char *name = zg_python_name(message->name);
        g_string_append_printf(text, "    \"%s\": %s,\n", message->name, name);
    }
    g_string_append(
        text, "}\n_BY_ID = {sender: {kind.ID: kind for kind in MESSAGES.values() if kind.SENDER in (sender, "
              "\"both\") and not kind.BARE} for sender in (\"device\", \"host\")}\n_BARE = sorted((kind for kind in "
              "MESSAGES.values() if kind.BARE), key=lambda kind: kind.SENDER == \"host\")\n\nVARIABLES = {\n");
    for (unsigned i = 0; i < plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(plan, i);
        g_autofree char *name = zg_python_name(item->name);
        g_string_append_printf(text, "    %u: %s,\n", item->variable->index, name);
    }
    g_string_append(text, "}\n");
    print_host(text, plan);
    zgi_generated_add(files, g_strconcat(definition->protocol, ".py", NULL), text);
    return files;
}
