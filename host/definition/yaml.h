/* SPDX-License-Identifier: MIT */
/* A YAML document as nodes with places, and how its mappings are read by tables of keys. */
#ifndef ZEUGMA_YAML_H
#define ZEUGMA_YAML_H

#include <stdint.h>
#include <yaml.h>

#include "definition/diagnostics.h"

/* The reading of a document: where it is, and what is wrong with it. */
struct zgi_reader {
    yaml_document_t document;
    struct zg_diagnostics *diagnostics;
};

/* One `key: value` of a mapping. */
struct zgi_entry {
    const char *key;
    struct zg_place place; /* of the key */
    yaml_node_t *value;
};

/* A key that a mapping may have. */
struct zgi_key {
    const char *name;
    bool required;
    /* NULL: a word of the language that this version does not read yet */
    void (*read)(struct zgi_reader *reader, const struct zgi_entry *entry, void *into);
    const char *shape; /* of its value: a name in the schema */
    const char *help;
};

/* Parses one document. False, with diagnostics, if it is not well-formed YAML. Otherwise free it with
 * yaml_document_delete(). */
bool zgi_yaml_parse(struct zgi_reader *reader, const char *text, size_t length);

struct zg_place zgi_place(const yaml_node_t *node);

/* "FILE:LINE:COL", for messages that refer to a second place. Free with g_free(). */
char *zgi_where(const struct zgi_reader *reader, struct zg_place place);

/* "a mapping", "a list", `"text"`: a node's description for messages. Free with g_free(). */
char *zgi_found(const yaml_node_t *node);

/* A scalar's text, or NULL with a diagnostic ("expected WHAT, found ..."). */
const char *zgi_scalar(struct zgi_reader *reader, yaml_node_t *node, const char *expected);

/* Calls `each` for every entry of a mapping. Skips repeated keys, with diagnostics. False, with a diagnostic, if it is
 * no mapping. */
bool zgi_entries(struct zgi_reader *reader, yaml_node_t *node, const char *expected,
                 void (*each)(struct zgi_reader *reader, const struct zgi_entry *entry, void *into), void *into);

/* Reads a mapping by a table, which ends with a row without a name. `what` names the mapping in messages ("the frame");
 * a missing key is reported at `at`. */
void zgi_read_mapping(struct zgi_reader *reader, yaml_node_t *node, struct zg_place at, const char *what,
                      const struct zgi_key *keys, void *into);

/* The value of a mapping's first key of that name; NULL if there is none, or the node is no mapping. */
yaml_node_t *zgi_lookup(struct zgi_reader *reader, const yaml_node_t *node, const char *key);

/* The items of a list, in order; NULL, with a diagnostic, if it is none. Free with g_ptr_array_unref(). */
GPtrArray *zgi_items(struct zgi_reader *reader, yaml_node_t *node, const char *expected);

/* A scalar of this meaning; false, with a diagnostic, if the node is something else. `what` names the value. */
bool zgi_read_unsigned(struct zgi_reader *reader, yaml_node_t *node, const char *what, uint64_t least, uint64_t most,
                       uint64_t *value);
bool zgi_read_bool(struct zgi_reader *reader, yaml_node_t *node, const char *what, bool *value);
bool zgi_read_time(struct zgi_reader *reader, yaml_node_t *node, const char *what, uint64_t *nanoseconds);
bool zgi_read_choice(struct zgi_reader *reader, yaml_node_t *node, const char *what, const char *const *words,
                     unsigned *index);

/* A few bytes: text in quotes, one integer, or a list of integers. False, with a diagnostic: something else, or more
 * than `most` of them. `what` names them. */
bool zgi_read_bytes(struct zgi_reader *reader, yaml_node_t *node, const char *what, unsigned most, uint8_t *bytes,
                    unsigned *count);

/* Free text, which may also be empty quotes; NULL, with a diagnostic, if the node is something else. Free with
 * g_free().
 */
char *zgi_read_any_text(struct zgi_reader *reader, yaml_node_t *node, const char *what);
char *zgi_read_text(struct zgi_reader *reader, yaml_node_t *node, const char *what);

/* Whether a name is an identifier and not a keyword; if not, a diagnostic at `place`. */
bool zgi_check_name(struct zgi_reader *reader, const char *name, struct zg_place place, const char *what);

/* The same for a name that becomes a struct's member unchanged. */
void zgi_check_member_name(struct zgi_reader *reader, const char *name, struct zg_place place, const char *what);

/* The same for the protocol's name, with which all names and files begin. */
void zgi_check_protocol_name(struct zgi_reader *reader, const char *name, struct zg_place place);

#endif
