/* SPDX-License-Identifier: MIT */
#include "codec/from_json.h"

#include <math.h>
#include <string.h>

#include "codec/hex.h"
#include "codec/json.h"
#include "codec/parse_json.h"
#include "codec/text.h"
#include "definition/words.h"

/* What is opened in a text but never closed; NULL: nothing. Free with g_free(). */
static char *what_is_open(const char *text)
{
    size_t opened[100];
    unsigned depth = 0;

    for (size_t at = 0; text[at]; at++) {
        if (text[at] == '"') {
            const size_t begin = at;
            for (at++; text[at] && text[at] != '"'; at++)
                at += text[at] == '\\' && text[at + 1];
            if (!text[at])
                return g_strdup_printf("the \" at position %zu is not closed", begin + 1);
        } else if (strchr("{[", text[at]) && depth < G_N_ELEMENTS(opened)) {
            opened[depth++] = at;
        } else if (strchr("}]", text[at]) && depth > 0) {
            depth--;
        }
    }
    return depth == 0 ? NULL
                      : g_strdup_printf("the %c at position %zu is not closed", text[opened[depth - 1]],
                                        opened[depth - 1] + 1);
}

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

static JsonParser *parse_object(const char *what, const char *text, GError **error)
{
    g_autoptr(JsonParser) parser = json_parser_new_immutable();
    g_autoptr(GError) reason = NULL;

    if (!zg_json_parse(parser, text, &reason)) {
        if (reason->domain == ZG_CODEC_ERROR) {
            g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_JSON, "%s: %s", what, reason->message);
            return NULL;
        }
        const char *message = g_str_has_prefix(reason->message, "<data>:") ? reason->message + 7 : reason->message;
        g_autofree char *open = what_is_open(text);
        if (open)
            g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_JSON, "%s: not JSON: %s", what, open);
        else
            g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_JSON, "%s: not JSON, at %s", what, message);
        return NULL;
    }
    JsonNode *root = json_parser_get_root(parser);
    if (!root || !JSON_NODE_HOLDS_OBJECT(root)) {
        g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_JSON, "%s: expected a JSON object, {\"name\": value, ...}",
                    what);
        return NULL;
    }
    return g_steal_pointer(&parser);
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

/* A JSON node as a user would recognise it. */
static char *found(JsonNode *node)
{
    return json_to_string(node, FALSE);
}

static bool enum_value(const struct zg_step *step, JsonNode *node, union zg_raw *raw)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    const char *name = json_node_get_value_type(node) == G_TYPE_STRING ? json_node_get_string(node) : NULL;

    for (unsigned i = 0; name && i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        if (strcmp(value->name, name) == 0) {
            *raw = value->raw;
            return true;
        }
    }
    return false;
}

static bool unknown_name(const char *path, const struct zg_step *step, const char *name, GError **error)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (unsigned i = 0; i < enumeration->values->len; i++)
        g_ptr_array_add(names, ((struct zg_enum_value *)g_ptr_array_index(enumeration->values, i))->name);
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(name, (const char *const *)names->pdata);
    return value_error(path, error, "\"%s\" is no value of %s%s", name, enumeration->name, hint);
}

/* A JSON number, or a string that holds one, exactly. */
static bool exact_number(JsonNode *node, mpq_t value)
{
    GType type = json_node_get_value_type(node);

    if (type == G_TYPE_INT64) {
        mpq_set_si(value, json_node_get_int(node), 1);
        return true;
    }
    if (type == G_TYPE_DOUBLE && isfinite(json_node_get_double(node))) {
        mpq_set_d(value, json_node_get_double(node));
        return true;
    }
    return type == G_TYPE_STRING && zgi_parse_number(json_node_get_string(node), false, value);
}

