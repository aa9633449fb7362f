/* SPDX-License-Identifier: MIT */
/* JSON from outside, read by the JSON library, whose stack grows with each level. */
#ifndef ZEUGMA_PARSE_JSON_H
#define ZEUGMA_PARSE_JSON_H

#include <json-glib/json-glib.h>
#include <stdbool.h>

enum { ZG_JSON_DEPTH = 100 /* more than any message has; levels of objects and lists */ };

/* Loads a text. False, with an error: it is not JSON, or deeper than that. */
bool zg_json_parse(JsonParser *parser, const char *text, GError **error);

#endif
