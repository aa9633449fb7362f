/* SPDX-License-Identifier: MIT */
#include "view/lines.h"

#include <string.h>

#include "codec/as_text.h"
#include "codec/describe.h"
#include "codec/frame_reader.h"

enum { A_LINE = 16, RAW_SHOWN = 64 };

struct zg_lines {
    const struct zg_viewed *viewed;
    bool unicode, coloured;
    unsigned name_width, device_width;
    GHashTable *widths; /* of a step, characters */
    GString *cell;
};

struct zg_lines *zg_lines_new(const struct zg_viewed *viewed, bool unicode, bool coloured)
{
    struct zg_lines *lines = g_new0(struct zg_lines, 1);
    const struct zg_plan *plan = viewed->plan;

    lines->viewed = viewed;
    lines->unicode = unicode;
    lines->coloured = coloured;
    lines->widths = g_hash_table_new(NULL, NULL);
    lines->cell = g_string_new(NULL);
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (!zg_plan_message_at(plan, i)->message->service)
            lines->name_width = MAX(lines->name_width, (unsigned)strlen(zg_plan_message_at(plan, i)->message->name));
    lines->name_width = MAX(lines->name_width, strlen("acknowledge"));
    return lines;
}

void zg_lines_align(struct zg_lines *lines, unsigned width)
{
    lines->device_width = width;
}

void zg_lines_free(struct zg_lines *lines)
{
    if (!lines)
        return;
    g_hash_table_unref(lines->widths);
    g_string_free(lines->cell, TRUE);
    g_free(lines);
}

const char *zg_byte_sign(uint8_t byte, bool unicode)
{
    static char ascii[96][2];

    if (byte >= 0x20 && byte < 0x7F) {
        ascii[byte - 0x20][0] = (char)byte;
        return ascii[byte - 0x20];
    }
    switch (byte) {
    case 0x00: return unicode ? "\xE2\x88\x85" : "_"; /* empty set */
    case '\t': return unicode ? "\xC2\xBB" : ".";
    case '\n': return unicode ? "\xC2\xB6" : ".";
    case '\r': return unicode ? "\xC2\xAB" : ".";
    case 0xFF: return unicode ? "\xE2\x96\x88" : "#";                           /* full block */
    default: return !unicode ? "." : byte < 0x80 ? "\xC2\xB7" : "\xE2\x96\x92"; /* middle dot, shade */
    }
}

static void head(const struct zg_lines *lines, double at, bool out, GString *text)
{
    const char *sign = lines->unicode ? (out ? "\xE2\x86\x92" : "\xE2\x86\x90") : (out ? ">" : "<");
    g_string_append_printf(text, "%12.6f ", at);
    if (lines->viewed->name)
        g_string_append_printf(text, "%-*s ", (int)lines->device_width, lines->viewed->name);
    g_string_append_printf(text, "%s ", sign);
}

void zg_lines_raw(const struct zg_lines *lines, double at, bool out, const uint8_t *bytes, size_t count, GString *text)
{
    for (size_t i = 0; i < count; i += A_LINE) {
        const size_t piece = MIN(count - i, A_LINE);
        head(lines, at, out, text);
        for (size_t k = 0; k < A_LINE; k++) {
            if (k < piece)
                g_string_append_printf(text, "%02x ", bytes[i + k]);
            else
                g_string_append(text, "   ");
            if (k == 7)
                g_string_append_c(text, ' ');
        }
        g_string_append_c(text, ' ');
        for (size_t k = 0; k < piece; k++)
            g_string_append(text, zg_byte_sign(bytes[i + k], lines->unicode));
        g_string_append_c(text, '\n');
    }
}

static void append_raw(const struct zg_stretch *stretch, GString *text)
{
    static const char digits[] = "0123456789abcdef";
    const size_t shown = MIN(stretch->raw_length, RAW_SHOWN);

    g_string_append(text, "  [");
    for (size_t i = 0; i < shown; i++) {
        g_string_append_c(text, digits[stretch->raw[i] >> 4]);
        g_string_append_c(text, digits[stretch->raw[i] & 0xF]);
    }
    g_string_append(text, shown < stretch->raw_length ? "...]" : "]");
}

