/* SPDX-License-Identifier: MIT */
#include "generate/docs/document.h"

#include <string.h>

#include "analysis/places.h"

enum { ROW_BYTES = 4, MOST_BYTES = 128, COLOURS = 6 };

static const char style[] =
    ":root{color-scheme:light "
    "dark;--ink:#1d2430;--soft:#5b6675;--line:#d5dae1;--back:#fff;--head:#f2f4f7;--a:#dbe8f6;--b:#e3f0dc;--c:#f7e9cf;"
    "--d:#f3dfe4;--e:#e6e0f3;--f:#d9eeee}\n"
    "@media(prefers-color-scheme:dark){:root{--ink:#dfe4ea;--soft:#98a3b1;--line:#39424e;--back:#14181d;--head:#1e242b;"
    "--a:#23384f;--b:#2a4122;--c:#4d3c16;--d:#4d2832;--e:#372c52;--f:#1d4242}}\n"
    "body{margin:2rem auto;max-width:64rem;padding:0 1.5rem;font:16px/1.5 system-ui,sans-serif;color:var(--ink);"
    "background:var(--back)}\n"
    "h1{font-size:1.9rem;margin-bottom:.2rem}h2{font-size:1.35rem;margin-top:2.4rem;border-bottom:1px solid "
    "var(--line)}h3{font-size:1.1rem;margin-top:2rem}\n"
    "code,pre,.bits{font-family:ui-monospace,\"DejaVu Sans Mono\",monospace;font-size:.88em}\n"
    "pre{background:var(--head);padding:.8rem;overflow-x:auto}a{color:inherit}nav{columns:3;font-size:.95rem}nav "
    "a{display:block}nav a[href^=\"#message-\"]{margin-left:1.2rem}\n"
    "table{border-collapse:collapse}.scroll{margin:.6rem 0 "
    "1rem}th{text-align:left;background:var(--head);font-weight:600}\n"
    "th,td{border:1px solid var(--line);padding:.25rem .6rem;vertical-align:top;font-size:.93rem}\n"
    ".scroll{overflow-x:auto}.bits td,.bits th{text-align:center;padding:.3rem 0;min-width:1.35rem}.bits "
    "th{font-weight:400;color:var(--soft);border:0;background:none;font-size:.75rem}.bits .at{padding-right:.6rem}\n"
    ".bits td{overflow:hidden;white-space:nowrap;max-width:1.35rem;text-overflow:ellipsis}\n"
    "@media(max-width:40rem){body{margin:1rem auto;padding:0 .8rem}nav{columns:1}}\n"
    "p,li,nav a,h1,h2,h3{overflow-wrap:anywhere}\n"
    ".c0{background:var(--a)}.c1{background:var(--b)}.c2{background:var(--c)}.c3{background:var(--d)}.c4{background:"
    "var(--e)}.c5{background:var(--f)}.none{color:var(--soft)}\n";

/* Text for HTML, with code between backquotes. */
static void append_html(GString *to, const char *text)
{
    g_autofree char *safe = g_markup_escape_text(text, -1);
    g_auto(GStrv) parts = g_strsplit(safe, "`", -1);
    unsigned count = g_strv_length(parts);

    for (unsigned i = 0; i < count; i++) {
        if (i % 2 == 0)
            g_string_append(to, parts[i]);
        else if (i + 1 < count)
            g_string_append_printf(to, "<code>%s</code>", parts[i]);
        else /* a backquote without its partner */
            g_string_append_printf(to, "`%s", parts[i]);
    }
}

/* Text for Markdown on one line, also in a table. */
static void append_markdown(GString *to, const char *text)
{
    bool code = false;

    for (const char *c = text; *c; c++) {
        code = code != (*c == '`');
        if (*c == '|' || (!code && strchr("<*\\[", *c)))
            g_string_append_c(to, '\\');
        g_string_append_c(to, *c == '\n' || *c == '\r' ? ' ' : *c);
    }
}

static void append(struct zgi_document *document, const char *text)
{
    if (document->html)
        append_html(document->text, text);
    else
        append_markdown(document->text, text);
}

void zgi_document_begin(struct zgi_document *document, bool html, const char *comment, const char *title)
{
    g_auto(GStrv) parts = g_strsplit(comment, "--", -1); /* which would end a comment */
    g_autofree char *safe = g_strjoinv("- -", parts);

    document->text = g_string_new(NULL);
    document->html = html;
    g_string_append_printf(document->text, "<!-- %s -->\n", safe);
    if (!html)
        return;
    g_string_append(document->text, "<!DOCTYPE html>\n<html lang=\"en\">\n<meta charset=\"utf-8\">\n<meta "
                                    "name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>");
    append(document, title);
    g_string_append_printf(document->text, "</title>\n<style>\n%s</style>\n", style);
}

GString *zgi_document_end(struct zgi_document *document)
{
    if (document->html)
        g_string_append(document->text, "</html>\n");
    return document->text;
}

void zgi_document_heading(struct zgi_document *document, unsigned level, const char *id, const char *text)
{
    if (document->html)
        g_string_append_printf(document->text, "<h%u id=\"%s\">", level, id);
    else if (level == 1)
        g_string_append(document->text, "# ");
    else
        g_string_append_printf(document->text, "\n<a id=\"%s\"></a>\n%s ", id, level == 2 ? "##" : "###");
    append(document, text);
    g_string_append_printf(document->text, document->html ? "</h%u>\n" : "\n", level);
}

