/* SPDX-License-Identifier: MIT */
#include "codec/read_json.h"

#include <errno.h>
#include <string.h>

#include "codec/scan_json.h"

struct reading {
    const char *text;
    struct zgi_json_cursor cursor;
    GError **error;
    unsigned depth;
};

static size_t position(const struct reading *reading, const char *at)
{
    return (size_t)(at - reading->text) + 1;
}

/* What was expected where the cursor stands. */
static bool not_json(struct reading *reading, const char *expected)
{
    const char *const at = reading->cursor.at;
    g_autofree char *found = NULL;

    if (at == reading->cursor.end)
        found = g_strdup("the end");
    else if ((uint8_t)*at < 0x20 || g_utf8_get_char_validated(at, -1) > 0x10FFFF)
        found = g_strdup_printf("the byte %02x", (uint8_t)*at);
    else
        found = g_strndup(at, (gsize)(g_utf8_next_char(at) - at));
    g_set_error(reading->error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_JSON, "not JSON at position %zu: expected %s, found %s",
                position(reading, at), expected, found);
    return false;
}

/* What began at `from` is not closed where the text ends. */
static bool not_closed(struct reading *reading, const char *from)
{
    g_set_error(reading->error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_JSON, "not JSON: the %c at position %zu is not closed",
                *from, position(reading, from));
    return false;
}

static bool read_string(struct reading *reading, char **text, size_t *size)
{
    g_auto(zgi_json_characters_auto) characters = { NULL, 0, NULL };
    struct zgi_json_cursor *const cursor = &reading->cursor;
    const char first = zgi_json_peek(cursor), *const from = cursor->at;

    if (!zgi_json_take_string(cursor, &characters))
        return first == '"' && cursor->at == cursor->end ? not_closed(reading, from)
                                                         : not_json(reading, cursor->expected);
    *text = g_malloc(characters.size + 1);
    memcpy(*text, characters.at, characters.size);
    (*text)[characters.size] = '\0';
    *size = characters.size;
    return true;
}

static bool read_value(struct reading *reading, struct zg_json_node *node);

/* A member's name and the colon. */
static bool read_name(struct reading *reading, GHashTable *names, struct zg_json_node *node)
{
    const char first = zgi_json_peek(&reading->cursor), *const from = reading->cursor.at;
    size_t size;

    if (first != '"')
        return not_json(reading, "a name in double quotes");
    if (!read_string(reading, &node->name, &size))
        return false;
    if (strlen(node->name) < size) {
        g_set_error(reading->error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_JSON, "the name at position %zu holds U+0000",
                    position(reading, from));
        return false;
    }
    if (!g_hash_table_add(names, node->name)) {
        g_set_error(reading->error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_JSON,
                    "the name \"%s\" at position %zu already stands in this object", node->name,
                    position(reading, from));
        return false;
    }
    return zgi_json_take(&reading->cursor, ':') || not_json(reading, "a colon");
}

/* The members of an object or the elements of a list, behind its bracket. */
static bool read_members(struct reading *reading, struct zg_json_node *node, const char *from)
{
    struct zgi_json_cursor *const cursor = &reading->cursor;
    const bool is_object = node->kind == ZG_JSON_OBJECT;
    const char last = is_object ? '}' : ']';
    g_autoptr(GHashTable) names = is_object ? g_hash_table_new(g_str_hash, g_str_equal) : NULL;
    struct zg_json_node **next = &node->members;

    if (zgi_json_take(cursor, last))
        return true;
    do {
        if (zgi_json_peek(cursor) == '\0' && cursor->at == cursor->end)
            return not_closed(reading, from);
        *next = g_new0(struct zg_json_node, 1);
        node->count++;
        if ((is_object && !read_name(reading, names, *next)) || !read_value(reading, *next))
            return false;
        next = &(*next)->next;
    } while (zgi_json_take(cursor, ','));
    if (zgi_json_take(cursor, last))
        return true;
    return cursor->at == cursor->end ? not_closed(reading, from)
                                     : not_json(reading, is_object ? "a comma or }" : "a comma or ]");
}

static bool read_nested(struct reading *reading, struct zg_json_node *node, char first)
{
    const char *const from = reading->cursor.at;

    if (reading->depth == ZG_JSON_DEPTH) {
        g_set_error(reading->error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_JSON,
                    "the %c at position %zu is inside %d others; at most %d levels are read", first,
                    position(reading, from), ZG_JSON_DEPTH, ZG_JSON_DEPTH);
        return false;
    }
    node->kind = first == '{' ? ZG_JSON_OBJECT : ZG_JSON_LIST;
    reading->cursor.at++;
    reading->depth++;
    const bool good = read_members(reading, node, from);
    reading->depth--;
    return good;
}

