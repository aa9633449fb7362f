/* SPDX-License-Identifier: MIT */
#include "node/script.h"

#include <math.h>
#include <string.h>

#include "codec/from_json.h"
#include "codec/payload.h"
#include "codec/read_json.h"

static void free_item(void *data)
{
    struct zg_script_item *item = data;

    zg_values_free(&item->message->payload, item->values);
    g_free(item);
}

GPtrArray *zg_script_new(void)
{
    return g_ptr_array_new_with_free_func(free_item);
}

struct zg_script_item *zg_script_add(GPtrArray *script, const struct zg_plan_message *message)
{
    struct zg_script_item *item = g_new0(struct zg_script_item, 1);

    item->message = message;
    item->values = zg_values_new(&message->payload);
    g_ptr_array_add(script, item);
    return item;
}

static bool read_time(const struct zg_json_node *object, double first, uint64_t *at_ns, GError **error)
{
    const struct zg_json_node *node = zg_json_member(object, "at");

    if (!node)
        return true;
    const double at = zg_json_double_or(node, NAN) - first;
    if (!(at >= 0 && at < 1e9)) {
        g_set_error(error, ZG_SCRIPT_ERROR, 0, "at: expected seconds, not before those of the first line");
        return false;
    }
    *at_ns = (uint64_t)llround(at * 1e9);
    return true;
}

static bool read_fields(const struct zg_json_node *object, struct zg_script_item *item, GError **error)
{
    const struct zg_json_node *fields = zg_json_member(object, "fields");
    g_autofree char *text = fields ? zg_json_written(fields) : g_strdup("{}");

    return zg_values_from_json(item->message, text, item->values, error);
}

static zg_header_number destination_of(const struct zg_json_node *object)
{
    return (zg_header_number)zg_json_whole_or(zg_json_member(zg_json_member(object, "header"), "destination"), 0);
}

/* Adds what a line says. False, without an error: it is no message that the host sends. */
static bool read_item(const struct zg_plan *plan, const struct zg_json_node *object, double first, GPtrArray *items,
                      GError **error)
{
    const char *name = zg_json_string_or(zg_json_member(object, "message"), NULL);
    const struct zg_plan_message *message = name ? zg_plan_by_name(plan, name) : NULL;
    const uint64_t before_ns =
        items->len > 0 ? ((struct zg_script_item *)g_ptr_array_index(items, items->len - 1))->at_ns : 0;

    if (name && !message) {
        g_set_error(error, ZG_SCRIPT_ERROR, 0, "%s has no message \"%s\"", plan->definition->protocol, name);
        return false;
    }
    if (!message || !(message->message->from & ZG_SIDE_HOST) || message->message->is_reply ||
        g_str_equal(message->message->name, "hello") || g_str_equal(message->message->name, "acknowledge"))
        return false;
    struct zg_script_item *item = zg_script_add(items, message);
    item->at_ns = before_ns;
    item->to = destination_of(object);
    return read_time(object, first, &item->at_ns, error) && read_fields(object, item, error);
}

static struct zg_json_node *read_object(const char *line, GError **error)
{
    g_autoptr(zg_json_node) root = zg_json_read(line, error);

    if (root && root->kind != ZG_JSON_OBJECT) {
        g_set_error(error, ZG_SCRIPT_ERROR, 0,
                    "expected a JSON object, such as {\"message\": \"...\", \"fields\": {...}}");
        return NULL;
    }
    return g_steal_pointer(&root);
}

GPtrArray *zg_script_load(const struct zg_plan *plan, const char *path, unsigned *skipped, GError **error)
{
    g_autofree char *text = NULL;
    g_autoptr(GPtrArray) items = zg_script_new();
    double first = NAN;

    *skipped = 0;
    if (!g_file_get_contents(path, &text, NULL, error))
        return NULL;
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    for (unsigned i = 0; lines[i]; i++) {
        g_autoptr(GError) problem = NULL;
        if (g_strstrip(lines[i])[0] == '\0')
            continue;
        g_autoptr(zg_json_node) object = read_object(lines[i], &problem);
        if (object && isnan(first))
            first = zg_json_double_or(zg_json_member(object, "at"), 0);
        const bool added = object && read_item(plan, object, first, items, &problem);
        if (problem) {
            g_set_error(error, ZG_SCRIPT_ERROR, 0, "%s:%u: %s", path, i + 1, problem->message);
            return NULL;
        }
        *skipped += !added;
    }
    return g_steal_pointer(&items);
}
