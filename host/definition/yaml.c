/* SPDX-License-Identifier: MIT */
#include "definition/yaml.h"

#include <string.h>

#include "definition/reserved.h"
#include "definition/words.h"

enum { DEEPEST = 100 }; /* brackets within brackets */

static struct zg_place place_of(yaml_mark_t mark)
{
    return (struct zg_place){ (unsigned)mark.line + 1, (unsigned)mark.column + 1 };
}

struct zg_place zgi_place(const yaml_node_t *node)
{
    return place_of(node->start_mark);
}

char *zgi_where(const struct zgi_reader *reader, struct zg_place place)
{
    return g_strdup_printf("%s:%u:%u", zg_diagnostics_file(reader->diagnostics), place.line, place.column);
}

/* Whether a line of the text has an unquoted type with brackets, which ends a word within { }. */
static bool has_bare_brackets(const char *text, size_t length, size_t line)
{
    const char *at = text, *end = text + length;

    for (; line > 0 && at < end; at++)
        line -= *at == '\n';
    for (const char *c = at; c + 1 < end && *c != '\n'; c++) {
        const char *word = c;
        if (c[1] != '[' || !g_ascii_isalnum(*c))
            continue;
        while (word > at && (g_ascii_isalnum(word[-1]) || word[-1] == '_'))
            word--;
        if (word == at || (word[-1] != '"' && word[-1] != '\''))
            return true;
    }
    return false;
}

/* Whether brackets are nested no deeper than any definition needs; if not, a diagnostic. The parser's time grows with
 * the square of the depth. Brackets in comments and strings count as well: there are never that many. */
static bool check_depth(struct zgi_reader *reader, const char *text, size_t length)
{
    struct zg_place place = { 1, 1 };
    unsigned depth = 0;

    for (size_t i = 0; i < length; i++) {
        if (text[i] == '[' || text[i] == '{')
            depth++;
        else if ((text[i] == ']' || text[i] == '}') && depth > 0)
            depth--;
        if (depth > DEEPEST) {
            zgi_error(reader->diagnostics, place, "brackets are nested more than %d deep; is one not closed?", DEEPEST);
            return false;
        }
        place.column++;
        if (text[i] == '\n')
            place = (struct zg_place){ place.line + 1, 1 };
    }
    return true;
}

enum { EXPANDED_MOST = 1000000 };

/* How many nodes a node has with all its aliases expanded. EXPANDED_MOST: it contains itself, or has that many. */
static unsigned expanded(struct zgi_reader *reader, unsigned *sizes, int index)
{
    const yaml_node_t *node = yaml_document_get_node(&reader->document, index);
    uint64_t size = 1;

    if (!node)
        return 0;
    if (sizes[index] > 0)
        return sizes[index];
    sizes[index] = EXPANDED_MOST; /* until it is known: a node that is met again meanwhile contains itself */
    if (node->type == YAML_SEQUENCE_NODE)
        for (const yaml_node_item_t *item = node->data.sequence.items.start; item < node->data.sequence.items.top;
             item++)
            size += expanded(reader, sizes, *item);
    if (node->type == YAML_MAPPING_NODE)
        for (const yaml_node_pair_t *pair = node->data.mapping.pairs.start; pair < node->data.mapping.pairs.top; pair++)
            size += (uint64_t)expanded(reader, sizes, pair->key) + expanded(reader, sizes, pair->value);
    return sizes[index] = (unsigned)MIN(size, (uint64_t)EXPANDED_MOST);
}

/* Whether a definition stays small with all aliases expanded; if not, a diagnostic. */
static bool is_bounded(struct zgi_reader *reader)
{
    const size_t count = (size_t)(reader->document.nodes.top - reader->document.nodes.start);
    g_autofree unsigned *sizes = g_new0(unsigned, count + 1);

    for (size_t i = 1; i <= count; i++) {
        if (expanded(reader, sizes, (int)i) < EXPANDED_MOST)
            continue;
        zgi_error(reader->diagnostics, zgi_place(yaml_document_get_node(&reader->document, (int)i)),
                  "with all aliases expanded this would be %d nodes or more; write out what is needed", EXPANDED_MOST);
        return false;
    }
    return true;
}