static bool read_single(struct reading *reading, struct zg_json_node *node, char first)
{
    struct zgi_json_cursor *const cursor = &reading->cursor;
    const char *number;

    if (first == '"') {
        node->kind = ZG_JSON_STRING;
        return read_string(reading, &node->text, &node->size);
    }
    if (first == 't' || first == 'f') {
        node->kind = ZG_JSON_BOOL;
        node->truth = first == 't';
        return zgi_json_take_word(cursor, node->truth ? "true" : "false") || not_json(reading, cursor->expected);
    }
    if (first == 'n')
        return zgi_json_take_word(cursor, "null") || not_json(reading, cursor->expected);
    if (first != '-' && !g_ascii_isdigit(first))
        return not_json(reading, "a value");
    node->kind = ZG_JSON_NUMBER;
    if (!zgi_json_take_number(cursor, &number, &node->size))
        return not_json(reading, cursor->expected);
    node->text = g_strndup(number, node->size);
    return true;
}

static bool read_value(struct reading *reading, struct zg_json_node *node)
{
    const char first = zgi_json_peek(&reading->cursor);

    node->written = reading->cursor.at;
    const bool good =
        first == '{' || first == '[' ? read_nested(reading, node, first) : read_single(reading, node, first);
    node->length = (size_t)(reading->cursor.at - node->written);
    return good;
}

struct zg_json_node *zg_json_read(const char *text, GError **error)
{
    g_autoptr(zg_json_node) root = g_new0(struct zg_json_node, 1);
    const char *unsound;

    root->source = g_strdup(text);
    struct reading reading = { .text = root->source,
                               .cursor = { .at = root->source, .end = root->source + strlen(text) },
                               .error = error };
    if (!g_utf8_validate(text, -1, &unsound)) {
        reading.cursor.at = root->source + (unsound - text);
        (void)not_json(&reading, "UTF-8");
        return NULL;
    }
    if (!read_value(&reading, root))
        return NULL;
    (void)zgi_json_peek(&reading.cursor);
    if (reading.cursor.at < reading.cursor.end) {
        (void)not_json(&reading, "the end");
        return NULL;
    }
    return g_steal_pointer(&root);
}

struct zg_json_node *zg_json_read_object(const char *text, GError **error)
{
    g_autoptr(zg_json_node) root = zg_json_read(text, error);

    if (root && root->kind != ZG_JSON_OBJECT) {
        g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_JSON, "expected a JSON object, {\"name\": value, ...}");
        return NULL;
    }
    return g_steal_pointer(&root);
}

struct zg_json_node *zg_json_word(const char *text)
{
    struct zg_json_node *const node = g_new0(struct zg_json_node, 1);

    node->kind = ZG_JSON_STRING;
    node->text = g_strdup(text);
    node->size = strlen(text);
    node->source = g_strdup_printf("\"%s\"", text);
    node->written = node->source;
    node->length = node->size + 2;
    return node;
}

void zg_json_node_free(struct zg_json_node *root)
{
    for (struct zg_json_node *node = root, *next; node; node = next) {
        next = node->next;
        zg_json_node_free(node->members);
        g_free(node->text);
        g_free(node->name);
        g_free(node->source);
        g_free(node);
    }
}

const struct zg_json_node *zg_json_member(const struct zg_json_node *object, const char *name)
{
    const struct zg_json_node *member = object && object->kind == ZG_JSON_OBJECT ? object->members : NULL;

    while (member && strcmp(member->name, name) != 0)
        member = member->next;
    return member;
}

const char *zg_json_string_or(const struct zg_json_node *node, const char *otherwise)
{
    return node && node->kind == ZG_JSON_STRING && strlen(node->text) == node->size ? node->text : otherwise;
}

double zg_json_double_or(const struct zg_json_node *node, double otherwise)
{
    return node && node->kind == ZG_JSON_NUMBER ? g_ascii_strtod(node->text, NULL) : otherwise;
}

int64_t zg_json_whole_or(const struct zg_json_node *node, int64_t otherwise)
{
    char *end;

    if (!node || node->kind != ZG_JSON_NUMBER)
        return otherwise;
    errno = 0;
    const int64_t value = g_ascii_strtoll(node->text, &end, 10);
    return errno == 0 && *end == '\0' ? value : otherwise;
}

char *zg_json_written(const struct zg_json_node *node)
{
    return g_strndup(node->written, node->length);
}