void zgi_document_paragraph(struct zgi_document *document, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_string_append(document->text, document->html ? "<p>" : "\n");
    append(document, text);
    g_string_append(document->text, document->html ? "</p>\n" : "\n");
}

void zgi_document_links(struct zgi_document *document, const char *const *ids, const char *const *texts)
{
    g_string_append(document->text, document->html ? "<nav>\n" : "\n");
    for (unsigned i = 0; ids[i]; i++) {
        g_string_append_printf(document->text,
                               document->html        ? "<a href=\"#%s\">"
                               : strchr(ids[i], '-') ? "  - ["
                                                     : "- [",
                               ids[i]);
        append(document, texts[i]);
        if (document->html)
            g_string_append(document->text, "</a>\n");
        else
            g_string_append_printf(document->text, "](#%s)\n", ids[i]);
    }
    g_string_append(document->text, document->html ? "</nav>\n" : "");
}

static void cell(struct zgi_document *document, const char *tag, const char *text)
{
    if (document->html)
        g_string_append_printf(document->text, "<%s>", tag);
    else
        g_string_append(document->text, " ");
    append(document, text);
    if (document->html)
        g_string_append_printf(document->text, "</%s>", tag);
    else
        g_string_append(document->text, " |");
}

void zgi_document_table(struct zgi_document *document, const char *const *headings)
{
    g_string_append(document->text, document->html ? "<div class=\"scroll\"><table>\n<tr>" : "\n|");
    for (document->columns = 0; headings[document->columns]; document->columns++)
        cell(document, "th", headings[document->columns]);
    g_string_append(document->text, document->html ? "</tr>\n" : "\n|");
    for (unsigned i = 0; i < document->columns && !document->html; i++)
        g_string_append(document->text, "---|");
    g_string_append(document->text, document->html ? "" : "\n");
}

void zgi_document_row(struct zgi_document *document, ...)
{
    va_list cells;

    va_start(cells, document);
    g_string_append(document->text, document->html ? "<tr>" : "|");
    for (unsigned i = 0; i < document->columns; i++)
        cell(document, "td", va_arg(cells, const char *));
    va_end(cells);
    g_string_append(document->text, document->html ? "</tr>\n" : "\n");
}

void zgi_document_table_end(struct zgi_document *document)
{
    g_string_append(document->text, document->html ? "</table></div>\n" : "");
}

void zgi_document_code(struct zgi_document *document, const char *text)
{
    if (document->html) {
        g_autofree char *safe = g_markup_escape_text(text, -1);
        g_string_append_printf(document->text, "<pre>%s</pre>\n", safe);
    } else {
        g_string_append_printf(document->text, "\n```\n%s%s```\n", text, g_str_has_suffix(text, "\n") ? "" : "\n");
    }
}

/* A row of the byte map: a cell for each run of bits of one value. */
static void map_row(GString *text, const struct zg_block *block, const int *owners, unsigned first, unsigned bytes,
                    unsigned before)
{
    unsigned bits = 8 * MIN((unsigned)ROW_BYTES, bytes - first);

    g_string_append_printf(text, "<tr><th class=\"at\">%u</th>", before + first);
    for (unsigned i = 0; i < bits;) {
        int owner = owners[8 * first + i];
        unsigned end = i + 1;
        while (end < bits && owners[8 * first + end] == owner)
            end++;
        g_autofree char *name = zg_place_label(block, owner);
        if (owner == ZG_NOBODY)
            g_string_append_printf(text, "<td colspan=\"%u\" class=\"none\">-</td>", end - i);
        else
            g_string_append_printf(text, "<td colspan=\"%u\" class=\"c%u\" title=\"%s\">%s</td>", end - i,
                                   (unsigned)owner % ZG_OWNER_STEPS % COLOURS, name, name);
        i = end;
    }
    g_string_append(text, "</tr>\n");
}

static void map_html(GString *text, const struct zg_block *block, unsigned before)
{
    unsigned bytes, next;
    g_autofree int *owners = zg_place_owners(block, &bytes, &next);
    unsigned columns = 8 * MIN((unsigned)ROW_BYTES, bytes);

    if (bytes == 0 || bytes > MOST_BYTES)
        return;
    g_string_append(text, "<div class=\"scroll\"><table class=\"bits\">\n<tr><th></th>");
    for (unsigned i = 0; i < columns; i++)
        g_string_append_printf(text, "<th>%u</th>", 7 - i % 8);
    g_string_append(text, "</tr>\n");
    for (unsigned first = 0; first < bytes; first += ROW_BYTES)
        map_row(text, block, owners, first, bytes, before);
    for (; next < block->steps->len; next++) {
        const struct zg_step *step = zg_block_step(block, next);
        g_autofree char *size = step->least_size == step->most_size
                                    ? g_strdup_printf("%u", step->most_size)
                                    : g_strdup_printf("%u to %u", step->least_size, step->most_size);
        g_string_append_printf(text,
                               "<tr><th class=\"at\">...</th><td colspan=\"%u\" class=\"c%u\">%s, %s bytes</td></tr>\n",
                               columns, next % COLOURS, step->name, size);
    }
    g_string_append(text, "</table></div>\n");
}

void zgi_document_map(struct zgi_document *document, const struct zg_block *block, unsigned before)
{
    if (document->html) {
        map_html(document->text, block, before);
        return;
    }
    g_autoptr(GString) drawn = g_string_new(NULL);
    zg_place_map(drawn, block, before);
    if (drawn->len > 0)
        zgi_document_code(document, drawn->str);
}
