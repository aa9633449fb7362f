/* SPDX-License-Identifier: MIT */
/* Values as a user writes and reads them: JSON in, JSON and text out. */
#ifndef ZEUGMA_CODEC_VALUES_H
#define ZEUGMA_CODEC_VALUES_H

#include "codec/json.h"
#include "codec/payload.h"

#define ZG_CODEC_ERROR (g_quark_from_static_string("zg-codec-error"))

enum zg_codec_error {
    ZG_CODEC_ERROR_JSON,  /* not JSON, or not an object */
    ZG_CODEC_ERROR_FIELD, /* a field is missing or unknown */
    ZG_CODEC_ERROR_VALUE, /* a value has the wrong type or is outside its limits */
    ZG_CODEC_ERROR_HEX    /* hex digits that are none, or an odd number */
};

/* Reads {"field": value, ...} into the values of the message's payload (made by zg_values_new()). Every field must be
 * there, none may be unknown. The error names message, field, value and limits. */
bool zg_values_from_json(const struct zg_plan_message *message, const char *text, struct zg_value *values,
                         GError **error);

/* Reads a variable's value: JSON; or else the text itself, as an enum's name without its quotes. */
bool zg_variable_from_json(const struct zg_plan_variable *variable, const char *text, struct zg_value *values,
                           GError **error);

/* Reads {"sequence": 12, ...}: the roles that a sender of this message may choose, ticket and base included; one too
 * wide for its role is an error. What is not named is left as it is. */
bool zg_header_from_json(const struct zg_plan *plan, const struct zg_plan_message *message, const char *text,
                         struct zg_header *header, GError **error);

/* Writes all values of a block as members of an object that is open. */
void zg_block_to_json(const struct zg_block *block, const struct zg_value *values, struct zg_json *json);

/* Appends a value as text, without its unit: 12.34, weaving, true, [1 2 3], {x=1 y=2}, "text". */
void zg_value_to_text(const struct zg_step *step, const struct zg_value *value, GString *text);

/* The same for a single raw number. */
void zg_raw_to_text(const struct zg_step *step, union zg_raw raw, GString *text);

/* Bytes from hex digits in the usual spellings, `7E01`, `7e 01`, `0x7E, 0x01`, `\\x7e\\x01`, `7E:01`; free with
 * g_byte_array_unref(). */
GByteArray *zg_bytes_from_hex(const char *text, GError **error);

#endif