bool zgi_yaml_parse(struct zgi_reader *reader, const char *text, size_t length)
{
    yaml_parser_t parser;
    bool good = yaml_parser_initialize(&parser) != 0;

    g_assert(good);
    if (!check_depth(reader, text, length)) {
        yaml_parser_delete(&parser);
        return false;
    }
    yaml_parser_set_input_string(&parser, (const unsigned char *)text, length);
    good = yaml_parser_load(&parser, &reader->document) != 0;
    if (!good && parser.error == YAML_READER_ERROR)
        zgi_error(reader->diagnostics, (struct zg_place){ 1, 1 }, "not text: %s at byte %zu", parser.problem,
                  parser.problem_offset);
    else if (!good)
        zgi_error(reader->diagnostics, place_of(parser.problem_mark), "not well-formed YAML: %s%s%s%s",
                  parser.context ? parser.context : "", parser.context ? ", " : "",
                  parser.problem ? parser.problem : "out of memory",
                  has_bare_brackets(text, length, parser.problem_mark.line)
                      ? "; within { } a type with brackets must be quoted, \"u8[8]\""
                      : "");
    else if (!is_bounded(reader)) {
        yaml_document_delete(&reader->document);
        good = false;
    } else if (!yaml_document_get_root_node(&reader->document)) {
        zgi_error(reader->diagnostics, (struct zg_place){ 1, 1 }, "the file is empty; expected a definition");
        yaml_document_delete(&reader->document);
        good = false;
    }
    yaml_parser_delete(&parser);
    return good;
}

char *zgi_found(const yaml_node_t *node)
{
    switch (node->type) {
    case YAML_MAPPING_NODE: return g_strdup("a mapping");
    case YAML_SEQUENCE_NODE: return g_strdup("a list");
    default: break;
    }
    const char *text = (const char *)node->data.scalar.value;
    if (text[0] == '\0' && node->data.scalar.style == YAML_PLAIN_SCALAR_STYLE)
        return g_strdup("nothing");
    g_autofree char *quoted = g_strescape(text, NULL);
    return strlen(quoted) > 40 ? g_strdup_printf("\"%.37s...\"", quoted) : g_strdup_printf("\"%s\"", quoted);
}

static void expected_found(struct zgi_reader *reader, const yaml_node_t *node, const char *expected)
{
    g_autofree char *found = zgi_found(node);
    zgi_error(reader->diagnostics, zgi_place(node), "expected %s, found %s", expected, found);
}

const char *zgi_scalar(struct zgi_reader *reader, yaml_node_t *node, const char *expected)
{
    if (node->type == YAML_SCALAR_NODE) {
        const char *text = (const char *)node->data.scalar.value;
        if (text[0] != '\0' && strlen(text) == node->data.scalar.length)
            return text;
    }
    expected_found(reader, node, expected);
    return NULL;
}

bool zgi_entries(struct zgi_reader *reader, yaml_node_t *node, const char *expected,
                 void (*each)(struct zgi_reader *reader, const struct zgi_entry *entry, void *into), void *into)
{
    if (node->type != YAML_MAPPING_NODE) {
        expected_found(reader, node, expected);
        return false;
    }
    g_autoptr(GHashTable) seen = g_hash_table_new(g_str_hash, g_str_equal);
    for (yaml_node_pair_t *pair = node->data.mapping.pairs.start; pair < node->data.mapping.pairs.top; pair++) {
        yaml_node_t *key = yaml_document_get_node(&reader->document, pair->key);
        struct zgi_entry entry = { zgi_scalar(reader, key, "a key"), zgi_place(key),
                                   yaml_document_get_node(&reader->document, pair->value) };
        if (!entry.key)
            continue;
        const yaml_node_t *first = g_hash_table_lookup(seen, entry.key);
        if (first) {
            g_autofree char *where = zgi_where(reader, zgi_place(first));
            zgi_error(reader->diagnostics, entry.place, "\"%s\" is given twice; first at %s", entry.key, where);
            continue;
        }
        g_hash_table_insert(seen, (gpointer)entry.key, key);
        each(reader, &entry, into);
    }
    return true;
}

/* The table and target of the mapping being read, and which of its keys were seen. */
struct table_walk {
    const char *what;
    const struct zgi_key *keys;
    void *into;
    uint64_t seen;
};

static void unknown_key(struct zgi_reader *reader, const struct zgi_entry *entry, const struct table_walk *walk)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();
    for (const struct zgi_key *key = walk->keys; key->name; key++)
        g_ptr_array_add(names, (gpointer)key->name);
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(entry->key, (const char *const *)names->pdata);
    zgi_error(reader->diagnostics, entry->place, "unknown key \"%s\" in %s%s", entry->key, walk->what, hint);
}