static bool special_float(JsonNode *node, union zg_raw *raw)
{
    GType type = json_node_get_value_type(node);
    const char *text = type == G_TYPE_STRING ? json_node_get_string(node) : "";

    if (type == G_TYPE_DOUBLE && json_node_get_double(node) == 0)
        raw->f = json_node_get_double(node); /* with its sign, which an exact number does not have */
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

static bool outside(const char *path, const struct zg_step *step, JsonNode *node, GError **error)
{
    g_autoptr(GString) limits = g_string_new(NULL);
    g_autofree char *value = found(node);
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
static bool flags_from_json(const char *path, const struct zg_step *step, JsonArray *array, union zg_raw *raw,
                            GError **error)
{
    raw->u = 0;
    for (unsigned i = 0; i < json_array_get_length(array); i++) {
        JsonNode *node = json_array_get_element(array, i);
        GType type = json_node_get_value_type(node);
        union zg_raw bit = { .u = 0 };
        g_autofree char *text = found(node);

        if (type == G_TYPE_INT64)
            bit.i = json_node_get_int(node);
        else if (!enum_value(step, node, &bit))
            return type == G_TYPE_STRING ? unknown_name(path, step, json_node_get_string(node), error)
                                         : value_error(path, error, "expected names and bit numbers, found %s", text);
        if (bit.u >= step->type.bits)
            return value_error(path, error, "bit %s is outside 0 to %u", text, step->type.bits - 1);
        raw->u |= (uint64_t)1 << bit.u;
    }
    return true;
}

static bool raw_from_json(const char *path, const struct zg_step *step, JsonNode *node, union zg_raw *raw,
                          GError **error)
{
    g_autofree char *text = found(node);
    const struct zg_type single = {
        .kind = step->type.kind, .bits = step->type.bits, .extent = ZG_EXTENT_ONE, .enumeration = step->type.enumeration
    };
    g_autofree char *type = zg_type_name(single);
    raw->u = 0;

    if (step->type.enumeration && step->type.enumeration->flags && JSON_NODE_HOLDS_ARRAY(node))
        return flags_from_json(path, step, json_node_get_array(node), raw, error);
    if (!JSON_NODE_HOLDS_VALUE(node))
        return value_error(path, error, "expected %s, found %s", type, text);
    if (step->type.kind == ZG_KIND_BOOL) {
        if (json_node_get_value_type(node) != G_TYPE_BOOLEAN)
            return value_error(path, error, "expected true or false, found %s", text);
        raw->b = json_node_get_boolean(node);
        return true;
    }
    if (step->type.enumeration && !step->type.enumeration->flags && enum_value(step, node, raw))
        return true;
    if (step->type.kind == ZG_KIND_FLOAT && special_float(node, raw))
        return zg_step_permits(step, *raw) || outside(path, step, node, error);
    mpq_t number;
    mpq_init(number);
    bool is_number = exact_number(node, number);
    bool good = is_number && zg_step_raw(step, number, raw);
    bool fraction = is_number && mpz_cmp_ui(mpq_denref(number), 1) != 0;
    mpq_clear(number);
    if (!is_number && step->type.enumeration && json_node_get_value_type(node) == G_TYPE_STRING)
        return unknown_name(path, step, json_node_get_string(node), error);
    if (!is_number)
        return value_error(path, error, "expected a number (%s), found %s", type, text);
    if (fraction && step->type.enumeration)
        return value_error(path, error, "expected a name or a whole number (%s), found %s", type, text);
    return good || outside(path, step, node, error);
}

static bool block_from_json(const char *path, const struct zg_block *block, JsonObject *object, struct zg_value *values,
                            GError **error);

static bool text_from_json(const char *path, const struct zg_step *step, JsonNode *node, struct zg_value *value,
                           GError **error)
{
    g_autofree char *type = zg_type_name(step->type);
    g_autofree char *shown = found(node);

    if (json_node_get_value_type(node) != G_TYPE_STRING)
        return value_error(path, error, "expected a string (%s), found %s", type, shown);
    const char *text = json_node_get_string(node);
    size_t length = strlen(text);
    if (length > step->most)
        return value_error(path, error, "%zu bytes are too many for %s", length, type);
    if (step->type.is_ascii && !zg_is_text_of(step, (const uint8_t *)text, length))
        return value_error(path, error, "%s is not %s: it has a character other than the printable ones of ASCII",
                           shown, type);
    zg_value_resize(step, value, (unsigned)length);
    memcpy(value->bytes, text, length);
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

static bool bytes_from_json(const char *path, const struct zg_step *step, JsonNode *node, struct zg_value *value,
                            GError **error)
{
    g_autofree char *type = zg_type_name(step->type);
    g_autofree char *shown = found(node);
    g_autoptr(GError) reason = NULL;

    if (json_node_get_value_type(node) != G_TYPE_STRING)
        return value_error(path, error, "expected hex digits (%s), found %s", type, shown);
    g_autoptr(GByteArray) bytes = zg_bytes_from_hex(json_node_get_string(node), &reason);
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
static bool item_from_json(const char *path, const struct zg_step *step, JsonNode *node, struct zg_value *value,
                           GError **error)
{
    g_autofree char *shown = found(node);

    if (!step->record)
        return raw_from_json(path, step, node, &value->raw, error);
    if (!JSON_NODE_HOLDS_OBJECT(node))
        return value_error(path, error, "expected an object (%s), found %s", step->record->name, shown);
    return block_from_json(path, step->record, json_node_get_object(node), value->items, error);
}

static bool array_from_json(const char *path, const struct zg_step *step, JsonNode *node, struct zg_value *value,
                            GError **error)
{
    g_autofree char *type = zg_type_name(step->type);
    g_autofree char *shown = found(node);

    if (!JSON_NODE_HOLDS_ARRAY(node))
        return value_error(path, error, "expected an array (%s), found %s", type, shown);
    JsonArray *array = json_node_get_array(node);
    unsigned count = json_array_get_length(array);
    if (count > step->most || (step->type.extent == ZG_EXTENT_FIXED && count != step->most))
        return count_error(path, step, count, "elements", error);
    zg_value_resize(step, value, count);
    for (unsigned i = 0; i < count; i++) {
        g_autofree char *inner = g_strdup_printf("%s[%u]", path, i);
        if (!item_from_json(inner, step, json_array_get_element(array, i), &value->items[i], error))
            return false;
    }
    return true;
}

static bool value_from_json(const char *path, const struct zg_step *step, JsonNode *node, struct zg_value *value,
                            GError **error)
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
static bool known_members(const char *what, const char *kind, JsonObject *object, const char *const *names,
                          GError **error)
{
    g_autoptr(GList) members = json_object_get_members(object);

    unsigned count = 0;
    for (GList *item = members; item; item = item->next) {
        if (g_strv_contains(names, item->data))
            continue;
        g_autofree char *hint = zg_word_hint(item->data, names);
        add_error(error,
                  g_error_new(ZG_CODEC_ERROR, ZG_CODEC_ERROR_FIELD, "%s has no %s \"%s\"%s", what, kind,
                              (const char *)item->data, hint),
                  &count);
    }
    return count == 0;
}

static bool block_from_json(const char *path, const struct zg_block *block, JsonObject *object, struct zg_value *values,
                            GError **error)
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
        JsonNode *node = json_object_get_member(object, step->name);
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
    g_autoptr(JsonParser) parser = parse_object(message->message->name, text, error);

    if (!parser || !block_from_json(message->message->name, &message->payload,
                                    json_node_get_object(json_parser_get_root(parser)), values, error))
        return false;
    g_autoptr(GString) unused = g_string_new(NULL);
    if (message->text && !zg_text_write(message, values, unused, error)) {
        g_prefix_error(error, "%s.", message->message->name);
        return false;
    }
    const size_t size = zg_payload_size(message, values);
    return size <= message->payload_most ||
           value_error(message->message->name, error, "the payload takes %zu bytes; the frame has room for %u", size,
                       message->payload_most);
}

bool zg_variable_from_json(const struct zg_plan_variable *variable, const char *text, struct zg_value *values,
                           GError **error)
{
    g_autoptr(JsonParser) parser = json_parser_new_immutable();
    g_autofree char *listed = g_strdup_printf("[%s]", text);
    g_autoptr(JsonNode) word = json_node_new(JSON_NODE_VALUE);
    JsonNode *node = word;

    json_node_set_string(word, text);
    if (zg_json_parse(parser, listed, NULL)) {
        JsonArray *list = json_node_get_array(json_parser_get_root(parser));
        if (json_array_get_length(list) == 1)
            node = json_array_get_element(list, 0);
    }
    return value_from_json(zg_variable_field(variable->variable)->name, zg_block_step(&variable->block, 0), node,
                           &values[0], error);
}

/* A role that a sender may choose, `bits` wide, from the object's member of that name; unchanged if there is none. A
 * role of 0 bits is missing from `where`, as the error says. */
static bool role_from_json(JsonObject *object, const char *name, unsigned bits, const char *where, uint32_t *value,
                           GError **error)
{
    JsonNode *node = json_object_get_member(object, name);

    if (!node)
        return true;
    g_autofree char *text = found(node);
    if (bits == 0) {
        g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_FIELD, "%s has no %s", where, name);
        return false;
    }
    uint64_t most = UINT64_MAX >> (64 - bits);
    if (json_node_get_value_type(node) != G_TYPE_INT64 || json_node_get_int(node) < 0 ||
        (uint64_t)json_node_get_int(node) > most) {
        g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_VALUE,
                    "the header's %s: %s is outside 0 to %" G_GUINT64_FORMAT, name, text, most);
        return false;
    }
    *value = (uint32_t)json_node_get_int(node);
    return true;
}

bool zg_header_from_json(const struct zg_plan *plan, const struct zg_plan_message *message, const char *text,
                         struct zg_header *header, GError **error)
{
    static const char *const names[] = { "sequence", "source", "destination", "node", "minor", "ticket", "base", NULL };
    g_autofree char *where = g_strdup_printf("the header of %s", plan->definition->protocol);
    const char *name = message->message->name;
    g_autoptr(JsonParser) parser = parse_object("the header", text, error);
    uint32_t ticket = header->ticket, base = header->base;

    if (!parser)
        return false;
    JsonObject *object = json_node_get_object(json_parser_get_root(parser));
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
