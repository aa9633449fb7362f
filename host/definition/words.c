/* SPDX-License-Identifier: MIT */
#include "definition/words.h"

#include <math.h>
#include <string.h>

enum { LONGEST_WORD = 64, DIGITS = 40, EXPONENT = 300 };

/* Levenshtein distance: the fewest letters to insert, delete or change. */
static size_t distance(const char *a, const char *b)
{
    size_t row[LONGEST_WORD + 1];
    size_t width = strlen(b);

    for (size_t j = 0; j <= width; j++)
        row[j] = j;
    for (size_t i = 1; a[i - 1] != '\0'; i++) {
        size_t diagonal = row[0];
        row[0] = i;
        for (size_t j = 1; j <= width; j++) {
            size_t change = diagonal + (g_ascii_tolower(a[i - 1]) != g_ascii_tolower(b[j - 1]));
            diagonal = row[j];
            row[j] = MIN(change, MIN(row[j], row[j - 1]) + 1);
        }
    }
    return row[width];
}

const char *zg_word_nearest(const char *word, const char *const *known)
{
    const char *nearest = NULL;
    size_t least = strlen(word) / 3 + 2; /* a third of the letters may be wrong, plus one */

    if (strlen(word) > LONGEST_WORD)
        return NULL;
    for (; *known; known++) {
        size_t d = strlen(*known) <= LONGEST_WORD ? distance(word, *known) : least;
        if (d < least && d < strlen(*known)) {
            least = d;
            nearest = *known;
        }
    }
    return nearest;
}

char *zg_word_hint(const char *word, const char *const *known)
{
    const char *nearest = zg_word_nearest(word, known);
    if (nearest)
        return g_strdup_printf("; did you mean \"%s\"?", nearest);
    if (!*known)
        return g_strdup("; there are none");
    g_autofree char *all = g_strjoinv(", ", (char **)known);
    return g_strdup_printf("; expected one of %s", all);
}

bool zgi_is_identifier(const char *word)
{
    if (!g_ascii_isalpha(word[0]))
        return false;
    for (const char *c = word; *c; c++)
        if (!g_ascii_isalnum(*c) && *c != '_')
            return false;
    return true;
}

/* digits = digit { [ "_" ] digit } */
static const char *skip_digits(const char *c, unsigned base, GString *digits)
{
    bool after_digit = false;
    for (;; c++) {
        int value = g_ascii_xdigit_value(*c);
        if (value >= 0 && (unsigned)value < base) {
            g_string_append_c(digits, *c);
            after_digit = true;
        } else if (*c == '_' && after_digit && g_ascii_isxdigit(c[1])) {
            after_digit = false;
        } else {
            return after_digit ? c : NULL;
        }
    }
}

static const char *skip_sign(const char *text, bool *negative)
{
    *negative = *text == '-';
    return *text == '-' || *text == '+' ? text + 1 : text;
}

bool zgi_parse_integer(const char *text, bool *negative, uint64_t *magnitude)
{
    g_autoptr(GString) digits = g_string_new(NULL);
    unsigned base = 10;
    const char *c = skip_sign(text, negative);

    if (c[0] == '0' && (c[1] == 'x' || c[1] == 'X'))
        base = 16;
    else if (c[0] == '0' && (c[1] == 'b' || c[1] == 'B'))
        base = 2;
    c = skip_digits(base == 10 ? c : c + 2, base, digits);
    if (!c || *c != '\0' || !g_ascii_string_to_unsigned(digits->str, base, 0, G_MAXUINT64, magnitude, NULL))
        return false;
    return !*negative || *magnitude <= (uint64_t)G_MAXINT64 + 1;
}

bool zgi_parse_unsigned(const char *text, uint64_t *value)
{
    bool negative;
    return zgi_parse_integer(text, &negative, value) && (!negative || *value == 0);
}

/* value *= 10^power */
static void shift_decimal(mpq_t value, long power)
{
    mpz_t factor;
    mpz_init(factor);
    mpz_ui_pow_ui(factor, 10, (unsigned long)labs(power));
    if (power >= 0)
        mpz_mul(mpq_numref(value), mpq_numref(value), factor);
    else
        mpz_mul(mpq_denref(value), mpq_denref(value), factor);
    mpq_canonicalize(value);
    mpz_clear(factor);
}

