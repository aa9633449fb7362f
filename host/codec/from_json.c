/* SPDX-License-Identifier: MIT */
#include "codec/from_json.h"

#include <math.h>
#include <string.h>

#include "codec/hex.h"
#include "codec/json.h"
#include "codec/read_json.h"
#include "codec/text.h"
#include "definition/words.h"

/* Appends an error to those before, on a line of its own, up to a few. */
static void add_error(GError **error, GError *more, unsigned *count)
{
    enum { MOST = 20 };

    if (*count == 0) {
        g_propagate_error(error, more);
    } else {
        if (error && *count < MOST) {
            g_autofree char *before = (*error)->message;
            (*error)->message = g_strdup_printf("%s\n%s", before, more->message);
        }
        g_error_free(more);
    }
    ++*count;
}

static struct zg_json_node *read_object(const char *what, const char *text, GError **error)
{
    struct zg_json_node *object = zg_json_read_object(text, error);

    if (!object)
        g_prefix_error(error, "%s: ", what);
    return object;
}

static bool value_error(const char *path, GError **error, const char *format, ...) G_GNUC_PRINTF(3, 4);

static bool value_error(const char *path, GError **error, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_VALUE, "%s: %s", path, text);
    return false;
}

static bool enum_value(const struct zg_step *step, const struct zg_json_node *node, union zg_raw *raw)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    const char *name = zg_json_string_or(node, NULL);

    for (unsigned i = 0; name && i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        if (strcmp(value->name, name) == 0) {
            *raw = value->raw;
            return true;
        }
    }
    return false;
}

static bool unknown_name(const char *path, const struct zg_step *step, const struct zg_json_node *node, GError **error)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (unsigned i = 0; i < enumeration->values->len; i++)
        g_ptr_array_add(names, ((struct zg_enum_value *)g_ptr_array_index(enumeration->values, i))->name);
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(node->text, (const char *const *)names->pdata);
    g_autofree char *shown = zg_json_written(node);
    return value_error(path, error, "%s is no value of %s%s", shown, enumeration->name, hint);
}

/* A JSON number, or a string that holds one. Whole numbers and strings are taken exactly; a number with a point or an
 * exponent is its nearest double, as in all programs that read JSON. */
static bool number_of(const struct zg_json_node *node, mpq_t value)
{
    const char *text = node->kind == ZG_JSON_NUMBER ? node->text : zg_json_string_or(node, NULL);

    if (node->kind == ZG_JSON_NUMBER && strpbrk(text, ".eE")) {
        const double nearest = zg_json_double_or(node, 0);
        if (isfinite(nearest))
            mpq_set_d(value, nearest);
        return isfinite(nearest);
    }
    return text && zgi_parse_number(text, false, value);
}

static bool special_float(const struct zg_json_node *node, union zg_raw *raw)
{
    const char *text = zg_json_string_or(node, "");

    if (node->kind == ZG_JSON_NUMBER && zg_json_double_or(node, 1) == 0)
        raw->f = zg_json_double_or(node, 1); /* with its sign, which an exact number does not have */
    else if (strcmp(text, "nan") == 0)
        raw->f = (double)NAN;
    else if (strcmp(text, "inf") == 0)
        raw->f = HUGE_VAL;
    else if (strcmp(text, "-inf") == 0)
        raw->f = -HUGE_VAL;
    else
        return false;
    return true;
}

static bool outside(const char *path, const struct zg_step *step, const struct zg_json_node *node, GError **error)
{
    g_autoptr(GString) limits = g_string_new(NULL);
    g_autofree char *value = zg_json_written(node);
    const char *unit = step->field->unit;

    if (step->type.kind == ZG_KIND_FLOAT && !step->field->ranged) {
        g_string_append(limits, step->type.bits == 64 ? "-1.7976931348623157e+308 to 1.7976931348623157e+308"
                                                      : "-3.4028235e+38 to 3.4028235e+38");
    } else if (step->type.kind == ZG_KIND_FLOAT || step->field->scaled) {
        zg_append_double(limits, step->scale.low);
        g_string_append(limits, " to ");
        zg_append_double(limits, step->scale.high);
    } else if (step->type.kind == ZG_KIND_SIGNED || step->type.kind == ZG_KIND_LEB_SIGNED) {
        g_string_printf(limits, "%" G_GINT64_FORMAT " to %" G_GINT64_FORMAT, step->low.i, step->high.i);
    } else {
        g_string_printf(limits, "%" G_GUINT64_FORMAT " to %" G_GUINT64_FORMAT, step->low.u, step->high.u);
    }
    return value_error(path, error, "%s is outside %s%s%s", value, limits->str, unit ? " " : "", unit ? unit : "");
}