/* "name=value unit", as wide as the widest so far for this field; a marked value ends with "!". */
static void append_field(struct zg_lines *lines, const struct zg_stretch *stretch, unsigned index, GString *text)
{
    const struct zg_step *step = zg_block_step(&stretch->message->payload, index);
    const bool marked = zg_selection_marks(lines->viewed->selection, stretch->message, index, &stretch->values[index]);
    const bool strays = zg_step_is_number(step) && !zg_step_permits(step, stretch->values[index].raw);
    GString *cell = lines->cell;

    g_string_assign(cell, step->name);
    g_string_append_c(cell, '=');
    zg_value_to_text(step, &stretch->values[index], cell);
    if (step->field->unit)
        g_string_append_printf(cell, " %s", step->field->unit);
    zg_append_meaning(step, &stretch->values[index], cell);
    if (strays)
        g_string_append(cell, " (out of range)");
    if (marked)
        g_string_append(cell, " !");
    const unsigned width = (unsigned)g_utf8_strlen(cell->str, (gssize)cell->len);
    const unsigned widest = MAX(GPOINTER_TO_UINT(g_hash_table_lookup(lines->widths, step)), width);
    g_hash_table_insert(lines->widths, (gpointer)step, GUINT_TO_POINTER(widest));
    const bool coloured = lines->coloured && (marked || strays);
    g_string_append(text, coloured ? "\033[1;31m" : "");
    g_string_append_len(text, cell->str, (gssize)cell->len);
    g_string_append_printf(text, "%s%*s", coloured ? "\033[0m" : "", (int)(widest - width + 2), "");
}

/* Console text in quotes, with unprintable characters escaped as in C. */
static void append_console(const struct zg_lines *lines, const uint8_t *bytes, size_t count, GString *text)
{
    g_autofree char *console = zg_console_quoted(bytes, count);
    g_string_append_printf(text, "%-*s  %s", (int)lines->name_width, "console", console);
}

static void append_values(struct zg_lines *lines, const struct zg_stretch *stretch, GString *text)
{
    g_string_append_printf(text, "%-*s  ", (int)lines->name_width, stretch->message->message->name);
    if (lines->viewed->plan->source_bits > 0)
        g_string_append_printf(text, "%2u > %-2u  ", stretch->header.source, stretch->header.destination);
    for (unsigned i = 0; i < stretch->message->payload.steps->len; i++)
        if (zg_selection_shows_field(lines->viewed->selection, stretch->message, i))
            append_field(lines, stretch, i, text);
    if (stretch->ignored > 0)
        g_string_append_printf(text, "(%zu more bytes) ", stretch->ignored);
    while (text->str[text->len - 1] == ' ')
        g_string_truncate(text, text->len - 1);
}

void zg_lines_stretch(struct zg_lines *lines, enum zg_depth depth, double at, bool out,
                      const struct zg_stretch *stretch, GString *text)
{
    const uint8_t *bytes;
    size_t count;

    head(lines, at, out, text);
    if (depth == ZG_DEPTH_VALUES && zg_stretch_console(stretch, &bytes, &count)) {
        append_console(lines, bytes, count, text);
    } else if (depth == ZG_DEPTH_VALUES && stretch->kind == ZG_STRETCH_FRAME) {
        append_values(lines, stretch, text);
    } else {
        const bool bad = stretch->kind == ZG_STRETCH_SKIPPED || stretch->kind == ZG_STRETCH_UNDELIVERED;
        g_autofree char *line = zg_stretch_to_line(lines->viewed->plan, stretch);
        g_string_append_printf(text, "%s%s%s", lines->coloured && bad ? "\033[33m" : "", line,
                               lines->coloured && bad ? "\033[0m" : "");
        if (depth == ZG_DEPTH_FRAMES && stretch->kind == ZG_STRETCH_FRAME)
            append_raw(stretch, text);
    }
    g_string_append_c(text, '\n');
}
