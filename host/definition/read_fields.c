/* SPDX-License-Identifier: MIT */
/* Fields of messages and records, variables, and records. */
#include <string.h>

#include "definition/read.h"
#include "definition/reserved.h"
#include "definition/words.h"

/* A field being read. */
struct field_reading {
    const struct zg_definition *definition;
    struct zg_field *field;
    bool typed, uncounted;
    int decimals; /* of scale and offset */
    struct zg_place scale_place, range_place;
};

static void read_field_type(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct field_reading *reading = into;
    reading->typed = zgi_read_type(reader, entry->value, reading->definition, &reading->field->type);
}

static bool read_number(struct zgi_reader *reader, yaml_node_t *node, const char *expected, bool fraction, mpq_t value)
{
    const char *text = zgi_scalar(reader, node, expected);
    if (!text)
        return false;
    if (zgi_parse_number(text, fraction, value))
        return true;
    zgi_error(reader->diagnostics, zgi_place(node), "expected %s, found \"%s\"", expected, text);
    return false;
}

/* How many decimals a scale or offset is written with; a fraction, or a number with an exponent, says none. */
static void note_decimals(const yaml_node_t *node, struct field_reading *reading)
{
    const char *text = node->type == YAML_SCALAR_NODE ? (const char *)node->data.scalar.value : "";
    const char *point = strchr(text, '.');

    if (strpbrk(text, "/") || (strpbrk(text, "eE") && !g_str_has_prefix(text, "0x")))
        reading->decimals = -1;
    else if (reading->decimals >= 0 && point)
        reading->decimals = MAX(reading->decimals, (int)strspn(point + 1, "0123456789"));
}

static void read_scale(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct field_reading *reading = into;
    struct zg_field *field = reading->field;

    reading->scale_place = entry->place;
    note_decimals(entry->value, reading);
    if (read_number(reader, entry->value, "a scale: a decimal number or a fraction, 0.01 or 1/64", true,
                    field->scale) &&
        mpq_sgn(field->scale) == 0) {
        zgi_error(reader->diagnostics, zgi_place(entry->value), "a scale of 0 makes every value the same");
        mpq_set_ui(field->scale, 1, 1);
    }
}

static void read_offset(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct field_reading *reading = into;
    reading->scale_place = entry->place;
    note_decimals(entry->value, reading);
    read_number(reader, entry->value, "an offset: a decimal number", false, reading->field->offset);
}

/* range = [ low, high ] */
static void read_range(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct field_reading *reading = into;
    struct zg_field *field = reading->field;
    static const char expected[] = "a range of two numbers, [low, high]";
    g_autoptr(GPtrArray) items = zgi_items(reader, entry->value, expected);

    reading->range_place = zgi_place(entry->value);
    if (!items)
        return;
    if (items->len != 2) {
        zgi_error(reader->diagnostics, reading->range_place, "expected %s, found %u items", expected, items->len);
        return;
    }
    field->ranged = read_number(reader, g_ptr_array_index(items, 0), "a number", false, field->low) &&
                    read_number(reader, g_ptr_array_index(items, 1), "a number", false, field->high);
    if (field->ranged && mpq_cmp(field->low, field->high) > 0) {
        zgi_error(reader->diagnostics, reading->range_place, "the range's low end is above its high end; swap them");
        field->ranged = false;
    }
}

static void read_field_unit(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_keep_text(reader, entry, &((struct field_reading *)into)->field->unit);
}

static void read_field_summary(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_keep_text(reader, entry, &((struct field_reading *)into)->field->summary);
}

static void read_field_order(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_order(reader, entry->value, &((struct field_reading *)into)->field->big_endian);
}