/* Flags are an array of names and bit numbers. */
static bool flags_from_json(const char *path, const struct zg_step *step, const struct zg_json_node *list,
                            union zg_raw *raw, GError **error)
{
    raw->u = 0;
    for (const struct zg_json_node *node = list->members; node; node = node->next) {
        union zg_raw bit = { .u = 0 };
        g_autofree char *text = zg_json_written(node);

        if (node->kind == ZG_JSON_NUMBER)
            bit.i = zg_json_whole_or(node, -1);
        else if (!enum_value(step, node, &bit))
            return node->kind == ZG_JSON_STRING
                       ? unknown_name(path, step, node, error)
                       : value_error(path, error, "expected names and bit numbers, found %s", text);
        if (bit.u >= step->type.bits)
            return value_error(path, error, "bit %s is outside 0 to %u", text, step->type.bits - 1);
        raw->u |= (uint64_t)1 << bit.u;
    }
    return true;
}

static bool raw_from_json(const char *path, const struct zg_step *step, const struct zg_json_node *node,
                          union zg_raw *raw, GError **error)
{
    g_autofree char *text = zg_json_written(node);
    const struct zg_type single = {
        .kind = step->type.kind, .bits = step->type.bits, .extent = ZG_EXTENT_ONE, .enumeration = step->type.enumeration
    };
    g_autofree char *type = zg_type_name(single);
    raw->u = 0;

    if (step->type.enumeration && step->type.enumeration->flags && node->kind == ZG_JSON_LIST)
        return flags_from_json(path, step, node, raw, error);
    if (node->kind == ZG_JSON_NULL || node->kind == ZG_JSON_LIST || node->kind == ZG_JSON_OBJECT)
        return value_error(path, error, "expected %s, found %s", type, text);
    if (step->type.kind == ZG_KIND_BOOL) {
        if (node->kind != ZG_JSON_BOOL)
            return value_error(path, error, "expected true or false, found %s", text);
        raw->b = node->truth;
        return true;
    }
    if (step->type.enumeration && !step->type.enumeration->flags && enum_value(step, node, raw))
        return true;
    if (step->type.kind == ZG_KIND_FLOAT && special_float(node, raw))
        return zg_step_permits(step, *raw) || outside(path, step, node, error);
    mpq_t number;
    mpq_init(number);
    bool is_number = number_of(node, number);
    bool good = is_number && zg_step_raw(step, number, raw);
    bool fraction = is_number && mpz_cmp_ui(mpq_denref(number), 1) != 0;
    mpq_clear(number);
    if (!is_number && step->type.enumeration && node->kind == ZG_JSON_STRING)
        return unknown_name(path, step, node, error);
    if (!is_number && node->kind == ZG_JSON_NUMBER) /* beyond all doubles */
        return outside(path, step, node, error);
    if (!is_number)
        return value_error(path, error, "expected a number (%s), found %s", type, text);
    if (fraction && step->type.enumeration)
        return value_error(path, error, "expected a name or a whole number (%s), found %s", type, text);
    return good || outside(path, step, node, error);
}

static bool block_from_json(const char *path, const struct zg_block *block, const struct zg_json_node *object,
                            struct zg_value *values, GError **error);

static bool text_from_json(const char *path, const struct zg_step *step, const struct zg_json_node *node,
                           struct zg_value *value, GError **error)
{
    g_autofree char *type = zg_type_name(step->type);
    g_autofree char *shown = zg_json_written(node);

    if (node->kind != ZG_JSON_STRING)
        return value_error(path, error, "expected a string (%s), found %s", type, shown);
    if (node->size > step->most)
        return value_error(path, error, "%zu bytes are too many for %s", node->size, type);
    if (step->type.is_ascii && !zg_is_text_of(step, (const uint8_t *)node->text, node->size))
        return value_error(path, error, "%s is not %s: it has a character other than the printable ones of ASCII",
                           shown, type);
    if (step->type.extent == ZG_EXTENT_FIXED && node->size > 0 && node->text[node->size - 1] == '\0')
        return value_error(path, error, "%s ends with U+0000, which would be lost: zero bytes fill up %s", shown, type);
    zg_value_set_bytes(value, (const uint8_t *)node->text, (unsigned)node->size);
    return true;
}

/* `count` bytes or elements are not as many as there must be, or may be. */
static bool count_error(const char *path, const struct zg_step *step, unsigned count, const char *what, GError **error)
{
    g_autofree char *type = zg_type_name(step->type);

    if (zg_step_is_unlimited(step))
        return value_error(path, error, "%u %s are too many; the payload has room for %u", count, what, step->most);
    return value_error(path, error, "%u %s are not %s", count, what, type);
}

static bool bytes_from_json(const char *path, const struct zg_step *step, const struct zg_json_node *node,
                            struct zg_value *value, GError **error)
{
    g_autofree char *type = zg_type_name(step->type);
    g_autofree char *shown = zg_json_written(node);
    g_autoptr(GError) reason = NULL;

