/* SPDX-License-Identifier: MIT */
#include <math.h>

#include "analysis/places.h"
#include "picture/surface.h"

/* Points. */
enum { WIDTH = 1280, SIDE = 104, RIGHT = 30, TOP = 64, BIT = 27, LEVEL = 34, SIGNAL = 52, NOTES = 112, READ = 22 };

/* A row of characters. */
struct row {
    guint first, last;
    double from_s, to_s, y;
};

struct drawing {
    const struct zg_wave *wave;
    cairo_t *cairo;
    double per_s; /* points a second */
    double row_height;
};

static double x_of(const struct drawing *drawing, const struct row *row, double at_s)
{
    return SIDE + (at_s - row->from_s) * drawing->per_s;
}

/* As many characters as fit, at least one, from one on. */
static struct row row_from(const struct drawing *drawing, guint first)
{
    const struct zg_wave *wave = drawing->wave;
    const double room_s = (WIDTH - SIDE - RIGHT) / drawing->per_s - 2 * wave->bit_s;
    const struct zg_wave_character *character = zg_wave_character(wave, first);
    struct row row = { .first = first, .last = first + 1, .from_s = character->from_s - wave->bit_s };

    while (row.last < wave->characters->len && zg_wave_character(wave, row.last)->to_s - character->from_s <= room_s)
        row.last++;
    row.to_s = zg_wave_character(wave, row.last - 1)->to_s + wave->bit_s;
    return row;
}

static void draw_signal(const struct drawing *drawing, const struct row *row, const struct zg_wave_signal *signal,
                        double y)
{
    cairo_t *cairo = drawing->cairo;
    bool high = zg_wave_level(signal, row->from_s);

    zgi_colour(cairo, ZGI_INK);
    zgi_text(cairo, 14, y + LEVEL / 2.0 + 4, 12, ZGI_LEFT, SIDE - 20, signal->name);
    zgi_colour(cairo, ZGI_SIGNAL);
    cairo_set_line_width(cairo, 1.6);
    cairo_move_to(cairo, x_of(drawing, row, row->from_s), y + (high ? 0 : LEVEL));
    for (guint i = 0; i < signal->edges->len; i++) {
        const double at_s = g_array_index(signal->edges, double, i);
        if (at_s <= row->from_s || at_s >= row->to_s)
            continue;
        const double x = x_of(drawing, row, at_s);
        cairo_line_to(cairo, x, y + (high ? 0 : LEVEL));
        high = !high;
        cairo_line_to(cairo, x, y + (high ? 0 : LEVEL));
    }
    cairo_line_to(cairo, x_of(drawing, row, row->to_s), y + (high ? 0 : LEVEL));
    cairo_stroke(cairo);
}

/* Lines between bits, and their values. */
static void draw_bits(const struct drawing *drawing, const struct row *row, const struct zg_wave_character *character)
{
    static const char *const words[] = { "start", "", "parity", "stop", "idle" };
    const double bottom = row->y + drawing->wave->signals->len * SIGNAL;
    cairo_t *cairo = drawing->cairo;

    for (unsigned i = 0; i < character->bits; i++) {
        const struct zg_wave_bit *bit = zg_wave_bit(drawing->wave, character->first_bit + i);
        const double x = x_of(drawing, row, bit->from_s), middle = x_of(drawing, row, (bit->from_s + bit->to_s) / 2);
        zgi_colour(cairo, i == 0 ? ZGI_FAINT : ZGI_GRID);
        cairo_set_line_width(cairo, i == 0 ? 1 : 0.7);
        cairo_move_to(cairo, x, row->y - 8);
        cairo_line_to(cairo, x, bottom);
        cairo_stroke(cairo);
        zgi_colour(cairo, bit->part == ZG_WAVE_DATA ? ZGI_INK : ZGI_FAINT);
        if (bit->part == ZG_WAVE_DATA || bit->part == ZG_WAVE_PARITY)
            zgi_text(cairo, middle, bottom + 2, 12, ZGI_MIDDLE, 0, bit->one ? "1" : "0");
        zgi_text(cairo, middle, bottom + (bit->part == ZG_WAVE_PARITY ? 14 : 2), 9, ZGI_MIDDLE, 0, words[bit->part]);
    }
}

static void draw_notes(const struct drawing *drawing, const struct row *row, const struct zg_wave_character *character)
{
    const struct zg_wave *wave = drawing->wave;
    const double x = x_of(drawing, row, character->from_s), width = x_of(drawing, row, character->to_s) - x - 8;
    const double y = row->y + wave->signals->len * SIGNAL + (wave->has_other ? READ : 0);
    g_autofree char *hex = g_strdup_printf("%02x", character->byte);
    g_autofree char *at = zg_time_text(character->from_s - wave->frame_from_s);

    zgi_colour(drawing->cairo, ZGI_INK);
    zgi_text(drawing->cairo, x + 3, y + 34, 17, ZGI_LEFT, 0, hex);
    zgi_paragraph(drawing->cairo, x + 3, y + 53, 11, width, 3, character->what);
    zgi_colour(drawing->cairo, ZGI_FAINT);
    zgi_text(drawing->cairo, x + 36, y + 34, 10, ZGI_LEFT, width - 36,
             character->from_s <= wave->frame_from_s ? "0" : at);
}

