/* SPDX-License-Identifier: MIT */
#include "codec/values.h"

#include <string.h>

#include "zeugma/bytes.h"

static void clear_items(const struct zg_step *step, struct zg_value *value)
{
    for (unsigned i = 0; value->items && i < value->count && step->record && zg_step_is_array(step); i++)
        zg_values_free(step->record, value->items[i].items);
    if (step->record && !zg_step_is_array(step))
        zg_values_free(step->record, value->items);
    else
        g_free(value->items);
    g_free(value->bytes);
}

void zg_value_resize(const struct zg_step *step, struct zg_value *value, unsigned count)
{
    g_assert(count <= step->most);
    if (zg_step_is_string(step)) {
        value->bytes = g_realloc(value->bytes, count + 1U);
        if (count > value->count)
            memset(value->bytes + value->count, 0, count - value->count);
        value->bytes[count] = 0;
        value->count = count;
        return;
    }
    for (unsigned i = count; i < value->count && step->record; i++)
        zg_values_free(step->record, value->items[i].items);
    value->items = g_renew(struct zg_value, value->items, count + 1U);
    for (unsigned i = value->count; i < count; i++)
        value->items[i] = (struct zg_value){ .items = step->record ? zg_values_new(step->record) : NULL };
    value->count = count;
}

void zg_value_set_bytes(struct zg_value *value, const uint8_t *bytes, unsigned count)
{
    if (count != value->count)
        value->bytes = g_realloc(value->bytes, count + 1U);
    if (count > 0)
        memcpy(value->bytes, bytes, count);
    value->bytes[count] = 0;
    value->count = count;
}

/* How many elements or bytes a step has at first: all, if their number is fixed, except for text, which ends at its
 * first zero. */
static unsigned count_at_first(const struct zg_step *step)
{
    return step->type.extent == ZG_EXTENT_FIXED && step->type.kind != ZG_KIND_TEXT ? step->most : 0;
}

struct zg_value *zg_values_new(const struct zg_block *block)
{
    struct zg_value *values = g_new0(struct zg_value, block->steps->len + 1U);

    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (zg_step_is_string(step) || zg_step_is_array(step))
            zg_value_resize(step, &values[i], count_at_first(step));
        else if (step->record)
            values[i].items = zg_values_new(step->record);
    }
    return values;
}

void zg_value_set_default(const struct zg_step *step, struct zg_value *value)
{
    value->raw = step->fallback;
    if (zg_step_is_string(step) || zg_step_is_array(step)) {
        zg_value_resize(step, value, 0);
        zg_value_resize(step, value, count_at_first(step));
    } else if (step->record) {
        zg_values_free(step->record, value->items);
        value->items = zg_values_new(step->record);
    }
}

void zg_values_free(const struct zg_block *block, struct zg_value *values)
{
    for (unsigned i = 0; values && i < block->steps->len; i++)
        clear_items(zg_block_step(block, i), &values[i]);
    g_free(values);
}

bool zg_is_utf8(const uint8_t *bytes, size_t count)
{
    /* g_utf8_validate_len() refuses U+0000, which is a character like any other here */
    for (size_t from = 0, to = 0; from < count; from = ++to) {
        while (to < count && bytes[to] != 0)
            to++;
        if (to > from && !g_utf8_validate_len((const char *)bytes + from, to - from, NULL))
            return false;
    }
    return true;
}

bool zg_is_text_of(const struct zg_step *step, const uint8_t *bytes, size_t count)
{
    return step->type.is_ascii ? zg_ascii_run((const char *)bytes, count) == count : zg_is_utf8(bytes, count);
}

/* --- ranges */

static bool check_block(const struct zg_block *block, const struct zg_value *values, const char *before,
                        GPtrArray *paths);

/* The path of a step, or of one of its elements, after those before it. Free with g_free(). */
static char *path_of(const char *before, const struct zg_step *step, unsigned element)
{
    return zg_step_is_array(step) ? g_strdup_printf("%s%s[%u]", before, step->name, element)
                                  : g_strconcat(before, step->name, NULL);
}

static bool check_item(const struct zg_step *step, const struct zg_value *item, unsigned element, const char *before,
                       GPtrArray *paths)
{
    if (step->record) {
        g_autofree char *path = paths ? path_of(before, step, element) : NULL;
        g_autofree char *inner = paths ? g_strconcat(path, ".", NULL) : NULL;
        return check_block(step->record, item->items, inner, paths);
    }
    const bool within = zg_step_permits(step, item->raw);
    if (!within && paths)
        g_ptr_array_add(paths, path_of(before, step, element));
    return within;
}

static bool check_block(const struct zg_block *block, const struct zg_value *values, const char *before,
                        GPtrArray *paths)
{
    bool within = true;

    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (zg_step_is_string(step) || values[i].absent)
            continue;
        if (!zg_step_is_array(step))
            within = check_item(step, &values[i], 0, before, paths) && within;
        for (unsigned k = 0; zg_step_is_array(step) && k < values[i].count; k++)
            within = check_item(step, &values[i].items[k], k, before, paths) && within;
    }
    return within;
}

bool zg_block_permits(const struct zg_block *block, const struct zg_value *values, GPtrArray *paths)
{
    return check_block(block, values, "", paths);
}
