/* SPDX-License-Identifier: MIT */
/* The layout of generated C: no line is longer than COLUMNS if it can be broken, and no arithmetic is without effect.
 */
#include <string.h>

#include "generate/c/c.h"

enum { COLUMNS = 100, LEAST_TEXT = 40 };

static gsize indent_of(const char *line)
{
    return strspn(line, " ");
}

static void append_line(GString *text, const char *line)
{
    g_string_append(text, line);
    g_string_append_c(text, '\n');
}

/* Stands between two paragraphs of a comment. */
#define PARAGRAPH "\f"

/* The words of a comment, as lines. The first line begins with `open`, the others with `next`. */
static void append_words(GString *text, const char *words, const char *open, const char *next, const char *close)
{
    g_auto(GStrv) parts = g_strsplit(words, " ", -1);
    gsize begin = text->len;

    g_string_append(text, open);
    for (char **part = parts; *part; part++) {
        const gsize more = strlen(*part) + (part[1] ? 0 : strlen(close));
        const bool is_first = part == parts || strcmp(part[-1], PARAGRAPH) == 0;
        if (strcmp(*part, PARAGRAPH) == 0) {
            g_autofree char *empty = g_strchomp(g_strdup(next));
            g_string_append_printf(text, "\n%s\n", empty);
            begin = text->len;
            g_string_append(text, next);
            continue;
        }
        if (!is_first && text->len - begin + 1 + more > COLUMNS) {
            g_string_append_c(text, '\n');
            begin = text->len;
            g_string_append(text, next);
        } else if (!is_first) {
            g_string_append_c(text, ' ');
        }
        g_string_append(text, *part);
    }
    g_string_append(text, close);
    g_string_append_c(text, '\n');
}

/* Where to break a line of code: after the last comma or operator outside strings that leaves the first part short
 * enough. `*column` is where the next line begins; a line that is itself a continuation stays in its column. 0:
 * nowhere. */
static gsize break_of(const char *line, bool goes_on, gsize *column)
{
    const gsize beyond = indent_of(line) + (goes_on ? 0 : 4);
    gsize open[32], depth = 0, best = 0;
    char quote = '\0';

    for (gsize at = 0; line[at] && at < COLUMNS; at++) {
        if (quote) {
            if (line[at] == '\\')
                at++;
            else if (line[at] == quote)
                quote = '\0';
            continue;
        }
        if (line[at] == '"' || line[at] == '\'')
            quote = line[at];
        else if (strchr("({", line[at]) && depth < G_N_ELEMENTS(open))
            open[depth++] = at + 1;
        else if (strchr(")}", line[at]) && depth > 0)
            depth--;
        const bool breaks = line[at] == ',' || line[at] == '|' || (at > 0 && strncmp(line + at - 1, "&&", 2) == 0);
        if (!breaks || line[at + 1] != ' ')
            continue;
        best = at + 1;
        *column = depth > 0 && open[depth - 1] + LEAST_TEXT < COLUMNS && line[open[depth - 1] - 1] == '('
                      ? open[depth - 1]
                      : beyond;
    }
    const char *call = best == 0 ? strchr(line, '(') : NULL; /* a long name and its arguments */
    if (call && call[1] != ')' && call - line < COLUMNS - 1) {
        *column = beyond;
        return (gsize)(call - line) + 1;
    }
    return best;
}

static void append_code(GString *text, const char *line)
{
    g_autofree char *rest = g_strdup(line);
    gsize column, at;
    bool goes_on = false;

    while (strlen(rest) > COLUMNS && (at = break_of(rest, goes_on, &column)) > 0) {
        goes_on = true;
        g_string_append_len(text, rest, (gssize)at);
        g_string_append_c(text, '\n');
        char *shorter = g_strdup_printf("%*s%s", (int)column, "", rest + at + (rest[at] == ' '));
        g_free(rest);
        rest = shorter;
    }
    append_line(text, rest);
}

/* A line of code with a comment at its end: the comment moves to a line before it. */
static void append_remarked(GString *text, const char *line, const char *remark)
{
    const gsize indent = line[0] == '#' ? 0 : indent_of(line);
    g_autofree char *code = g_strchomp(g_strndup(line, (gsize)(remark - line)));
    g_autofree char *words = g_strndup(remark + 3, strlen(remark) - 6);
    g_autofree char *open = g_strdup_printf("%*s/* ", (int)indent, ""),
                    *next = g_strdup_printf("%*s * ", (int)indent, "");

    append_words(text, words, open, next, " */");
    append_code(text, code);
}

/* The lines of a comment that starts at `line` and does not end there: unchanged, or re-wrapped if one is too long.
 * Returns its last line. */
static char **append_comment(GString *text, char **line)
{
    const gsize indent = indent_of(*line);
    g_autoptr(GString) words = g_string_new(*line + indent + strlen("/* "));
    char **last = line;
    bool is_long = strlen(*line) > COLUMNS;

    while (!g_str_has_suffix(*last, " */") && last[1]) {
        last++;
        is_long = is_long || strlen(*last) > COLUMNS;
        const char *more = *last + MIN(strlen(*last), indent_of(*last) + strlen("* "));
        g_string_append_printf(words, " %s", *more ? more : PARAGRAPH);
    }
    if (!is_long) {
        for (char **same = line; same <= last; same++)
            append_line(text, *same);
        return last;
    }
    g_string_truncate(words, words->len - strlen(" */"));
    g_autofree char *open = g_strdup_printf("%*s/* ", (int)indent, ""),
                    *next = g_strdup_printf("%*s * ", (int)indent, "");
    append_words(text, words->str, open, next, " */");
    return last;
}

void zgi_c_wrap(GString *text)
{
    g_auto(GStrv) lines = g_strsplit(text->str, "\n", -1);

    g_string_truncate(text, 0);
    for (char **line = lines; *line && (line[1] || **line); line++) {
        const char *body = *line + indent_of(*line);
        const bool ends = g_str_has_suffix(body, " */");
        const char *remark = ends ? g_strrstr(*line, " /* ") : NULL;
        if (g_str_has_prefix(body, "/* "))
            line = append_comment(text, line);
        else if (strlen(*line) <= COLUMNS)
            append_line(text, *line);
        else if (remark)
            append_remarked(text, *line, remark + 1);
        else
            append_code(text, *line);
    }
}

void zgi_c_tidy(GString *code)
{
    static const char *const pairs[][2] = {
        { " * 1)", ")" },       { " * 1;", ";" },     { " * 1,", "," },           { " / 1)", ")" },
        { " / 1 ", " " },       { "[0 + ", "[" },     { "out + 0 + ", "out + " }, { "in + 0 + ", "in + " },
        { "out + 0,", "out," }, { "in + 0,", "in," }, { "(out + 0)", "(out)" },   { "in + 0;", "in;" }
    };
    g_autoptr(GRegex) twice = g_regex_new("\\((uint\\d+_t)\\)\\(\\(\\1\\)([\\w.>\\[\\]-]+)\\)", 0, 0, NULL);

    for (unsigned i = 0; i < G_N_ELEMENTS(pairs); i++)
        (void)g_string_replace(code, pairs[i][0], pairs[i][1], 0);
    g_autofree char *once = g_regex_replace(twice, code->str, -1, 0, "(\\1)\\2", 0, NULL);
    g_string_assign(code, once);
}
