/* SPDX-License-Identifier: MIT */
#include "zeugma/spell_json.h"

#include "characters.h"

enum { DEEPEST = 8 /* nesting of a value that is skipped */ };

/* The letters of short escapes, and what they stand for. */
static const char letters[] = "\"\\/bfnrt", meanings[] = "\"\\/\b\f\n\r\t";

/* --- writing */

static void put_character(struct zg_writer *to, char character)
{
    const uint8_t code = (uint8_t)character;
    uint8_t i = 0;

    while (meanings[i] != '\0' && (meanings[i] != character || character == '/'))
        i++;
    if (meanings[i] != '\0') {
        zgi_put(to, '\\');
        zgi_put(to, letters[i]);
    } else if (code < 0x20) {
        zg_write(to, "\\u00");
        zgi_put(to, zgi_hex_digit((uint8_t)(code >> 4), false));
        zgi_put(to, zgi_hex_digit(code & 15U, false));
    } else {
        zgi_put(to, character);
    }
}

void zg_json_write_string(struct zg_writer *to, const char *text, size_t size)
{
    zgi_put(to, '"');
    for (size_t i = 0; i < size; i++)
        put_character(to, text[i]);
    zgi_put(to, '"');
}

static void write_filled(struct zg_writer *to, const char *word, unsigned width)
{
    size_t size = zgi_length_of(word);

    if (width > 0 && size > width)
        to->refused = true;
    zg_json_write_string(to, word, size);
    if (size >= width)
        return;
    to->size--; /* the quote, which comes behind the blanks */
    for (; size < width; size++)
        zgi_put(to, ' ');
    zgi_put(to, '"');
}

void zg_json_write_bool(struct zg_writer *to, bool value, const char *on, const char *off, unsigned width)
{
    write_filled(to, value ? on : off, width);
}

void zg_json_write_word(struct zg_writer *to, const struct zg_word *words, unsigned count,
                        const struct zg_spelling *spelling, zg_spelled raw, unsigned width, bool quoted)
{
    const char *const word = zgi_word_of(words, count, raw);

    if (word) {
        write_filled(to, word, width);
        return;
    }
    zg_write(to, quoted ? "\"" : "");
    zg_write_number(to, spelling, raw);
    zg_write(to, quoted ? "\"" : "");
}

void zg_json_write_flags(struct zg_writer *to, const struct zg_word *words, unsigned count, unsigned bits,
                         zg_spelled raw)
{
    bool first = true;

    zgi_put(to, '[');
    for (unsigned bit = 0; bit < bits; bit++) {
        const char *const word = zgi_word_of(words, count, bit);
        if ((raw >> bit & 1U) == 0)
            continue;
        zg_write(to, first ? "" : ",");
        if (word)
            write_filled(to, word, 0);
        else
            zgi_put_small(to, bit);
        first = false;
    }
    zgi_put(to, ']');
}

/* --- reading */

char zg_json_peek(struct zg_text_reader *from)
{
    while (from->at < from->end && (*from->at == ' ' || *from->at == '\t' || *from->at == '\n' || *from->at == '\r'))
        from->at++;
    return from->at < from->end ? *from->at : '\0';
}

bool zg_json_take(struct zg_text_reader *from, char wanted)
{
    if (zg_json_peek(from) != wanted || from->at == from->end)
        return false;
    from->at++;
    return true;
}

bool zg_json_take_null(struct zg_text_reader *from)
{
    (void)zg_json_peek(from);
    return zg_take(from, "null");
}

static bool take_unit(struct zg_text_reader *from, uint16_t *unit)
{
    *unit = 0;
    for (uint8_t i = 0; i < 4; i++) {
        const uint8_t digit = from->at < from->end ? zgi_digit_value(*from->at++) : 255;
        if (digit > 15)
            return false;
        *unit = (uint16_t)(*unit << 4 | digit);
    }
    return true;
}

/* Takes one character behind the backslash, as UTF-8. Returns its bytes; 0: it is none. */
static uint8_t take_escape(struct zg_text_reader *from, char bytes[4])
{
    const char letter = from->at < from->end ? *from->at++ : '\0';
    uint16_t first, second;
    uint8_t i = 0;

    if (letter != 'u') {
        while (letters[i] != '\0' && letters[i] != letter)
            i++;
        bytes[0] = meanings[i];
        return letters[i] != '\0' ? 1 : 0;
    }
    if (!take_unit(from, &first))
        return 0;
    uint32_t code = first;
    if (first >= 0xDC00U && first <= 0xDFFFU)
        return 0;
    if (first >= 0xD800U && first <= 0xDBFFU) { /* the first half of a pair; a half alone is no character */
        if (!zg_take(from, "\\u") || !take_unit(from, &second) || second < 0xDC00U || second > 0xDFFFU)
            return 0;
        code = 0x10000U + ((uint32_t)(first - 0xD800U) << 10 | (uint32_t)(second - 0xDC00U));
    }
    const uint8_t size = code < 0x80U ? 1 : code < 0x800U ? 2 : code < 0x10000U ? 3 : 4;
    for (i = (uint8_t)(size - 1U); i > 0; i--, code >>= 6)
        bytes[i] = (char)(0x80U | (code & 0x3FU));
    bytes[0] = (char)(size == 1 ? code : (0xF00U >> size & 0xFFU) | code);
    return size;
}

