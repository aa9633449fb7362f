/* SPDX-License-Identifier: MIT */
/* A diagnosis in words, and as JSON. */
#include "diagnosis/diagnosis.h"

enum { WIDTH = 100, INDENT = 6 };

/* Words, on lines that are indented. */
static void append_wrapped(GString *text, const char *words)
{
    g_auto(GStrv) each = g_strsplit(words, " ", -1);
    gsize column = WIDTH;

    for (char **word = each; *word; word++) {
        const gsize length = (gsize)g_utf8_strlen(*word, -1);
        if (column + 1 + length > WIDTH) {
            g_string_append_printf(text, "%s%*s", word == each ? "" : "\n", INDENT, "");
            column = INDENT;
        } else {
            g_string_append_c(text, ' ');
            column++;
        }
        g_string_append(text, *word);
        column += length;
    }
    g_string_append_c(text, '\n');
}

static void append_rest(const struct zg_diagnosis *diagnosis, unsigned back, GString *text)
{
    const uint64_t all = diagnosis->damages[back], seen = diagnosis->looked_at[back];

    if (all == 0)
        return;
    g_string_append_printf(text, "  %-4s  unexplained: %" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT,
                           back ? "back" : "out", diagnosis->unexplained[back], all);
    if (seen == 0)
        g_string_append(text, "; counts only, since the bytes of none are known");
    else if (seen < all)
        g_string_append_printf(text, "; the bytes of %" G_GUINT64_FORMAT " are known", seen);
    g_string_append_c(text, '\n');
}

void zg_diagnosis_to_text(const struct zg_diagnosis *diagnosis, GString *text)
{
    if (diagnosis->findings->len == 0 && diagnosis->damages[0] + diagnosis->damages[1] == 0)
        return;
    g_string_append(text, "\n  what did it\n");
    for (guint i = 0; i < diagnosis->findings->len; i++) {
        const struct zg_finding *finding = &g_array_index(diagnosis->findings, struct zg_finding, i);
        g_string_append_printf(text, "  %-4s  %s", finding->back ? "back" : "out", zg_cause_name(finding->cause));
        if (finding->damages > 0)
            g_string_append_printf(text, ": %" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT " damages", finding->damages,
                                   diagnosis->damages[finding->back]);
        g_string_append_c(text, '\n');
        append_wrapped(text, finding->evidence);
    }
    for (unsigned back = 0; back < 2; back++)
        append_rest(diagnosis, back, text);
}

static void finding_to_json(const struct zg_finding *finding, struct zg_json *json)
{
    zg_json_open(json, NULL, '{');
    zg_json_string(json, "cause", zg_cause_key(finding->cause));
    zg_json_string(json, "way", finding->back ? "back" : "out");
    zg_json_unsigned(json, "damages", finding->damages);
    zg_json_string(json, "evidence", finding->evidence);
    zg_json_open(json, "numbers", '{');
    for (unsigned i = 0; i < ZG_QUANTITIES && finding->quantities[i].key; i++)
        zg_json_double(json, finding->quantities[i].key, finding->quantities[i].value);
    zg_json_close(json, '}');
    zg_json_close(json, '}');
}

void zg_diagnosis_to_json(const struct zg_diagnosis *diagnosis, struct zg_json *json)
{
    zg_json_open(json, "diagnosis", '{');
    zg_json_open(json, "causes", '[');
    for (guint i = 0; i < diagnosis->findings->len; i++)
        finding_to_json(&g_array_index(diagnosis->findings, struct zg_finding, i), json);
    zg_json_close(json, ']');
    for (unsigned back = 0; back < 2; back++) {
        zg_json_open(json, back ? "back" : "out", '{');
        zg_json_unsigned(json, "damages", diagnosis->damages[back]);
        zg_json_unsigned(json, "with_bytes", diagnosis->looked_at[back]);
        zg_json_unsigned(json, "unexplained", diagnosis->unexplained[back]);
        zg_json_double(json, "hertz_most", diagnosis->hertz_most[back]);
        zg_json_close(json, '}');
    }
    zg_json_close(json, '}');
}