/* decimal = [ sign ] digits [ "." digits ] [ ( "e" | "E" ) [ sign ] digits ] */
static bool parse_decimal(const char *text, mpq_t value)
{
    g_autoptr(GString) digits = g_string_new(NULL);
    bool negative;
    long power = 0;
    const char *c = skip_digits(skip_sign(text, &negative), 10, digits);

    if (c && *c == '.') {
        gsize before = digits->len;
        c = skip_digits(c + 1, 10, digits);
        power = -(long)(digits->len - before);
    }
    if (c && (*c == 'e' || *c == 'E')) {
        g_autoptr(GString) exponent = g_string_new(NULL);
        bool below;
        c = skip_digits(skip_sign(c + 1, &below), 10, exponent);
        guint64 size;
        if (!g_ascii_string_to_unsigned(exponent->str, 10, 0, EXPONENT, &size, NULL))
            return false;
        power += below ? -(long)size : (long)size;
    }
    if (!c || *c != '\0' || digits->len > DIGITS)
        return false;
    mpq_set_str(value, digits->str, 10);
    if (negative)
        mpq_neg(value, value);
    shift_decimal(value, power);
    return true;
}

bool zgi_parse_number(const char *text, bool fraction, mpq_t value)
{
    bool negative;
    uint64_t magnitude;
    const char *bar = strchr(text, '/');

    if (bar && fraction) {
        g_autofree char *above = g_strstrip(g_strndup(text, (gsize)(bar - text)));
        g_autofree char *below = g_strstrip(g_strdup(bar + 1));
        mpq_t divisor;
        mpq_init(divisor);
        bool good = parse_decimal(above, value) && parse_decimal(below, divisor) && mpq_sgn(divisor) != 0;
        if (good)
            mpq_div(value, value, divisor);
        mpq_clear(divisor);
        return good;
    }
    if (zgi_parse_integer(text, &negative, &magnitude)) {
        mpz_set_ui(mpq_numref(value), magnitude);
        mpz_set_ui(mpq_denref(value), 1);
        if (negative)
            mpq_neg(value, value);
        return true;
    }
    return parse_decimal(text, value);
}

bool zgi_parse_version(const char *text, unsigned *major, unsigned *minor)
{
    g_auto(GStrv) parts = g_strsplit(text, ".", -1);
    guint64 numbers[2];

    if (g_strv_length(parts) != 2 || !g_ascii_string_to_unsigned(parts[0], 10, 0, 255, &numbers[0], NULL) ||
        !g_ascii_string_to_unsigned(parts[1], 10, 0, 255, &numbers[1], NULL))
        return false;
    *major = (unsigned)numbers[0];
    *minor = (unsigned)numbers[1];
    return true;
}

/* A decimal number in front of a unit. Returns the unit, or NULL: it is none. */
static const char *number_with_unit(const char *text, double *number)
{
    char *end;

    if (!g_ascii_isdigit(text[0]))
        return NULL;
    *number = g_ascii_strtod(text, &end);
    while (*end == ' ')
        end++;
    return isfinite(*number) ? end : NULL;
}

bool zg_parse_frequency(const char *text, double *hertz)
{
    static const struct {
        const char *unit;
        double hertz;
    } units[] = { { "", 1 }, { "Hz", 1 }, { "kHz", 1e3 }, { "MHz", 1e6 }, { "GHz", 1e9 } };
    const char *unit = number_with_unit(text, hertz);

    for (size_t i = 0; unit && i < G_N_ELEMENTS(units); i++)
        if (strcmp(unit, units[i].unit) == 0) {
            *hertz *= units[i].hertz;
            return *hertz >= 1 && *hertz <= 1e12;
        }
    return false;
}

bool zg_parse_tolerance(const char *text, double *part)
{
    const char *unit = number_with_unit(text, part);

    if (!unit || (strcmp(unit, "%") != 0 && strcmp(unit, "ppm") != 0))
        return false;
    *part *= *unit == '%' ? 0.01 : 1e-6;
    return *part <= 0.5;
}

