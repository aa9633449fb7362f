/* SPDX-License-Identifier: MIT */
/*
 * JSON text (RFC 8259), written piece by piece. Numbers have the shortest digits that read back as the same double (or
 * float).
 */
#ifndef ZEUGMA_JSON_H
#define ZEUGMA_JSON_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

struct zg_json {
    GString *text;
    bool indented; /* one member on each line */
    /* private */
    unsigned depth;
    bool first; /* of the innermost object or list */
};

/* Begins a text, which zg_json_end() returns (free with g_free()). */
void zg_json_begin(struct zg_json *json, bool indented);
char *zg_json_end(struct zg_json *json);

/* The same, appended to a text of the caller's, without zg_json_end(). */
void zg_json_begin_in(struct zg_json *json, GString *text, bool indented);

/* '{' or '[', and their closing counterparts. In an object every value has a key; in a list and at the top the key is
 * NULL. */
void zg_json_open(struct zg_json *json, const char *key, char bracket);
void zg_json_close(struct zg_json *json, char bracket);

void zg_json_string(struct zg_json *json, const char *key, const char *value);

/* UTF-8 of a given length, U+0000 included. */
void zg_json_text(struct zg_json *json, const char *key, const char *text, size_t length);
void zg_json_bool(struct zg_json *json, const char *key, bool value);
void zg_json_null(struct zg_json *json, const char *key);

/* Integers above 2^53 in magnitude become strings. */
void zg_json_unsigned(struct zg_json *json, const char *key, uint64_t value);
void zg_json_signed(struct zg_json *json, const char *key, int64_t value);

/* NaN and infinities become the strings "nan", "inf", "-inf". */
void zg_json_double(struct zg_json *json, const char *key, double value);
void zg_json_float(struct zg_json *json, const char *key, float value);

/* A value as it is written. */
void zg_json_literal(struct zg_json *json, const char *key, const char *written);

/* A time in seconds, to the microsecond. */
void zg_json_seconds(struct zg_json *json, const char *key, uint64_t ns);

/* Bytes as a string of two hex digits each. */
void zg_json_hex(struct zg_json *json, const char *key, const uint8_t *bytes, size_t count);

/* The shortest digits that read back as the same double, or float: "12.34", "1e+20", "nan". */
void zg_append_double(GString *text, double value);
void zg_append_float(GString *text, float value);

#endif