    const char *digits = zg_json_string_or(node, NULL);
    if (!digits)
        return value_error(path, error, "expected hex digits (%s), found %s", type, shown);
    g_autoptr(GByteArray) bytes = zg_bytes_from_hex(digits, &reason);
    if (!bytes)
        return value_error(path, error, "%s", reason->message);
    if (bytes->len > step->most || (step->type.extent == ZG_EXTENT_FIXED && bytes->len != step->most))
        return count_error(path, step, bytes->len, "bytes", error);
    zg_value_resize(step, value, bytes->len);
    if (bytes->len > 0)
        memcpy(value->bytes, bytes->data, bytes->len);
    return true;
}

/* One element: a record or a single number. */
static bool item_from_json(const char *path, const struct zg_step *step, const struct zg_json_node *node,
                           struct zg_value *value, GError **error)
{
    g_autofree char *shown = zg_json_written(node);

    if (!step->record)
        return raw_from_json(path, step, node, &value->raw, error);
    if (node->kind != ZG_JSON_OBJECT)
        return value_error(path, error, "expected an object (%s), found %s", step->record->name, shown);
    return block_from_json(path, step->record, node, value->items, error);
}

static bool array_from_json(const char *path, const struct zg_step *step, const struct zg_json_node *node,
                            struct zg_value *value, GError **error)
{
    g_autofree char *type = zg_type_name(step->type);
    g_autofree char *shown = zg_json_written(node);

    if (node->kind != ZG_JSON_LIST)
        return value_error(path, error, "expected an array (%s), found %s", type, shown);
    if (node->count > step->most || (step->type.extent == ZG_EXTENT_FIXED && node->count != step->most))
        return count_error(path, step, node->count, "elements", error);
    zg_value_resize(step, value, node->count);
    unsigned i = 0;
    for (const struct zg_json_node *item = node->members; item; item = item->next, i++) {
        g_autofree char *inner = g_strdup_printf("%s[%u]", path, i);
        if (!item_from_json(inner, step, item, &value->items[i], error))
            return false;
    }
    return true;
}

static bool value_from_json(const char *path, const struct zg_step *step, const struct zg_json_node *node,
                            struct zg_value *value, GError **error)
{
    if (step->type.kind == ZG_KIND_TEXT)
        return text_from_json(path, step, node, value, error);
    if (step->type.kind == ZG_KIND_BYTES)
        return bytes_from_json(path, step, node, value, error);
    if (step->type.extent != ZG_EXTENT_ONE)
        return array_from_json(path, step, node, value, error);
    return item_from_json(path, step, node, value, error);
}

/* Whether every member of the object is a known name. */
static bool known_members(const char *what, const char *kind, const struct zg_json_node *object,
                          const char *const *names, GError **error)
{
    unsigned count = 0;

    for (const struct zg_json_node *member = object->members; member; member = member->next) {
        if (g_strv_contains(names, member->name))
            continue;
        g_autofree char *hint = zg_word_hint(member->name, names);
        add_error(
            error,
            g_error_new(ZG_CODEC_ERROR, ZG_CODEC_ERROR_FIELD, "%s has no %s \"%s\"%s", what, kind, member->name, hint),
            &count);
    }
    return count == 0;
}

static bool block_from_json(const char *path, const struct zg_block *block, const struct zg_json_node *object,
                            struct zg_value *values, GError **error)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (unsigned i = 0; i < block->steps->len; i++)
        g_ptr_array_add(names, (gpointer)zg_block_step(block, i)->name);
    g_ptr_array_add(names, NULL);
    GError *wrong = NULL;
    unsigned count = 0;
    if (!known_members(path, "field", object, (const char *const *)names->pdata, &wrong))
        add_error(error, wrong, &count);
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        const struct zg_json_node *node = zg_json_member(object, step->name);
        g_autofree char *inner = g_strconcat(path, ".", step->name, NULL);
        wrong = NULL;
        values[i].absent = !node && step->field->optional;
        if (values[i].absent)
            continue;
        if (!node)
            wrong =
                g_error_new(ZG_CODEC_ERROR, ZG_CODEC_ERROR_FIELD, "%s: the field \"%s\" is missing", path, step->name);
        else
            (void)value_from_json(inner, step, node, &values[i], &wrong);
        if (wrong)
            add_error(error, wrong, &count);
    }
    return count == 0;
}

bool zg_values_from_json(const struct zg_plan_message *message, const char *text, struct zg_value *values,
                         GError **error)
{
    g_autoptr(zg_json_node) object = read_object(message->message->name, text, error);

    if (!object || !block_from_json(message->message->name, &message->payload, object, values, error))
        return false;
    g_autoptr(GString) unused = g_string_new(NULL);
    if (message->text && !zg_text_write(message, values, unused, error))
        return false;
    const size_t size = zg_payload_size(message, values);
    return size <= message->payload_most ||
           value_error(message->message->name, error, "the payload takes %zu bytes; the frame has room for %u", size,
                       message->payload_most);
}

