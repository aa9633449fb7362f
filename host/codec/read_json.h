/* SPDX-License-Identifier: MIT */
/*
 * JSON from outside (RFC 8259), as a tree. Nothing in it is rounded or lost: numbers stay as they are written, strings
 * may hold U+0000, and a name that stands twice in an object is an error.
 */
#ifndef ZEUGMA_READ_JSON_H
#define ZEUGMA_READ_JSON_H

#include <stdbool.h>
#include <stdint.h>

#include "codec/error.h"

enum { ZG_JSON_DEPTH = 100 /* more than any message has; levels of objects and lists */ };

enum zg_json_kind { ZG_JSON_NULL, ZG_JSON_BOOL, ZG_JSON_NUMBER, ZG_JSON_STRING, ZG_JSON_LIST, ZG_JSON_OBJECT };

struct zg_json_node {
    enum zg_json_kind kind;
    bool truth;                   /* of a bool */
    char *text;                   /* a string's characters, with a zero byte behind them; a number's */
    size_t size;                  /* bytes of it */
    char *name;                   /* of a member of an object; without U+0000 */
    const char *written;          /* where it stands in the text */
    size_t length;                /* bytes there */
    struct zg_json_node *members; /* the first of them, or of a list's elements */
    struct zg_json_node *next;    /* behind it in its object or list */
    unsigned count;               /* members or elements */
    /* private */
    char *source;
};

/* The value that a text is. NULL, with an error: it is not JSON, is nested deeper, or repeats a name. */
struct zg_json_node *zg_json_read(const char *text, GError **error);

/* The same of a text that must be an object. */
struct zg_json_node *zg_json_read_object(const char *text, GError **error);

/* A string, as if the text stood in quotes. */
struct zg_json_node *zg_json_word(const char *text);
void zg_json_node_free(struct zg_json_node *root);
typedef struct zg_json_node zg_json_node;
G_DEFINE_AUTOPTR_CLEANUP_FUNC(zg_json_node, zg_json_node_free)

/* --- what a node says; any of them may be NULL */

/* NULL: it is no object, or has no such member. */
const struct zg_json_node *zg_json_member(const struct zg_json_node *object, const char *name);

/* A string, which does not hold U+0000; a number's nearest double. */
const char *zg_json_string_or(const struct zg_json_node *node, const char *otherwise);
double zg_json_double_or(const struct zg_json_node *node, double otherwise);

/* A number without point and exponent, within these 64 bits. */
int64_t zg_json_whole_or(const struct zg_json_node *node, int64_t otherwise);

/* As its writer wrote it. Free with g_free(). */
char *zg_json_written(const struct zg_json_node *node);

#endif
