/* SPDX-License-Identifier: MIT */
/* The grammar of JSON (RFC 8259), piece by piece. Each function takes what stands next; false: it is not there, and the
 * cursor says what was expected where (strings that are not UTF-8 aside). */
#ifndef ZEUGMA_SCAN_JSON_H
#define ZEUGMA_SCAN_JSON_H

#include <glib.h>
#include <stdbool.h>

/* What is left of a text. */
struct zgi_json_cursor {
    const char *at, *end;
    bool escaped;         /* the last string had escapes, so that no digits in it stand for a value */
    const char *expected; /* after a failure: what, instead of the character there */
};

/* Characters of a string, without quotes and escapes: where they stand, or in `scratch`. */
struct zgi_json_characters {
    const char *at;
    size_t size;
    GString *scratch; /* NULL until it is needed */
};

static inline void zgi_json_characters_clear(struct zgi_json_characters *characters)
{
    if (characters->scratch)
        g_string_free(characters->scratch, TRUE);
}
typedef struct zgi_json_characters zgi_json_characters_auto;
G_DEFINE_AUTO_CLEANUP_CLEAR_FUNC(zgi_json_characters_auto, zgi_json_characters_clear)

/* The next character behind white space, which stays; '\0': the text ends. */
static inline char zgi_json_peek(struct zgi_json_cursor *cursor)
{
    while (cursor->at < cursor->end &&
           (*cursor->at == ' ' || *cursor->at == '\t' || *cursor->at == '\n' || *cursor->at == '\r'))
        cursor->at++;
    return cursor->at < cursor->end ? *cursor->at : '\0';
}

/* A character behind white space. What was expected is for the caller to say. */
static inline bool zgi_json_take(struct zgi_json_cursor *cursor, char wanted)
{
    if (zgi_json_peek(cursor) != wanted || cursor->at == cursor->end)
        return false;
    cursor->at++;
    return true;
}

bool zgi_json_take_word(struct zgi_json_cursor *cursor, const char *word);

/* A string from its first character that is not plain ASCII, or its end. */
bool zgi_json_take_rest(struct zgi_json_cursor *cursor, struct zgi_json_characters *out);

static inline bool zgi_json_take_string(struct zgi_json_cursor *cursor, struct zgi_json_characters *out)
{
    cursor->escaped = false;
    cursor->expected = "a string in double quotes";
    if (!zgi_json_take(cursor, '"'))
        return false;
    out->at = cursor->at;
    while (cursor->at < cursor->end && *cursor->at != '"' && *cursor->at != '\\' && *cursor->at >= 0x20 &&
           *cursor->at < 0x7F)
        cursor->at++;
    out->size = (size_t)(cursor->at - out->at);
    if (cursor->at == cursor->end || *cursor->at != '"')
        return zgi_json_take_rest(cursor, out);
    cursor->at++;
    return true;
}

/* A number's characters. */
bool zgi_json_take_number(struct zgi_json_cursor *cursor, const char **number, size_t *size);

/* Any value, nested up to 8 deep. */
bool zgi_json_skip(struct zgi_json_cursor *cursor);

#endif