/* since = major "." minor: the version of this protocol that introduced the field */
static void read_since(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct field_reading *reading = into;
    const struct zg_definition *definition = reading->definition;
    const char *text = zgi_scalar(reader, entry->value, "a version major.minor");
    unsigned major, minor;

    if (!text)
        return;
    reading->field->since_place = zgi_place(entry->value);
    if (!zgi_parse_version(text, &major, &minor) || major != definition->major || minor > definition->minor ||
        minor == 0)
        zgi_error(reader->diagnostics, reading->field->since_place,
                  "expected a version after %u.0, up to this protocol's %u.%u, found \"%s\"", definition->major,
                  definition->major, definition->minor, text);
    else
        reading->field->since = minor;
}

static void read_default(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct field_reading *reading = into;
    reading->field->default_place = zgi_place(entry->value);
    zgi_keep_text(reader, entry, &reading->field->default_text);
}

static void read_key(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_field *field = ((struct field_reading *)into)->field;

    g_free(field->key);
    field->key = zgi_read_text(reader, entry->value, entry->key);
}

static void read_optional(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_field *field = ((struct field_reading *)into)->field;

    field->optional_place = entry->place;
    zgi_read_bool(reader, entry->value, "optional", &field->optional);
}

static void read_as(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_form(reader, entry, &((struct field_reading *)into)->field->form);
}

static void read_count_is(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "elements", "bytes", "none", NULL };
    struct field_reading *reading = into;
    unsigned index;

    if (!zgi_read_choice(reader, entry->value, "what the count counts", words, &index))
        return;
    reading->field->counts_bytes = index == 1;
    reading->uncounted = index == 2;
}

static void read_count_type(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "u8", "u16", NULL };
    unsigned index;

    if (zgi_read_choice(reader, entry->value, "a count's type", words, &index))
        ((struct field_reading *)into)->field->count_bits = 8 * (index + 1);
}

const struct zgi_key zgi_count_keys[] = {
    { "type", false, read_count_type, "count_type", "u8 or u16; default: the smaller one that fits" },
    { "is", true, read_count_is, "count_is", "elements (default), bytes, or none: there is no count" },
    { 0 }
};

static void read_count(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    ((struct field_reading *)into)->field->count_place = entry->place;
    if (entry->value->type == YAML_MAPPING_NODE)
        zgi_read_mapping(reader, entry->value, entry->place, "the count", zgi_count_keys, into);
    else
        read_count_is(reader, entry, into);
}

const struct zgi_key zgi_field_keys[] = {
    { "type", true, read_field_type, "type",
      "u1 to u64, i2 to i64, bool, f32, f64, uleb32, text[N], bytes[..N], an enum, flags, a record, or an array of "
      "these" },
    { "scale", false, read_scale, "scale",
      "Physical value = raw * scale + offset; a decimal or a fraction, 0.01 or 1/64; default 1" },
    { "offset", false, read_offset, "number", "Physical value = raw * scale + offset; default 0" },
    { "unit", false, read_field_unit, "text", "Unit of the physical value" },
    { "range", false, read_range, "range", "Least and greatest physical value, [low, high]" },
    { "summary", false, read_field_summary, "text", "What the value is" },
    { "order", false, read_field_order, "byte_order", "Byte order of this value; default: the frame's" },
    { "since", false, read_since, "version", "Version of the protocol that introduced the field" },
    { "default", false, read_default, "default",
      "Physical value of the field in payloads of older senders; default raw zero" },
    { "count", false, read_count, "count",
      "What the count in front of an array counts: elements (default) or bytes; none: the array goes to the end" },
    { "key", false, read_key, "any_text", "In pairs and json: its name on the wire; default the field's" },
    { "optional", false, read_optional, "bool", "In text layouts: it may be absent; default false" },
    { "as", false, read_as, "form", "In text layouts: how the value is written" },
    { 0 }
};