/* Takes one character of a string that is sound. Returns its bytes; 0: the string ends. */
static uint8_t take_character(struct zg_text_reader *inside, char bytes[4])
{
    if (inside->at == inside->end)
        return 0;
    bytes[0] = *inside->at++;
    return bytes[0] == '\\' ? take_escape(inside, bytes) : 1;
}

bool zg_json_take_string(struct zg_text_reader *from, struct zg_text_reader *inside)
{
    char bytes[4];

    if (!zg_json_take(from, '"'))
        return false;
    inside->at = from->at;
    for (;;) {
        const char *at = from->at;
        while (at < from->end && *at != '"' && *at != '\\' && (uint8_t)*at >= 0x20)
            at++;
        from->at = at;
        if (!zgi_take_one(from, '\\'))
            break;
        if (take_escape(from, bytes) == 0)
            return false;
    }
    inside->end = from->at;
    return zgi_take_one(from, '"');
}

bool zg_json_take_plain(struct zg_text_reader *from, struct zg_text_reader *inside)
{
    if (!zg_json_take_string(from, inside))
        return false;
    for (const char *at = inside->at; at < inside->end; at++)
        if (*at == '\\')
            return false;
    return true;
}

static bool take_digits(struct zg_text_reader *from)
{
    const char *const first = from->at;

    while (zgi_is_digit(from->at, from->end))
        from->at++;
    return from->at > first;
}

bool zg_json_take_number(struct zg_text_reader *from, struct zg_text_reader *number)
{
    (void)zg_json_peek(from);
    number->at = from->at;
    (void)zgi_take_one(from, '-');
    const char *const whole = from->at;
    if (!take_digits(from) || (*whole == '0' && from->at - whole > 1))
        return false;
    if (zgi_take_one(from, '.') && !take_digits(from))
        return false;
    if (zgi_take_one(from, 'e') || zgi_take_one(from, 'E')) {
        if (!zgi_take_one(from, '+'))
            (void)zgi_take_one(from, '-');
        if (!take_digits(from))
            return false;
    }
    number->end = from->at;
    return true;
}

/* The grammar is that of zg_take_decimal(), but for a digit that must stand first and behind the point, and zeros that
 * must not stand in front of others. */
bool zg_json_take_decimal(struct zg_text_reader *from, const struct zg_spelling *spelling, zg_spelled *units)
{
    const char *at = zg_json_peek(from) == '-' ? from->at + 1 : from->at;
    const char *const whole = at;

    while (zgi_is_digit(at, from->end))
        at++;
    if (at == whole || (*whole == '0' && at - whole > 1) ||
        (at < from->end && *at == '.' && !zgi_is_digit(at + 1, from->end)))
        return false;
    return zg_take_decimal(from, "", spelling, units);
}

/* Whether a character, the one behind so many, is the next of a word, or fills it up; `*word` goes on to its next. */
static inline bool goes_on(char character, unsigned size, const char **word, unsigned width)
{
    if (**word == '\0')
        return size < width && character == ' ';
    return character == *(*word)++;
}

/* The same from the first escape on, behind so many characters. */
static ZGI_RARE bool is_escaped(struct zg_text_reader inside, unsigned size, const char *word, unsigned width)
{
    char bytes[4];

    for (uint8_t more = take_character(&inside, bytes); more > 0; more = take_character(&inside, bytes))
        for (uint8_t i = 0; i < more; i++, size++)
            if (!goes_on(bytes[i], size, &word, width))
                return false;
    return *word == '\0' && (width == 0 || size == width);
}

bool zg_json_is(struct zg_text_reader inside, const char *word, unsigned width)
{
    unsigned size = 0;

    for (; inside.at < inside.end; inside.at++, size++) {
        if (*inside.at == '\\')
            return is_escaped(inside, size, word, width);
        if (!goes_on(*inside.at, size, &word, width))
            return false;
    }
    return *word == '\0' && (width == 0 || size == width);
}

/* A value that holds no others. */
static bool skip_single(struct zg_text_reader *from, char first)
{
    struct zg_text_reader part;

    if (first == '"')
        return zg_json_take_string(from, &part);
    if (first == 't' || first == 'f' || first == 'n')
        return zg_take(from, "true") || zg_take(from, "false") || zg_take(from, "null");
    return zg_json_take_number(from, &part);
}