/* Dots on the level of what the receiver sees. */
static void draw_samples(const struct drawing *drawing, const struct row *row)
{
    const struct zg_wave *wave = drawing->wave;
    const double y = row->y + (wave->signals->len - 1) * SIGNAL;

    for (guint i = 0; i < wave->samples->len; i++) {
        const struct zg_wave_sample *sample = &g_array_index(wave->samples, struct zg_wave_sample, i);
        if (sample->at_s < row->from_s || sample->at_s >= row->to_s)
            continue;
        zgi_colour(drawing->cairo, sample->wrong ? ZGI_BAD : ZGI_GOOD);
        cairo_arc(drawing->cairo, x_of(drawing, row, sample->at_s), y + (sample->high ? 0 : LEVEL),
                  sample->middle ? 2.8 : 1.8, 0, 2 * G_PI);
        cairo_fill(drawing->cairo);
    }
    for (guint i = 0; i < wave->reads->len; i++) {
        const struct zg_wave_read *read = &g_array_index(wave->reads, struct zg_wave_read, i);
        g_autofree char *errors = zg_wave_errors_text(read->errors);
        g_autofree char *text = g_strdup_printf("read as %02x%s%s", read->byte, *errors ? ", " : "", errors);
        if (read->at_s < row->from_s + wave->bit_s || read->at_s >= row->to_s) /* which the row before shows */
            continue;
        zgi_colour(drawing->cairo, read->errors ? ZGI_BAD : ZGI_INK);
        zgi_text(drawing->cairo, x_of(drawing, row, read->at_s) - 6 * BIT, y + SIGNAL + 20, 11, ZGI_LEFT, 0, text);
    }
}

static void draw_edges(const struct drawing *drawing, const struct row *row)
{
    for (guint i = 0; drawing->wave->line->is_clocked && i < drawing->wave->bits->len; i++) {
        const struct zg_wave_bit *bit = zg_wave_bit(drawing->wave, i);
        const double at_s = bit->from_s + drawing->wave->bit_s / 2;
        if (at_s < row->from_s || at_s >= row->to_s)
            continue;
        zgi_colour(drawing->cairo, ZGI_GOOD);
        cairo_arc(drawing->cairo, x_of(drawing, row, at_s), row->y + SIGNAL + (bit->high ? 0 : LEVEL), 2.8, 0,
                  2 * G_PI);
        cairo_fill(drawing->cairo);
    }
}

static void draw_row(const struct drawing *drawing, const struct row *row)
{
    const struct zg_wave *wave = drawing->wave;

    for (guint i = row->first; i < row->last; i += 2) { /* every other character is shaded */
        const struct zg_wave_character *character = zg_wave_character(wave, i);
        const double x = x_of(drawing, row, character->from_s);
        zgi_colour(drawing->cairo, ZGI_SHADE);
        cairo_rectangle(drawing->cairo, x, row->y - 8, x_of(drawing, row, character->to_s) - x,
                        drawing->row_height - 22);
        cairo_fill(drawing->cairo);
    }
    for (guint i = row->first; i < row->last; i++) {
        draw_bits(drawing, row, zg_wave_character(wave, i));
        draw_notes(drawing, row, zg_wave_character(wave, i));
    }
    for (guint i = 0; i < wave->signals->len; i++)
        draw_signal(drawing, row, zg_wave_signal(wave, i), row->y + i * SIGNAL);
    draw_samples(drawing, row);
    draw_edges(drawing, row);
}

static void draw_title(const struct drawing *drawing)
{
    const struct zg_wave *wave = drawing->wave;
    g_autofree char *format = zg_line_text(wave->line);
    g_autofree char *took = zg_time_text(wave->frame_to_s - wave->frame_from_s);
    g_autofree char *other = wave->has_other
                                 ? g_strdup_printf("; sampled by an end whose clock is %+.6g ppm off", wave->other_ppm)
                                 : g_strdup("");
    g_autofree char *below = g_strdup_printf("%s at %" G_GUINT64_FORMAT " baud; %u characters, %s%s", format,
                                             wave->line->baud, wave->characters->len, took, other);

    zgi_colour(drawing->cairo, ZGI_INK);
    zgi_text(drawing->cairo, 14, 26, 17, ZGI_LEFT, WIDTH - 28, wave->name ? wave->name : "bytes");
    zgi_colour(drawing->cairo, ZGI_FAINT);
    zgi_text(drawing->cairo, 14, 44, 12, ZGI_LEFT, WIDTH - 28, below);
}

bool zg_picture_wave(const struct zg_wave *wave, enum zg_picture_kind kind, const char *path, GError **error)
{
    struct drawing drawing = { .wave = wave, .per_s = BIT / wave->bit_s };
    struct zgi_surface surface;
    unsigned rows = 0;

    for (guint first = 0; first < wave->characters->len; rows++)
        first = row_from(&drawing, first).last;
    drawing.row_height = wave->signals->len * SIGNAL + NOTES + (wave->has_other ? READ : 0);
    if (!zgi_surface_begin(&surface, kind, path, WIDTH, TOP + rows * drawing.row_height, error))
        return false;
    drawing.cairo = surface.cairo;
    cairo_select_font_face(surface.cairo, "sans-serif", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
    draw_title(&drawing);
    double y = TOP + 10;
    for (guint first = 0; first < wave->characters->len; y += drawing.row_height) {
        struct row row = row_from(&drawing, first);
        row.y = y;
        draw_row(&drawing, &row);
        first = row.last;
    }
    return zgi_surface_end(&surface, error);
}