/* Text in quotes, or a plain integer. */
static void read_const(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_constant *constant = into;
    bool negative;
    uint64_t magnitude;

    constant->text = zgi_read_text(reader, entry->value, "const");
    constant->is_number =
        entry->value->type == YAML_SCALAR_NODE && entry->value->data.scalar.style == YAML_PLAIN_SCALAR_STYLE;
    if (constant->is_number && constant->text && !zgi_parse_integer(constant->text, &negative, &magnitude))
        zgi_error(reader->diagnostics, zgi_place(entry->value), "expected text in quotes or an integer, found \"%s\"",
                  constant->text);
}

static void read_const_key(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_constant *constant = into;

    g_free(constant->name);
    constant->name = zgi_read_text(reader, entry->value, entry->key);
}

static void skip_summary(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader; /* for readers of the file */
    (void)entry;
    (void)into;
}

/* A pair or member that is always the same. */
const struct zgi_key zgi_constant_keys[] = {
    { "const", true, read_const, "default",
      "In pairs and json: always this text in quotes, or this integer; no field" },
    { "key", false, read_const_key, "any_text", "Its name on the wire; default this name" },
    { "summary", false, skip_summary, "text", "What it is for" },
    { 0 }
};

static void read_length_type(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "u8", "u16", NULL };
    unsigned index;

    if (zgi_read_choice(reader, entry->value, "the type of a record's length", words, &index))
        ((struct zg_record_length *)into)->bits = 8 * (index + 1);
}

static void read_length_counts(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "record", "rest", NULL };
    unsigned index;

    if (zgi_read_choice(reader, entry->value, "what a record's length counts", words, &index))
        ((struct zg_record_length *)into)->counts_rest = index == 1;
}

static void read_length_plus(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    uint64_t plus;

    if (zgi_read_unsigned(reader, entry->value, "how much more the length counts,", 0, 255, &plus))
        ((struct zg_record_length *)into)->plus = (unsigned)plus;
}

static void read_length_order(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_order(reader, entry->value, &((struct zg_record_length *)into)->big_endian);
}

/* What says how long a record is. */
const struct zgi_key zgi_record_length_keys[] = {
    { "type", true, read_length_type, "count_type", "u8 or u16" },
    { "counts", true, read_length_counts, "record_counts",
      "record: all of its bytes, or rest: those behind this number" },
    { "plus", false, read_length_plus, "natural", "How much more it counts; default 0" },
    { "order", false, read_length_order, "byte_order", "Byte order; default: the frame's" },
    { "summary", false, skip_summary, "text", "What it is for" },
    { 0 }
};

/* The physical limits of a field's raw type. */
static void type_limits(const struct zg_field *field, mpq_t low, mpq_t high)
{
    unsigned bits = field->type.bits;
    bool is_signed = field->type.kind == ZG_KIND_SIGNED || field->type.kind == ZG_KIND_LEB_SIGNED;

    mpz_set_ui(mpq_numref(high), 1);
    mpz_mul_2exp(mpq_numref(high), mpq_numref(high), is_signed ? bits - 1 : bits);
    if (is_signed)
        mpz_neg(mpq_numref(low), mpq_numref(high));
    mpz_sub_ui(mpq_numref(high), mpq_numref(high), 1);
    mpq_mul(low, low, field->scale);
    mpq_add(low, low, field->offset);
    mpq_mul(high, high, field->scale);
    mpq_add(high, high, field->offset);
    if (mpq_sgn(field->scale) < 0)
        mpq_swap(low, high);
}

static void check_range_reachable(struct zgi_reader *reader, const struct field_reading *reading)
{
    const struct zg_field *field = reading->field;
    mpq_t low, high;

    mpq_inits(low, high, NULL);
    type_limits(field, low, high);
    double least = mpq_get_d(low);
    double most = mpq_get_d(high);
    if (mpq_cmp(field->high, low) < 0 || mpq_cmp(field->low, high) > 0)
        zgi_error(reader->diagnostics, reading->range_place, "%s can hold %g to %g, all of which the range excludes",
                  field->name, least, most);
    else if (mpq_cmp(field->low, low) < 0 || mpq_cmp(field->high, high) > 0)
        zgi_warning(reader->diagnostics, reading->range_place, "the range of %s goes beyond what it can hold, %g to %g",
                    field->name, least, most);
    mpq_clears(low, high, NULL);
}