static void read_entry(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct table_walk *walk = into;
    for (unsigned i = 0; walk->keys[i].name; i++) {
        if (strcmp(walk->keys[i].name, entry->key) != 0)
            continue;
        walk->seen |= (uint64_t)1 << i;
        if (walk->keys[i].read)
            walk->keys[i].read(reader, entry, walk->into);
        else
            zgi_error(reader->diagnostics, entry->place,
                      "\"%s\" is part of the language but not yet supported by this version; remove it", entry->key);
        return;
    }
    unknown_key(reader, entry, walk);
}

void zgi_read_mapping(struct zgi_reader *reader, yaml_node_t *node, struct zg_place at, const char *what,
                      const struct zgi_key *keys, void *into)
{
    struct table_walk walk = { what, keys, into, 0 };
    g_autofree char *expected = g_strdup_printf("a mapping for %s", what);

    if (!zgi_entries(reader, node, expected, read_entry, &walk))
        return;
    for (unsigned i = 0; keys[i].name; i++)
        if (keys[i].required && !(walk.seen >> i & 1))
            zgi_error(reader->diagnostics, at, "%s lacks the key \"%s\"", what, keys[i].name);
}

yaml_node_t *zgi_lookup(struct zgi_reader *reader, const yaml_node_t *node, const char *key)
{
    if (node->type != YAML_MAPPING_NODE)
        return NULL;
    for (yaml_node_pair_t *pair = node->data.mapping.pairs.start; pair < node->data.mapping.pairs.top; pair++) {
        const yaml_node_t *found = yaml_document_get_node(&reader->document, pair->key);
        if (found->type == YAML_SCALAR_NODE && strcmp((const char *)found->data.scalar.value, key) == 0)
            return yaml_document_get_node(&reader->document, pair->value);
    }
    return NULL;
}

GPtrArray *zgi_items(struct zgi_reader *reader, yaml_node_t *node, const char *expected)
{
    if (node->type != YAML_SEQUENCE_NODE) {
        expected_found(reader, node, expected);
        return NULL;
    }
    GPtrArray *items = g_ptr_array_new();
    for (yaml_node_item_t *item = node->data.sequence.items.start; item < node->data.sequence.items.top; item++)
        g_ptr_array_add(items, yaml_document_get_node(&reader->document, *item));
    return items;
}

bool zgi_read_unsigned(struct zgi_reader *reader, yaml_node_t *node, const char *what, uint64_t least, uint64_t most,
                       uint64_t *value)
{
    g_autofree char *expected =
        g_strdup_printf("%s from %" G_GUINT64_FORMAT " to %" G_GUINT64_FORMAT, what, least, most);
    const char *text = zgi_scalar(reader, node, expected);

    if (!text)
        return false;
    if (zgi_parse_unsigned(text, value) && *value >= least && *value <= most)
        return true;
    expected_found(reader, node, expected);
    return false;
}

bool zgi_read_bool(struct zgi_reader *reader, yaml_node_t *node, const char *what, bool *value)
{
    static const char *const words[] = { "false", "true", NULL };
    unsigned index;
    if (!zgi_read_choice(reader, node, what, words, &index))
        return false;
    *value = index == 1;
    return true;
}

bool zgi_read_time(struct zgi_reader *reader, yaml_node_t *node, const char *what, uint64_t *nanoseconds)
{
    g_autofree char *expected = g_strdup_printf("%s as a time with its unit (500 us, 20 ms, 1 s)", what);
    const char *text = zgi_scalar(reader, node, expected);

    if (!text)
        return false;
    if (zg_parse_time(text, nanoseconds))
        return true;
    expected_found(reader, node, expected);
    return false;
}

bool zgi_read_choice(struct zgi_reader *reader, yaml_node_t *node, const char *what, const char *const *words,
                     unsigned *index)
{
    g_autofree char *all = g_strjoinv(", ", (char **)words);
    g_autofree char *expected = g_strdup_printf("%s: one of %s", what, all);
    const char *text = zgi_scalar(reader, node, expected);

    if (!text)
        return false;
    for (*index = 0; words[*index]; ++*index)
        if (strcmp(words[*index], text) == 0)
            return true;
    const char *nearest = zg_word_nearest(text, words);
    zgi_error(reader->diagnostics, zgi_place(node), "expected %s, found \"%s\"%s%s%s", expected, text,
              nearest ? "; did you mean \"" : "", nearest ? nearest : "", nearest ? "\"?" : "");
    return false;
}