bool zg_parse_divider(const char *text, struct zg_divider *divider)
{
    g_auto(GStrv) parts = g_strsplit(text, "+", 2);
    guint64 samples, bits = 0;

    if (!parts[0] || !g_ascii_string_to_unsigned(parts[0], 10, 8, 16, &samples, NULL) ||
        (parts[1] && !g_ascii_string_to_unsigned(parts[1], 10, 1, 16, &bits, NULL)))
        return false;
    *divider = (struct zg_divider){ (unsigned)samples, (unsigned)bits };
    return samples == 8 || samples == 16;
}

bool zg_parse_format(const char *text, unsigned *data_bits, char *parity, unsigned *half_stops)
{
    static const char *const stops[] = { "1", "1.5", "2" };

    if (text[0] < '4' || text[0] > '9' || text[1] == '\0' || !strchr("NEOMS", text[1]))
        return false;
    for (unsigned i = 0; i < G_N_ELEMENTS(stops); i++)
        if (strcmp(text + 2, stops[i]) == 0) {
            *data_bits = (unsigned)(text[0] - '0');
            *parity = text[1];
            *half_stops = i + 2;
            return true;
        }
    return false;
}

bool zg_parse_time(const char *text, uint64_t *nanoseconds)
{
    static const struct {
        const char *unit;
        unsigned long ns;
    } units[] = { { "ns", 1 },         { "us", 1000 },         { "ms", 1000000 },
                  { "s", 1000000000 }, { "min", 60000000000 }, { "h", 3600000000000 } };
    size_t length = strspn(text, "0123456789._");
    g_autofree char *digits = g_strndup(text, length);
    g_autofree char *unit = g_strstrip(g_strdup(text + length));
    bool good = false;
    mpq_t value;
    mpz_t whole;

    mpq_init(value);
    mpz_init(whole);
    for (size_t i = 0; i < G_N_ELEMENTS(units) && !good; i++) {
        if (strcmp(unit, units[i].unit) != 0 || !parse_decimal(digits, value))
            continue;
        mpz_mul_ui(mpq_numref(value), mpq_numref(value), units[i].ns);
        mpz_tdiv_q(whole, mpq_numref(value), mpq_denref(value));
        good = mpz_sizeinbase(whole, 2) <= 63;
        *nanoseconds = good ? mpz_get_ui(whole) : 0;
    }
    mpq_clear(value);
    mpz_clear(whole);
    return good;
}

bool zg_is_hidden(gunichar c)
{
    return c < 0x20 || (c >= 0x7F && c < 0xA0) || (c >= 0x200E && c <= 0x200F) || (c >= 0x2028 && c <= 0x202E) ||
           (c >= 0x2066 && c <= 0x2069) || c == 0x61C || c == 0xFEFF;
}

static void append_escape(GString *shown, gunichar c)
{
    static const char named[] = "\b\f\n\r\t", letters[] = "bfnrt";
    const char *name = c != 0 && c < 0x80 ? strchr(named, (int)c) : NULL;

    if (name)
        g_string_append_printf(shown, "\\%c", letters[name - named]);
    else
        g_string_append_printf(shown, c < 0x80 ? "\\%03o" : "\\u%04x", c);
}

char *zg_shown(const char *text, gssize length, bool quoted)
{
    GString *shown = g_string_new(NULL);
    const char *end = text + (length < 0 ? strlen(text) : (size_t)length);

    while (text < end) {
        const gunichar c = g_utf8_get_char_validated(text, end - text);
        if (c == (gunichar)-1 || c == (gunichar)-2 || (c == 0 && *text != '\0')) {
            g_string_append_printf(shown, "\\%03o", (unsigned)(uint8_t)*text++);
            continue;
        }
        const char *next = *text == '\0' ? text + 1 : g_utf8_next_char(text);
        if (zg_is_hidden(c))
            append_escape(shown, c);
        else if (quoted && (c == '"' || c == '\\'))
            g_string_append_printf(shown, "\\%c", (char)c);
        else
            g_string_append_len(shown, text, next - text);
        text = next;
    }
    return g_string_free(shown, FALSE);
}