/* What a count in front of an array can be. Without one the array goes to the end. */
static void check_count(struct zgi_reader *reader, const struct field_reading *reading, const char *type)
{
    struct zg_field *field = reading->field;
    const unsigned size = field->type.bits / 8;
    const bool is_whole = field->type.kind != ZG_KIND_RECORD && field->type.kind != ZG_KIND_LEB_UNSIGNED &&
                          field->type.kind != ZG_KIND_LEB_SIGNED && field->type.bits % 8 == 0;
    const unsigned most = field->type.count * (field->counts_bytes ? MAX(size, 1) : 1);

    if (field->count_place.line == 0)
        return;
    if (reading->uncounted && field->count_bits > 0)
        zgi_error(reader->diagnostics, field->count_place, "the count of %s has a type and is none; omit one of them",
                  field->name);
    else if (field->type.extent != ZG_EXTENT_COUNTED)
        zgi_error(reader->diagnostics, field->count_place, "only an array [..N] has a count; %s is %s", field->name,
                  type);
    else if (field->counts_bytes && !is_whole)
        zgi_error(reader->diagnostics, field->count_place,
                  "only elements of whole bytes and of one size can be counted in bytes; %s is %s", field->name, type);
    else if (field->count_bits == 8 && most > 255)
        zgi_error(reader->diagnostics, field->count_place, "%s may count up to %u; expected type: u16", field->name,
                  most);
    else if (reading->uncounted && zgi_may_be_open_ended(reader, field->count_place, field->type))
        field->type.extent = ZG_EXTENT_REST;
}

static void check_field(struct zgi_reader *reader, struct field_reading *reading)
{
    struct zg_field *field = reading->field;
    bool integer = !field->type.enumeration && zg_type_is_integer(field->type);
    g_autofree char *type = zg_type_name(field->type);

    field->scaled = mpq_cmp_ui(field->scale, 1, 1) != 0 || mpq_sgn(field->offset) != 0;
    field->decimals = reading->decimals;
    check_count(reader, reading, type);
    if (field->scaled && !integer)
        zgi_error(reader->diagnostics, reading->scale_place, "scale and offset are for integer types; %s is %s",
                  field->name, type);
    else if (field->ranged && !integer && field->type.kind != ZG_KIND_FLOAT)
        zgi_error(reader->diagnostics, reading->range_place, "a range is for number types; %s is %s", field->name,
                  type);
    else if (field->ranged && integer)
        check_range_reachable(reader, reading);
    if (field->default_text && (field->type.extent != ZG_EXTENT_ONE || field->type.kind == ZG_KIND_RECORD))
        zgi_error(reader->diagnostics, field->default_place,
                  "only a single value has a default; %s is %s and is empty or 0", field->name, type);
}

static void field_free(gpointer data)
{
    struct zg_field *field = data;
    g_free(field->name);
    g_free(field->code);
    g_free(field->summary);
    g_free(field->unit);
    g_free(field->default_text);
    g_free(field->key);
    zgi_form_clear(&field->form);
    mpq_clears(field->scale, field->offset, field->low, field->high, NULL);
    g_free(field);
}

GPtrArray *zgi_fields_new(void)
{
    return g_ptr_array_new_with_free_func(field_free);
}

/* Where fields are being read into. */
struct fields_reading {
    const struct zg_definition *definition;
    GPtrArray *fields, *constants;   /* the latter may be NULL */
    struct zg_record_length *length; /* or NULL */
};

/* A field before its keys are read. */
static struct zg_field *new_field(const struct zgi_entry *entry, const struct zg_definition *definition)
{
    struct zg_field *field = g_new0(struct zg_field, 1);