/* Text in quotes as bytes, which are the same in every encoding. */
static bool bytes_of_text(struct zgi_reader *reader, const yaml_node_t *node, const char *what, unsigned most,
                          uint8_t *bytes, unsigned *count)
{
    const uint8_t *text = node->data.scalar.value;
    const size_t length = node->data.scalar.length;

    for (size_t i = 0; i < length; i++) {
        if (text[i] < 0x80)
            continue;
        g_autoptr(GString) list = g_string_new(NULL);
        for (size_t k = 0; k < MIN(length, 8); k++)
            g_string_append_printf(list, "%s0x%02X", k > 0 ? ", " : "", text[k]);
        zgi_error(reader->diagnostics, zgi_place(node),
                  "%s holds a character beyond ASCII, whose bytes depend on the encoding; write the bytes, in UTF-8 "
                  "[%s%s]",
                  what, list->str, length > 8 ? ", ..." : "");
        return false;
    }
    *count = (unsigned)MIN(length, most);
    memcpy(bytes, text, *count);
    if (length > most)
        zgi_error(reader->diagnostics, zgi_place(node), "%s has %zu bytes; at most %u are possible", what, length,
                  most);
    return length <= most;
}

bool zgi_read_bytes(struct zgi_reader *reader, yaml_node_t *node, const char *what, unsigned most, uint8_t *bytes,
                    unsigned *count)
{
    uint64_t byte;

    *count = 0;
    if (node->type == YAML_SCALAR_NODE && node->data.scalar.style != YAML_PLAIN_SCALAR_STYLE)
        return bytes_of_text(reader, node, what, most, bytes, count);
    if (node->type == YAML_SCALAR_NODE) {
        g_autofree char *expected = g_strdup_printf("%s as text in quotes, as a byte or as [0xA5, 0x5A],", what);
        if (!zgi_read_unsigned(reader, node, expected, 0, 255, &byte))
            return false;
        bytes[(*count)++] = (uint8_t)byte;
        return true;
    }
    g_autofree char *expected = g_strdup_printf("%s as text in quotes, as a byte or as a list, [0xA5, 0x5A]", what);
    g_autoptr(GPtrArray) items = zgi_items(reader, node, expected);
    if (!items)
        return false;
    if (items->len > most)
        zgi_error(reader->diagnostics, zgi_place(node), "%s has %u bytes; at most %u are possible", what, items->len,
                  most);
    bool good = items->len <= most;
    for (unsigned i = 0; i < MIN(items->len, most); i++) {
        const bool read = zgi_read_unsigned(reader, g_ptr_array_index(items, i), "a byte", 0, 255, &byte);
        if (read)
            bytes[(*count)++] = (uint8_t)byte;
        good = good && read;
    }
    return good;
}

char *zgi_read_any_text(struct zgi_reader *reader, yaml_node_t *node, const char *what)
{
    const bool is_empty = node->type == YAML_SCALAR_NODE && node->data.scalar.length == 0 &&
                          node->data.scalar.style != YAML_PLAIN_SCALAR_STYLE;
    return is_empty ? g_strdup("") : zgi_read_text(reader, node, what);
}

char *zgi_read_text(struct zgi_reader *reader, yaml_node_t *node, const char *what)
{
    g_autofree char *expected = g_strdup_printf("text for %s", what);
    return g_strdup(zgi_scalar(reader, node, expected));
}

bool zgi_check_name(struct zgi_reader *reader, const char *name, struct zg_place place, const char *what)
{
    g_autofree char *fault = zgi_name_fault(name, what);

    if (fault)
        zgi_error(reader->diagnostics, place, "%s", fault);
    return !fault;
}

void zgi_check_member_name(struct zgi_reader *reader, const char *name, struct zg_place place, const char *what)
{
    if (!zgi_check_name(reader, name, place, what))
        return;
    if (zgi_is_macro(name))
        zgi_error(reader->diagnostics, place, "\"%s\" is a macro of C's headers and cannot name %s; choose another",
                  name, what);
    else if (zgi_is_cpp_keyword(name))
        zgi_warning(reader->diagnostics, place,
                    "\"%s\" is a keyword of C++, which cannot include the generated headers if it names %s", name,
                    what);
}

void zgi_check_protocol_name(struct zgi_reader *reader, const char *name, struct zg_place place)
{
    if (!zgi_check_name(reader, name, place, "a protocol"))
        return;
    if (strcmp(name, "zg") == 0 || strcmp(name, "zgi") == 0)
        zgi_error(reader->diagnostics, place,
                  "the runtime's own names begin with \"%s_\"; choose another for the protocol", name);
    else if (zgi_is_library(name))
        zgi_warning(reader->diagnostics, place,
                    "the files generated for this protocol, %s.h or %s.py, would hide C's header or Python's module of "
                    "that name",
                    name, name);
}
