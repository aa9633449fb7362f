/* SPDX-License-Identifier: MIT */
#include "codec/parse_json.h"

#include <string.h>

#include "codec/error.h"

/* Where the text gets too deep; NULL: nowhere. Within strings brackets are text. */
static const char *too_deep(const char *text)
{
    unsigned depth = 0;

    for (const char *at = text; *at; at++) {
        if (*at == '"') {
            for (at++; *at && *at != '"'; at++)
                at += *at == '\\' && at[1];
            if (!*at)
                return NULL;
        } else if (strchr("{[", *at)) {
            if (++depth > ZG_JSON_DEPTH)
                return at;
        } else if (strchr("}]", *at) && depth > 0) {
            depth--;
        }
    }
    return NULL;
}

bool zg_json_parse(JsonParser *parser, const char *text, GError **error)
{
    const char *deep = too_deep(text);

    if (!deep)
        return json_parser_load_from_data(parser, text, -1, error);
    g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_JSON,
                "the %c at position %zu is inside %d others; at most %d levels are read", *deep,
                (size_t)(deep - text) + 1, ZG_JSON_DEPTH, ZG_JSON_DEPTH);
    return false;
}