    mpq_inits(field->scale, field->offset, field->low, field->high, NULL);
    mpq_set_ui(field->scale, 1, 1);
    field->name = g_strdup(entry->key);
    field->code = g_strconcat(entry->key, zgi_is_keyword(entry->key) ? "_" : "", NULL);
    field->place = entry->place;
    field->big_endian = definition->big_endian;
    field->type = (struct zg_type){ .kind = ZG_KIND_UNSIGNED, .bits = 8 };
    field->form = zgi_form_new();
    return field;
}

/* A field without a value of its own. */
static void read_constant(struct zgi_reader *reader, const struct zgi_entry *entry, const struct fields_reading *fields)
{
    struct zg_constant *constant = g_new0(struct zg_constant, 1);

    g_ptr_array_add(fields->constants, constant);
    constant->place = entry->place;
    constant->before = fields->fields->len;
    constant->name = g_strdup(entry->key);
    zgi_read_mapping(reader, entry->value, entry->place, "the field", zgi_constant_keys, constant);
}

/* What says how long the record is. */
static void read_length(struct zgi_reader *reader, const struct zgi_entry *entry, const struct fields_reading *fields)
{
    struct zg_record_length *length = fields->length;

    if (!length) {
        zgi_error(reader->diagnostics, entry->place,
                  "only a record has a length among its fields; a frame's is a role "
                  "of the header: header: [length: u8]");
        return;
    }
    if (length->place.line > 0) {
        g_autofree char *where = zgi_where(reader, length->place);
        zgi_error(reader->diagnostics, entry->place, "a record has one length; the first is %s (%s)", length->name,
                  where);
        return;
    }
    *length = (struct zg_record_length){ .name = g_strdup(entry->key),
                                         .bits = 8, /* of one whose type is wrong */
                                         .big_endian = fields->definition->big_endian,
                                         .before = fields->fields->len,
                                         .place = entry->place };
    zgi_read_mapping(reader, entry->value, entry->place, "the length", zgi_record_length_keys, length);
}

static void read_field(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    const struct fields_reading *fields = into;

    if (zgi_lookup(reader, entry->value, "const")) {
        if (fields->constants)
            read_constant(reader, entry, fields);
        else
            zgi_error(reader->diagnostics, entry->place, "only a message has fields with const");
        return;
    }
    if (zgi_lookup(reader, entry->value, "counts")) {
        read_length(reader, entry, fields);
        return;
    }
    struct zg_field *field = new_field(entry, fields->definition);
    struct field_reading reading = { .definition = fields->definition, .field = field };

    g_ptr_array_add(fields->fields, field);
    if (zgi_is_keyword(entry->key))
        zgi_warning(reader->diagnostics, entry->place,
                    "\"%s\" is a keyword of C or Python; in generated code this field is %s", field->name, field->code);
    else
        zgi_check_member_name(reader, entry->key, entry->place, "a field");
    if (entry->value->type == YAML_MAPPING_NODE)
        zgi_read_mapping(reader, entry->value, entry->place, "the field", zgi_field_keys, &reading);
    else
        read_field_type(reader, entry, &reading);
    if (reading.typed)
        check_field(reader, &reading);
}

void zgi_read_fields(struct zgi_reader *reader, yaml_node_t *node, const struct zg_definition *definition,
                     GPtrArray *fields, GPtrArray *constants, struct zg_record_length *length)
{
    struct fields_reading reading = { definition, fields, constants, length };
    zgi_entries(reader, node, "a mapping of fields ({} for none)", read_field, &reading);
}

/* --- variables */

/* A variable being read: a field, for the functions of its keys, and more. */
struct variable_reading {
    struct field_reading field;
    struct zg_variable *variable;
};

static void read_index(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_variable *variable = ((struct variable_reading *)into)->variable;
    uint64_t index;

    variable->index_place = zgi_place(entry->value);
    if (zgi_read_unsigned(reader, entry->value, "a variable's index", 0, 255, &index))
        variable->index = (unsigned)index;
}

