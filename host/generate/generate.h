/* SPDX-License-Identifier: MIT */
/* Code and documents printed from a plan. The same plan always gives the same text, byte for byte. */
#ifndef ZEUGMA_GENERATE_H
#define ZEUGMA_GENERATE_H

#include "plan/plan.h"

#define ZG_GENERATE_ERROR (g_quark_from_static_string("zg-generate-error"))

enum zg_generate_error {
    ZG_GENERATE_ERROR_FOREIGN, /* a file of that name exists that was not generated, or was edited since */
    ZG_GENERATE_ERROR_NAME,    /* a generated file and a runtime file have the same name */
    ZG_GENERATE_ERROR_WRITE,
    ZG_GENERATE_ERROR_LAYOUT /* a message has a layout that the target does not know */
};

struct zg_generated {
    char *name; /* of the file, without its folder */
    char *text;
};

/* C11 for both ends: PROTOCOL.h/.c (types, pack, unpack), PROTOCOL_device.h/.c and PROTOCOL_host.h/.c (one end each, on
 * the runtime); only for `sides`. An array of struct zg_generated; free with g_ptr_array_unref(). */
GPtrArray *zg_generate_c(const struct zg_plan *plan, enum zg_side sides);

/* PROTOCOL.py: one module for Python 3.9 or later that needs only the standard library: dataclasses, enums, packing, a
 * streaming receiver. */
GPtrArray *zg_generate_python(const struct zg_plan *plan);

/* PROTOCOL_vectors.json: frames with their values, including edge cases, and payloads that are cut short, to test any
 * other implementation against. */
GPtrArray *zg_generate_vectors(const struct zg_plan *plan);

/* PROTOCOL.md and PROTOCOL.html, one self-contained page: a specification of the protocol. */
GPtrArray *zg_generate_docs(const struct zg_plan *plan);

/* Whether a target can print a plan; if not, an error: so far C knows no json and no floats in text. */
bool zg_target_knows(const char *name, const struct zg_plan *plan, GError **error);

/* All of these, by the names that a user gives: "c", "python", "docs", "vectors". */
struct zg_target {
    const char *name;
    GPtrArray *(*print)(const struct zg_plan *plan,
                        enum zg_side sides); /* `sides` only matters for targets that have ends: c */
};
extern const struct zg_target zg_targets[];
extern const unsigned zg_targets_length;

/* The definition language as a JSON Schema (draft 7), for editors: keys, words and the shapes of values, but not what
 * must fit together. Free with g_free(). */
char *zg_generate_schema(void);

/* Adds the files of the runtime that generated C needs, so that `cc -c *.c` in the folder compiles. False if the
 * protocol has the name of one of them. */
bool zg_generate_bundle(GPtrArray *files, GError **error);

/* Writes all files into a folder, made if missing, or none of them: each is first written next to its place, then all
 * are moved. Files whose bytes would not change are left alone. An existing file that was not generated, or was edited
 * since, is left alone, with an error, unless `force`. */
bool zg_generated_write(const GPtrArray *files, const char *folder, bool force, GError **error);

/* The beginning of every generated file's first line, before the name of its source. */
#define ZGI_MARK "Made by zeugma from"

/* For the generators: adds a file, and takes ownership of its name and text. The first line contains ZGI_MARK, and is
 * given a check value of the whole file, which reveals edits. */
void zgi_generated_add(GPtrArray *files, char *name, GString *text);
GPtrArray *zgi_generated_new(void);

#endif
