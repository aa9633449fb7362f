/* SPDX-License-Identifier: MIT */
/* Values as a user writes them, in JSON. */
#ifndef ZEUGMA_CODEC_FROM_JSON_H
#define ZEUGMA_CODEC_FROM_JSON_H

#include "codec/error.h"
#include "codec/payload.h"

/* Reads {"field": value, ...} into the values of the message's payload (made by zg_values_new()). All fields must be
 * there, and no others. The error names message, field, value and limits. */
bool zg_values_from_json(const struct zg_plan_message *message, const char *text, struct zg_value *values,
                         GError **error);

/* Reads a variable's value: JSON, or the text itself, such as an enum's name without quotes. */
bool zg_variable_from_json(const struct zg_plan_variable *variable, const char *text, struct zg_value *values,
                           GError **error);

/* Reads {"sequence": 12, ...}: the roles that a sender of this message may choose, including ticket and base. A value
 * too wide for its role is an error. Roles that are not named are left unchanged. */
bool zg_header_from_json(const struct zg_plan *plan, const struct zg_plan_message *message, const char *text,
                         struct zg_header *header, GError **error);

/* A message as a user gives it: its header with the id, its values, its payload. */
struct zg_given {
    const struct zg_plan_message *message;
    struct zg_header header;
    struct zg_value *values;
    GByteArray *payload;
};

/* Reads a message's values, and roles of its header (NULL: none are given), and packs its payload. False, with an
 * error: it is not what the message takes, or no receiver could tell it. Clear it in any case. */
bool zg_given_from_json(const struct zg_plan *plan, const struct zg_plan_message *message, const char *values,
                        const char *header, struct zg_given *given, GError **error);
void zg_given_clear(struct zg_given *given);

#endif