static void read_access(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "read", "write", "read_write", NULL };
    unsigned index;
    if (zgi_read_choice(reader, entry->value, "what a host may do", words, &index))
        ((struct variable_reading *)into)->variable->access = (enum zg_access)(index + 1);
}

const struct zgi_key zgi_variable_keys[] = {
    { "index", true, read_index, "index", "Number by which the variable is read and written, 0 to 255" },
    { "type", true, read_field_type, "type", "As for a field, but not open-ended" },
    { "scale", false, read_scale, "scale", "As of a field" },
    { "offset", false, read_offset, "number", "As of a field" },
    { "unit", false, read_field_unit, "text", "As of a field" },
    { "range", false, read_range, "range", "As of a field" },
    { "access", false, read_access, "access", "What a host may do: read, write or read_write (default)" },
    { "summary", false, read_field_summary, "text", "What the variable is" },
    { "order", false, read_field_order, "byte_order", "As of a field" },
    { "count", false, read_count, "count", "As of a field" },
    { 0 }
};

static void variable_free(gpointer data)
{
    struct zg_variable *variable = data;
    g_ptr_array_unref(variable->fields);
    g_free(variable);
}

GPtrArray *zgi_variables_new(void)
{
    return g_ptr_array_new_with_free_func(variable_free);
}

static void check_index(struct zgi_reader *reader, const struct zg_definition *definition,
                        const struct zg_variable *variable)
{
    for (unsigned i = 0; i < definition->variables->len; i++) {
        const struct zg_variable *other = g_ptr_array_index(definition->variables, i);
        if (other->index != variable->index)
            continue;
        g_autofree char *where = zgi_where(reader, other->index_place);
        zgi_error(reader->diagnostics, variable->index_place, "index %u is already taken by %s (%s)", variable->index,
                  zg_variable_field(other)->name, where);
    }
}

static void read_variable(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    struct zg_variable *variable = g_new0(struct zg_variable, 1);
    struct zg_field *field = new_field(entry, definition);
    struct variable_reading reading = { { .definition = definition, .field = field }, variable };

    variable->access = ZG_ACCESS_READ_WRITE;
    variable->fields = zgi_fields_new();
    g_ptr_array_add(variable->fields, field);
    zgi_check_member_name(reader, entry->key, entry->place, "a variable");
    zgi_read_mapping(reader, entry->value, entry->place, "the variable", zgi_variable_keys, &reading);
    if (reading.field.typed)
        check_field(reader, &reading.field);
    if (field->type.extent == ZG_EXTENT_REST)
        zgi_error(reader->diagnostics, entry->place, "a variable cannot be open-ended; give %s a length or a count",
                  field->name);
    if (variable->index_place.line > 0)
        check_index(reader, definition, variable);
    g_ptr_array_add(definition->variables, variable);
}

void zgi_read_variables(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    ((struct zg_definition *)into)->variables_place = entry->place;
    zgi_entries(reader, entry->value, "a mapping of variable names", read_variable, into);
}

/* --- records */

enum { DEEPEST = 32 }; /* records within records */

static void record_free(gpointer data)
{
    struct zg_record *record = data;
    g_free(record->name);
    g_free(record->summary);
    g_free(record->length.name);
    g_ptr_array_unref(record->fields);
    g_free(record);
}

/* Makes a record known by name, so that others can refer to it before its fields are read. */
static void name_record(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    struct zg_record *record = g_new0(struct zg_record, 1);
    struct zg_type taken;

    record->name = g_strdup(entry->key);
    record->place = entry->place;
    record->fields = zgi_fields_new();
    if (zgi_check_name(reader, entry->key, entry->place, "a record") && zgi_builtin_type(entry->key, &taken))
        zgi_error(reader->diagnostics, entry->place, "\"%s\" is a built-in type and cannot be another", entry->key);
    for (unsigned i = 0; i < definition->enums->len; i++) {
        const struct zg_enum *other = g_ptr_array_index(definition->enums, i);
        g_autofree char *where = zgi_where(reader, other->place);
        if (strcmp(other->name, entry->key) == 0)
            zgi_error(reader->diagnostics, entry->place, "the type %s is defined twice; first at %s", entry->key,
                      where);
    }
    g_ptr_array_add(definition->records, record);
}

