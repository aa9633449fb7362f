/* SPDX-License-Identifier: MIT */
/*
 * JSON (RFC 8259) in text layouts, for generated code: strings with their escapes, and values whose meaning is not
 * known skipped, nested up to 8 deep. No heap, no recursion. Numbers, hex digits and base 64 are zeugma/spell.h's.
 * Bytes beyond ASCII are passed on as they are. Any context; linear in the characters.
 */
#ifndef ZEUGMA_SPELL_JSON_H
#define ZEUGMA_SPELL_JSON_H

#include "zeugma/spell.h"

#ifdef __cplusplus
extern "C" {
#endif

/* --- writing */

void zg_json_write_string(struct zg_writer *to, const char *text, size_t size);

/* The word "on" or "off", filled up to a width (0: none); as a string. */
void zg_json_write_bool(struct zg_writer *to, bool value, const char *on, const char *off, unsigned width);

/* A value's word as a string, or its number if it has none, within quotes if `quoted`. */
void zg_json_write_word(struct zg_writer *to, const struct zg_word *words, unsigned count,
                        const struct zg_spelling *spelling, zg_spelled raw, unsigned width, bool quoted);

/* A list of the words of the bits that are set, and numbers of bits without one. */
void zg_json_write_flags(struct zg_writer *to, const struct zg_word *words, unsigned count, unsigned bits,
                         zg_spelled raw);

/* --- reading: each takes what stands next, behind white space. False: it is not there, and the text is unsound */

/* The next character, which stays; '\0': the text ends. */
char zg_json_peek(struct zg_text_reader *from);
bool zg_json_take(struct zg_text_reader *from, char wanted);

/* The literal null. */
bool zg_json_take_null(struct zg_text_reader *from);

/* A string; `*inside` is what stands between its quotes, escapes included, which are sound. One without escapes. */
bool zg_json_take_string(struct zg_text_reader *from, struct zg_text_reader *inside);
bool zg_json_take_plain(struct zg_text_reader *from, struct zg_text_reader *inside);

/* The characters of a number, as the grammar has them; such a number with a plain spelling of base 10. */
bool zg_json_take_number(struct zg_text_reader *from, struct zg_text_reader *number);
bool zg_json_take_decimal(struct zg_text_reader *from, const struct zg_spelling *spelling, zg_spelled *units);

/* Whether a string is a word, filled up with blanks to a width (0: none). */
bool zg_json_is(struct zg_text_reader inside, const char *word, unsigned width);

/* Any value. */
bool zg_json_skip(struct zg_text_reader *from);

bool zg_json_read_bool(struct zg_text_reader *from, bool *value);
bool zg_json_read_words(struct zg_text_reader *from, const char *on, const char *off, unsigned width, bool *value);
bool zg_json_read_word(struct zg_text_reader *from, const struct zg_word *words, unsigned count,
                       const struct zg_spelling *spelling, zg_spelled *raw, unsigned width, bool quoted);
bool zg_json_read_flags(struct zg_text_reader *from, const struct zg_word *words, unsigned count, unsigned bits,
                        zg_spelled *raw);

/* A string's characters without escapes; at most `most` bytes. Its bytes in base 64. */
bool zg_json_read_text(struct zg_text_reader *from, char *text, size_t most, size_t *size);
bool zg_json_read_base64(struct zg_text_reader *from, uint8_t *bytes, size_t most, size_t *size);

#ifdef __cplusplus
}
#endif

#endif