bool zg_variable_from_json(const struct zg_plan_variable *variable, const char *text, struct zg_value *values,
                           GError **error)
{
    g_autoptr(zg_json_node) node = zg_json_read(text, NULL);

    if (!node)
        node = zg_json_word(text);
    return value_from_json(zg_variable_field(variable->variable)->name, zg_block_step(&variable->block, 0), node,
                           &values[0], error);
}

/* A role that a sender may choose, `bits` wide, from the object's member of that name; unchanged if there is none. A
 * role of 0 bits is missing from `where`, as the error says. */
static bool role_from_json(const struct zg_json_node *object, const char *name, unsigned bits, const char *where,
                           uint32_t *value, GError **error)
{
    const struct zg_json_node *node = zg_json_member(object, name);

    if (!node)
        return true;
    g_autofree char *text = zg_json_written(node);
    if (bits == 0) {
        g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_FIELD, "%s has no %s", where, name);
        return false;
    }
    uint64_t most = UINT64_MAX >> (64 - bits);
    const int64_t whole = zg_json_whole_or(node, -1);
    if (whole < 0 || (uint64_t)whole > most) {
        g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_VALUE,
                    "the header's %s: %s is outside 0 to %" G_GUINT64_FORMAT, name, text, most);
        return false;
    }
    *value = (uint32_t)whole;
    return true;
}

bool zg_header_from_json(const struct zg_plan *plan, const struct zg_plan_message *message, const char *text,
                         struct zg_header *header, GError **error)
{
    static const char *const names[] = { "sequence", "source", "destination", "node", "minor", "ticket", "base", NULL };
    g_autofree char *where = g_strdup_printf("the header of %s", plan->definition->protocol);
    const char *name = message->message->name;
    g_autoptr(zg_json_node) object = read_object("the header", text, error);
    uint32_t ticket = header->ticket, base = header->base;

    if (!object)
        return false;
    bool good = known_members("the header", "role to be chosen", object, names, error) &&
                role_from_json(object, "sequence", plan->sequence_bits, where, &header->sequence, error) &&
                role_from_json(object, "source", plan->node ? 0 : plan->source_bits, where, &header->source, error) &&
                role_from_json(object, "destination", plan->node ? 0 : plan->destination_bits, where,
                               &header->destination, error) &&
                role_from_json(object, "node", plan->node ? plan->node->bits : 0, where, &header->destination, error) &&
                role_from_json(object, "minor", plan->minor_bits, where, &header->minor, error) &&
                role_from_json(object, "ticket", message->tickets > 0 ? 8 : 0, name, &ticket, error) &&
                role_from_json(object, "base", message->tickets > 1 ? 8 : 0, name, &base, error);
    header->ticket = (uint8_t)ticket;
    header->base = (uint8_t)base;
    return good;
}

static bool can_be_told(const struct zg_plan *plan, const struct zg_given *given, GError **error)
{
    const char *name = given->message->message->name;
    const uint8_t *payload = given->payload->data;
    const size_t length = given->payload->len;

    if (!zg_plan_carries(plan, given->message, payload, length)) {
        g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_VALUE,
                    "%s: this payload holds the end mark, where a receiver would end the frame%s", name,
                    plan->definition->framing.ignores > 0 ? ", or a byte that the framing ignores" : "");
        return false;
    }
    const struct zg_plan_message *mistaken = zg_plan_mistaken(plan, given->message, payload, length);
    if (mistaken)
        g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_VALUE,
                    "%s: this payload begins with a tag of %s, for which a receiver would take it", name,
                    mistaken->message->name);
    return !mistaken;
}

bool zg_given_from_json(const struct zg_plan *plan, const struct zg_plan_message *message, const char *values,
                        const char *header, struct zg_given *given, GError **error)
{
    *given = (struct zg_given){ .message = message,
                                .header = { .minor = plan->minor },
                                .values = zg_values_new(&message->payload),
                                .payload = g_byte_array_new() };
    if (!zg_values_from_json(message, values, given->values, error) ||
        (header && !zg_header_from_json(plan, message, header, &given->header, error)))
        return false;
    given->header.id = (uint32_t)message->message->id;
    g_byte_array_set_size(given->payload, (guint)zg_payload_size(message, given->values));
    zg_payload_pack(message, &given->header, given->values, given->payload->data);
    return can_be_told(plan, given, error);
}

void zg_given_clear(struct zg_given *given)
{
    zg_values_free(&given->message->payload, given->values);
    g_byte_array_unref(given->payload);
}
