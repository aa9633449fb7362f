/* SPDX-License-Identifier: MIT */
/* Single values in text layouts: written, and read from all of a text. */
#ifndef ZEUGMA_TEXT_ELEMENT_H
#define ZEUGMA_TEXT_ELEMENT_H

#include "codec/error.h"
#include "codec/values.h"

/* What a reader of a text was at, for when it fails there. */
enum zgi_reading {
    ZGI_READING_VALUE,
    ZGI_READING_LITERAL,
    ZGI_READING_PAIR,
    ZGI_READING_SECOND, /* a key that came before */
    ZGI_READING_MISSING,
    ZGI_READING_END,
    ZGI_READING_JSON
};

struct zgi_progress {
    enum zgi_reading what;
    const char *name; /* of the field or constant; the literal; the separator of name and value */
    size_t at, end;   /* where it begins, and if it is known ends */
};

/* Whether a text can be written so that it is read again; if not, with an error. */
bool zgi_text_may_stand(const struct zg_step *step, const struct zg_value *value, GError **error);

/* A single element as a pattern or pairs have it; its number. False, with an error: it cannot be written. */
bool zgi_text_put_element(const struct zg_step *step, const struct zg_value *value, GString *text, GError **error);
bool zgi_text_put_number(const struct zg_step *step, union zg_raw raw, GString *text, GError **error);

/* The same from all of a text; a name of an enum or flags; one name, or bit number, of flags; whether a constant has
 * this text. */
bool zgi_text_take_element(const struct zg_step *step, const char *text, size_t length, struct zg_value *value);
bool zgi_text_take_word(const struct zg_step *step, const char *text, size_t length, union zg_raw *raw);
bool zgi_text_take_flag(const struct zg_step *step, const char *text, size_t length, union zg_raw *raw);
bool zgi_text_is_constant(const struct zg_constant *constant, const char *text, size_t length);

/* Sets a missing value to its default, or to absent. False: it must not be missing. */
bool zgi_text_take_missing(const struct zg_step *step, struct zg_value *value);

/* What ends a value: these characters, or the end of the text. */
struct zgi_stop {
    const char *text;
    size_t size;
};

/* Where a stop stands, from a place on; the text's end if it is empty, or stands nowhere. */
size_t zgi_text_find(const char *text, size_t length, size_t from, struct zgi_stop stop);

#endif
