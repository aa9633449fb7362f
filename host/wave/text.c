/* SPDX-License-Identifier: MIT */
#include "wave/text.h"

#include <math.h>
#include <string.h>

#include "analysis/places.h"

enum { BIT_COLUMNS = 4, MARGIN_COLUMNS = 4, NAME_COLUMNS = 13 };

/* A row of characters: which, and the time of each column. */
struct row {
    guint first, last;
    double from_s, column_s;
    unsigned columns;
};

/* How a level looks: along, and where it rises or falls; in the upper and the lower line. */
struct look {
    const char *along, *rise[2], *fall[2], *busy;
};
static const struct look boxes_look = { "─", { "┌", "┘" }, { "┐", "└" }, "▒" };
static const struct look ascii_look = { "_", { "_", "|" }, { " ", "|" }, "#" };

static void append_signal(GString *text, const struct zg_wave_signal *signal, const struct row *row,
                          const struct look *look)
{
    for (unsigned line = 0; line < 2; line++) {
        g_string_append_printf(text, "%-*s", NAME_COLUMNS, line == 0 ? signal->name : "");
        for (unsigned i = 0; i < row->columns; i++) {
            const double from_s = row->from_s + i * row->column_s, middle_s = from_s + row->column_s / 2;
            const bool high = zg_wave_level(signal, middle_s), before = zg_wave_level(signal, middle_s - row->column_s);
            const char *piece = high == (line == 0) ? look->along : " ";
            if (zg_wave_edges_until(signal, from_s + row->column_s) > zg_wave_edges_until(signal, from_s) + 1)
                piece = look->busy;
            else if (high != before)
                piece = (high ? look->rise : look->fall)[line];
            g_string_append(text, piece);
        }
        while (text->len > 0 && text->str[text->len - 1] == ' ')
            g_string_truncate(text, text->len - 1);
        g_string_append_c(text, '\n');
    }
}

static unsigned column_of(const struct row *row, double at_s)
{
    return (unsigned)fmax((at_s - row->from_s) / row->column_s + 1e-6, 0);
}

/* A line of blanks, with marks. */
static char *blank_line(const struct row *row)
{
    char *line = g_malloc(row->columns + 8);
    memset(line, ' ', row->columns + 7);
    line[row->columns + 7] = '\0';
    return line;
}

static void append_marks(GString *text, const char *name, char *line)
{
    g_strchomp(line);
    g_string_append_printf(text, "%-*s%s\n", NAME_COLUMNS, name, line);
}

static void append_bits(GString *text, const struct zg_wave *wave, const struct row *row)
{
    static const char *const words[] = { "st", NULL, "p", "sp", "" };
    g_autofree char *line = blank_line(row);

    for (guint i = row->first; i < row->last; i++) {
        const struct zg_wave_character *character = zg_wave_character(wave, i);
        for (unsigned k = 0; k < character->bits; k++) {
            const struct zg_wave_bit *bit = zg_wave_bit(wave, character->first_bit + k);
            char *at = line + column_of(row, bit->from_s) + 1;
            const char *word = words[bit->part];
            if (word)
                memcpy(at, word, strlen(word));
            if (!word || bit->part == ZG_WAVE_PARITY)
                at[word ? 1 : 0] = bit->one ? '1' : '0';
        }
    }
    append_marks(text, "bits", line);
}

/* Where the other end, or the clock, samples. */
static void append_samples(GString *text, const struct zg_wave *wave, const struct row *row)
{
    g_autofree char *line = blank_line(row);
    const double to_s = row->from_s + row->columns * row->column_s;
    bool any = false;

    for (guint i = 0; i < wave->samples->len; i++) {
        const struct zg_wave_sample *sample = &g_array_index(wave->samples, struct zg_wave_sample, i);
        if (!sample->middle || sample->at_s < row->from_s || sample->at_s >= to_s)
            continue;
        line[column_of(row, sample->at_s)] = sample->wrong ? 'x' : '^';
        any = true;
    }
    for (guint i = 0; wave->line->is_clocked && i < wave->bits->len; i++) {
        const double at_s = zg_wave_bit(wave, i)->from_s + wave->bit_s / 2;
        if (at_s < row->from_s || at_s >= to_s)
            continue;
        line[column_of(row, at_s)] = '^';
        any = true;
    }
    if (any)
        append_marks(text, "sampled", line);
}

static void append_reads(GString *text, const struct zg_wave *wave, const struct row *row, bool is_last)
{
    const double to_s =
        is_last ? HUGE_VAL : row->from_s + row->columns * row->column_s - MARGIN_COLUMNS * row->column_s;
    const char *before = "read as      ";

    for (guint i = 0; i < wave->reads->len; i++) {
        const struct zg_wave_read *read = &g_array_index(wave->reads, struct zg_wave_read, i);
        g_autofree char *errors = zg_wave_errors_text(read->errors);
        if ((read->at_s < row->from_s && row->first > 0) || read->at_s >= to_s)
            continue;
        g_string_append_printf(text, "%s%02x%s%s%s", before, read->byte, *errors ? " (" : "", errors,
                               *errors ? ")" : "");
        before = "  ";
    }
    if (before[0] == ' ')
        g_string_append_c(text, '\n');
}

static void append_characters(GString *text, const struct zg_wave *wave, const struct row *row)
{
    for (guint i = row->first; i < row->last; i++) {
        const struct zg_wave_character *character = zg_wave_character(wave, i);
        g_autofree char *at = zg_time_text(character->from_s - wave->frame_from_s);
        g_string_append_printf(text, "%4u  at %-10s  %02x  %s\n", i, i == 0 ? "0" : at, character->byte,
                               character->what);
    }
}

/* As many characters as fit, from one on. */
static struct row row_from(const struct zg_wave *wave, guint first, unsigned width)
{
    const double column_s = wave->bit_s / BIT_COLUMNS;
    const unsigned room = width > NAME_COLUMNS + 2 * MARGIN_COLUMNS ? width - NAME_COLUMNS - 2 * MARGIN_COLUMNS : 0;
    struct row row = { .first = first,
                       .last = first + 1,
                       .from_s = zg_wave_character(wave, first)->from_s - MARGIN_COLUMNS * column_s,
                       .column_s = column_s };

    while (row.last < wave->characters->len &&
           zg_wave_character(wave, row.last)->to_s - zg_wave_character(wave, first)->from_s <= (room + 0.5) * column_s)
        row.last++;
    const double span_s = zg_wave_character(wave, row.last - 1)->to_s - row.from_s;
    row.columns = (unsigned)(span_s / column_s + 0.5) + MARGIN_COLUMNS;
    return row;
}

char *zg_wave_text(const struct zg_wave *wave, unsigned width, bool boxes)
{
    GString *text = g_string_new(NULL);

    for (guint first = 0; first < wave->characters->len;) {
        const struct row row = row_from(wave, first, width);
        for (guint i = 0; i < wave->signals->len; i++)
            append_signal(text, zg_wave_signal(wave, i), &row, boxes ? &boxes_look : &ascii_look);
        append_bits(text, wave, &row);
        append_samples(text, wave, &row);
        append_reads(text, wave, &row, row.last == wave->characters->len);
        append_characters(text, wave, &row);
        first = row.last;
        if (first < wave->characters->len)
            g_string_append_c(text, '\n');
    }
    return g_string_free(text, FALSE);
}
