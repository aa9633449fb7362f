/* SPDX-License-Identifier: MIT */
#include "view/dots.h"

#include <math.h>

enum { STEPS = 4, BRAILLE = 0x2800, ACROSS = 2, DOWN = 4 /* dots in a cell of Braille */ };

struct drawing {
    const struct zg_plot *plot;
    struct zg_dots dots;
    unsigned across, down; /* dots in a cell */
    bool unicode;
};

char zg_dots_letter(unsigned line)
{
    return (char)('a' + line % 26);
}

/* Sets a dot; those of a cell share its line. */
static void set(struct drawing *drawing, int x, int y, unsigned line)
{
    static const uint8_t bits[ACROSS][DOWN] = { { 0x01, 0x02, 0x04, 0x40 }, { 0x08, 0x10, 0x20, 0x80 } };
    const unsigned column = (unsigned)x / drawing->across, row = (unsigned)y / drawing->down;

    if (x < 0 || y < 0 || column >= drawing->dots.columns || row >= drawing->dots.rows)
        return;
    struct zg_dot *cell = &drawing->dots.cells[row * drawing->dots.columns + column];
    const gunichar before = cell->line >= 0 && cell->sign >= BRAILLE ? cell->sign : BRAILLE;
    cell->sign =
        drawing->unicode ? before | bits[(unsigned)x % ACROSS][(unsigned)y % DOWN] : (gunichar)zg_dots_letter(line);
    cell->line = (int)line;
}

static double x_of(const struct drawing *drawing, double at_s)
{
    const struct zg_plot *plot = drawing->plot;
    return (at_s - plot->from_s) / (plot->to_s - plot->from_s) * (drawing->dots.columns * drawing->across - 1);
}

static double y_of(const struct drawing *drawing, double value)
{
    const struct zg_dots *dots = &drawing->dots;
    return (1 - (value - dots->least) / (dots->greatest - dots->least)) * (dots->rows * drawing->down - 1);
}

static void draw_column(struct drawing *drawing, int x, double from, double to, unsigned line)
{
    const int low = (int)lround(fmin(from, to)), high = (int)lround(fmax(from, to));

    for (int y = low; y <= high; y++)
        set(drawing, x, y, line);
}

/* Joins two places, column by column. */
static void join(struct drawing *drawing, double x, double y, double to_x, double to_y, unsigned line)
{
    const int first = (int)lround(x), last = (int)lround(to_x);
    double before = y;

    for (int at = first; at <= last; at++) {
        const double next = to_x > x ? y + (to_y - y) * fmin(fmax((at + 0.5 - x) / (to_x - x), 0), 1) : to_y;
        draw_column(drawing, at, before, next, line);
        before = next;
    }
}

static void draw_line(struct drawing *drawing, const GArray *points, unsigned line)
{
    double x = 0, y = 0;

    for (guint i = 0; i < points->len; i++) {
        const struct zg_plot_point *point = &g_array_index(points, struct zg_plot_point, i);
        const double to_x = x_of(drawing, (point->from_s + point->to_s) / 2),
                     to_y = y_of(drawing, (point->least + point->greatest) / 2);
        draw_column(drawing, (int)lround(to_x), y_of(drawing, point->least), y_of(drawing, point->greatest), line);
        if (i > 0 && !point->after_gap)
            join(drawing, x, y, to_x, to_y, line);
        x = to_x;
        y = to_y;
    }
}

/* What stands where no line does. */
static void put_free(struct drawing *drawing, int row, unsigned column, gunichar sign, int line)
{
    if (row < 0 || (unsigned)row >= drawing->dots.rows || column >= drawing->dots.columns)
        return;
    struct zg_dot *cell = &drawing->dots.cells[(unsigned)row * drawing->dots.columns + column];
    if (cell->line == ZG_DOT_NONE)
        *cell = (struct zg_dot){ sign, line };
}

struct zg_dots zg_dots_draw(const struct zg_plot *plot, const struct zg_plot_panel *panel, const GArray *limits,
                            unsigned columns, unsigned rows, bool unicode)
{
    struct drawing drawing = { .plot = plot,
                               .dots = { .columns = columns, .rows = rows },
                               .across = unicode ? ACROSS : 1,
                               .down = unicode ? DOWN : 1,
                               .unicode = unicode };

    drawing.dots.cells = g_new(struct zg_dot, (gsize)columns * rows + 1);
    for (unsigned i = 0; i < columns * rows; i++)
        drawing.dots.cells[i] = (struct zg_dot){ ' ', ZG_DOT_NONE };
    (void)zg_plot_axis(panel, limits, STEPS, &drawing.dots.least, &drawing.dots.greatest);
    for (guint i = 0; i < panel->lines->len; i++)
        draw_line(&drawing, g_array_index(panel->lines, struct zg_plot_line, i).points, i);
    for (guint i = 0; i < plot->damages->len; i++) {
        const double at_s = g_array_index(plot->damages, double, i);
        if (at_s >= plot->from_s && at_s <= plot->to_s)
            put_free(&drawing, 0, (unsigned)(x_of(&drawing, at_s) / drawing.across), unicode ? 0x25BE : '!',
                     ZG_DOT_DAMAGE);
    }
    for (guint i = 0; limits && i < limits->len; i++)
        for (unsigned column = 0; column < columns; column++)
            put_free(&drawing, (int)(y_of(&drawing, g_array_index(limits, double, i)) / drawing.down), column,
                     unicode ? 0x2504 : '-', ZG_DOT_LIMIT);
    return drawing.dots;
}

void zg_dots_clear(struct zg_dots *dots)
{
    g_clear_pointer(&dots->cells, g_free);
}