static bool take_key(struct zg_text_reader *from)
{
    struct zg_text_reader key;
    return zg_json_take_string(from, &key) && zg_json_take(from, ':');
}

bool zg_json_skip(struct zg_text_reader *from)
{
    uint8_t depth = 0, objects = 0; /* a bit for each list or object that is open: whether it is an object */

    for (;;) {
        const char first = zg_json_peek(from);
        bool opened = first == '{' || first == '[';
        if (opened) {
            if (depth == DEEPEST)
                return false;
            from->at++;
            objects = (uint8_t)((unsigned)objects << 1 | (first == '{' ? 1U : 0U));
            depth++;
        } else if (!skip_single(from, first)) {
            return false;
        }
        while (depth > 0 && zg_json_take(from, (objects & 1U) != 0 ? '}' : ']')) {
            objects >>= 1;
            depth--;
            opened = false;
        }
        if (depth == 0)
            return true;
        if (!opened && !zg_json_take(from, ','))
            return false;
        if ((objects & 1U) != 0 && !take_key(from))
            return false;
    }
}

bool zg_json_read_bool(struct zg_text_reader *from, bool *value)
{
    *value = zg_json_peek(from) == 't';
    return zg_take(from, *value ? "true" : "false");
}

bool zg_json_read_words(struct zg_text_reader *from, const char *on, const char *off, unsigned width, bool *value)
{
    struct zg_text_reader inside;

    if (!zg_json_take_string(from, &inside))
        return false;
    *value = zg_json_is(inside, on, width);
    return *value || zg_json_is(inside, off, width);
}

bool zg_json_read_word(struct zg_text_reader *from, const struct zg_word *words, unsigned count,
                       const struct zg_spelling *spelling, zg_spelled *raw, unsigned width, bool quoted)
{
    const bool is_string = zg_json_peek(from) == '"';
    const char *const at = from->at;
    struct zg_text_reader inside;

    if (!is_string)
        return !quoted && zg_json_take_number(from, &inside) && zg_read_number(inside.at, inside.end, spelling, raw);
    if (!zg_json_take_string(from, &inside))
        return false;
    for (unsigned i = 0; i < count; i++)
        if (zg_json_is(inside, words[i].text, width)) {
            *raw = words[i].value;
            return true;
        }
    from->at = at;
    return zg_json_take_plain(from, &inside) && zg_read_number(inside.at, inside.end, spelling, raw);
}

static bool read_flag(struct zg_text_reader *from, const struct zg_word *words, unsigned count, unsigned bits,
                      unsigned *bit)
{
    const bool is_string = zg_json_peek(from) == '"';
    struct zg_text_reader part;

    if (is_string ? !zg_json_take_string(from, &part) : !zg_json_take_number(from, &part))
        return false;
    for (unsigned i = 0; i < count; i++)
        if (zg_json_is(part, words[i].text, 0)) {
            *bit = (unsigned)words[i].value;
            return true;
        }
    return zgi_read_bit(part.at, part.end, bits, bit);
}

bool zg_json_read_flags(struct zg_text_reader *from, const struct zg_word *words, unsigned count, unsigned bits,
                        zg_spelled *raw)
{
    unsigned bit;

    *raw = 0;
    if (!zg_json_take(from, '['))
        return false;
    if (zg_json_take(from, ']'))
        return true;
    do {
        if (!read_flag(from, words, count, bits, &bit) || (*raw >> bit & 1U) != 0)
            return false;
        *raw |= (zg_spelled)1 << bit;
    } while (zg_json_take(from, ','));
    return zg_json_take(from, ']');
}

bool zg_json_read_text(struct zg_text_reader *from, char *text, size_t most, size_t *size)
{
    struct zg_text_reader inside;
    char bytes[4];

    *size = 0;
    if (!zg_json_take_string(from, &inside))
        return false;
    for (uint8_t more = take_character(&inside, bytes); more > 0; more = take_character(&inside, bytes)) {
        if (more > most - *size)
            return false;
        for (uint8_t i = 0; i < more; i++)
            text[(*size)++] = bytes[i];
    }
    return true;
}

/* Four digits at a time, because a slash among them may have been escaped. */
bool zg_json_read_base64(struct zg_text_reader *from, uint8_t *bytes, size_t most, size_t *size)
{
    struct zg_text_reader inside;
    char character[4], digits[4];
    uint8_t held = 0;
    bool padded = false;

    *size = 0;
    if (!zg_json_take_string(from, &inside))
        return false;
    for (uint8_t more = take_character(&inside, character); more > 0; more = take_character(&inside, character)) {
        size_t taken;
        if (more > 1 || padded)
            return false;
        digits[held++] = character[0];
        if (held < 4)
            continue;
        if (!zg_read_base64(digits, digits + 4, bytes + *size, most - *size, &taken))
            return false;
        padded = digits[3] == '=';
        *size += taken;
        held = 0;
    }
    return held == 0;
}