/* A record's last field may go to its end, where a length of its own says where that is. */
static void check_open_ended(struct zgi_reader *reader, const struct zg_record *record, const struct zg_field *field,
                             bool is_last)
{
    if (record->length.bits == 0)
        zgi_error(reader->diagnostics, field->place,
                  "%s is open-ended, and record %s has no length that says where it ends; expected one among its "
                  "fields, { type: u8, counts: rest }, or a count",
                  field->name, record->name);
    else if (!is_last)
        zgi_error(reader->diagnostics, field->place, "%s is open-ended and must be the last field", field->name);
    else if (field->type.count == 0)
        zgi_error(reader->diagnostics, field->place,
                  "%s may take any number of bytes; expected a limit, [..N] with count: none", field->name);
}

static void fill_record(struct zgi_reader *reader, yaml_node_t *node, const struct zg_definition *definition,
                        struct zg_record *record)
{
    if (!node)
        return;
    zgi_read_fields(reader, node, definition, record->fields, NULL, &record->length);
    for (unsigned i = 0; i < record->fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(record->fields, i);
        if (field->type.extent == ZG_EXTENT_REST)
            check_open_ended(reader, record, field, i + 1 == record->fields->len);
        if (field->since > 0)
            zgi_error(reader->diagnostics, field->since_place,
                      "a record cannot grow; give the message a field with `since`");
    }
    if (record->fields->len == 0 && node->type == YAML_MAPPING_NODE)
        zgi_error(reader->diagnostics, record->place, "record %s has no fields", record->name);
}

/* Appends a record to `ordered` after the records that it contains. False, with a diagnostic, if it contains itself. */
static bool order_record(struct zgi_reader *reader, const struct zg_record *record, GPtrArray *ordered, GPtrArray *open)
{
    if (g_ptr_array_find(ordered, record, NULL))
        return true;
    if (g_ptr_array_find(open, record, NULL)) {
        zgi_error(reader->diagnostics, record->place, "record %s holds itself", record->name);
        return false;
    }
    if (open->len >= DEEPEST) {
        zgi_error(reader->diagnostics, record->place, "records are nested more than %d deep", DEEPEST);
        return false;
    }
    g_ptr_array_add(open, (gpointer)record);
    for (unsigned i = 0; i < record->fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(record->fields, i);
        if (field->type.kind == ZG_KIND_RECORD && field->type.record &&
            !order_record(reader, field->type.record, ordered, open))
            return false;
    }
    g_ptr_array_remove_index(open, open->len - 1);
    g_ptr_array_add(ordered, (gpointer)record);
    return true;
}

void zgi_read_records(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    g_autoptr(GPtrArray) open = g_ptr_array_new();
    GPtrArray *ordered = g_ptr_array_new();

    g_ptr_array_set_free_func(definition->records, record_free);
    zgi_entries(reader, entry->value, "a mapping of record names", name_record, definition);
    for (unsigned i = 0; i < definition->records->len; i++) {
        struct zg_record *record = g_ptr_array_index(definition->records, i);
        fill_record(reader, zgi_lookup(reader, entry->value, record->name), definition, record);
    }
    for (unsigned i = 0; i < definition->records->len; i++)
        if (!order_record(reader, g_ptr_array_index(definition->records, i), ordered, open))
            break;
    if (ordered->len > 0 && ordered->len == definition->records->len)
        memcpy(definition->records->pdata, ordered->pdata, ordered->len * sizeof(gpointer));
    g_ptr_array_unref(ordered);
}
