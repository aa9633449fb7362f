/* SPDX-License-Identifier: MIT */
#include "picture/plot.h"

#include <math.h>

#include "picture/surface.h"

/* Points. */
enum { LEFT = 76, RIGHT = 24, TOP = 62, BOTTOM = 46, BETWEEN = 14, LEGEND = 20, SMALL = 11 };

/* Colours that those with any sight of colours tell apart (M. Okabe, K. Ito, "Color universal design", 2008), and
 * dashes for the others. */
static const unsigned colours_on_light[] = { 0x0072B2, 0xD55E00, 0x009E73, 0xCC79A7, 0x8A5A00, 0x2B7FB3 },
                      colours_on_dark[] = { 0x56B4E9, 0xE69F00, 0x35C99B, 0xCC79A7, 0xF0E442, 0xF28E5C };
static const double dashes[][4] = { { 0 }, { 7, 3, 0, 0 }, { 2, 2, 0, 0 }, { 8, 3, 2, 3 } };

struct panel {
    const struct zg_plot *plot;
    cairo_t *cairo;
    double top, height;           /* of what is drawn into */
    double least, greatest, step; /* of the axis */
    unsigned ink, faint, grid;
};

static double x_of(const struct panel *panel, double at_s)
{
    const struct zg_plot *plot = panel->plot;
    const double share = (at_s - plot->from_s) / (plot->to_s - plot->from_s);
    return LEFT + share * (plot->width - LEFT - RIGHT);
}

static double y_of(const struct panel *panel, double value)
{
    return panel->top + panel->height * (1 - (value - panel->least) / (panel->greatest - panel->least));
}

static void line(cairo_t *cairo, double x, double y, double to_x, double to_y)
{
    cairo_move_to(cairo, x, y);
    cairo_line_to(cairo, to_x, to_y);
    cairo_stroke(cairo);
}

static void draw_values(const struct panel *panel)
{
    const double step = panel->step, right = panel->plot->width - RIGHT;
    cairo_t *cairo = panel->cairo;

    for (double value = panel->least; value <= panel->greatest + step / 2; value += step) {
        const double y = floor(y_of(panel, value)) + 0.5;
        g_autofree char *text = g_strdup_printf("%.6g", fabs(value) < step / 1e6 ? 0 : value);
        zgi_colour(cairo, panel->grid);
        cairo_set_line_width(cairo, 1);
        line(cairo, LEFT, y, right, y);
        zgi_colour(cairo, panel->ink);
        zgi_text(cairo, 8, y + 4, SMALL, ZGI_LEFT, LEFT - 14, text);
    }
}

/* "12 s", "3:05", "14:02:30" */
static char *clock_text(double at_s, double step_s)
{
    if (step_s < 60 && at_s < 60)
        return g_strdup_printf("%g s", at_s);
    const double whole = floor(at_s / 60), seconds = at_s - 60 * whole;
    if (at_s < 3600)
        return g_strdup_printf("%.0f:%02.0f", whole, seconds);
    return g_strdup_printf("%.0f:%02.0f:%02.0f", floor(whole / 60), fmod(whole, 60), seconds);
}

static double time_step(double span_s, unsigned most)
{
    static const double steps[] = { 60, 120, 300, 600, 900, 1800, 3600, 7200, 10800, 21600, 43200 };
    const double rough = span_s / most;

    for (size_t i = 0; rough > 20 && i < G_N_ELEMENTS(steps); i++)
        if (steps[i] >= rough)
            return steps[i];
    return zg_plot_step(0, span_s, most);
}

/* Lines for times; with their words below the last panel. */
static void draw_times(const struct panel *panel, bool is_last)
{
    const struct zg_plot *plot = panel->plot;
    const double step = time_step(plot->to_s - plot->from_s, (unsigned)fmax(plot->width / 110, 2));
    cairo_t *cairo = panel->cairo;

    for (double at = ceil(plot->from_s / step) * step; at <= plot->to_s + step * 1e-6; at += step) {
        const double x = floor(x_of(panel, at)) + 0.5;
        g_autofree char *text = clock_text(at, step);
        zgi_colour(cairo, panel->grid);
        cairo_set_line_width(cairo, 1);
        line(cairo, x, panel->top, x, panel->top + panel->height);
        zgi_colour(cairo, panel->ink);
        if (is_last)
            zgi_text(cairo, x, panel->top + panel->height + 17, SMALL, ZGI_MIDDLE, 0, text);
    }
    zgi_colour(cairo, panel->faint);
    if (is_last)
        zgi_text(cairo, (LEFT + plot->width - RIGHT) / 2, panel->top + panel->height + 34, SMALL, ZGI_MIDDLE, 0,
                 "time since the beginning");
}

static unsigned colour_of(const struct panel *panel, guint index)
{
    const unsigned *colours = panel->plot->dark ? colours_on_dark : colours_on_light;
    return colours[index % G_N_ELEMENTS(colours_on_light)];
}

static void set_style(const struct panel *panel, guint index)
{
    const double *dash = dashes[index % G_N_ELEMENTS(dashes)];

    zgi_colour(panel->cairo, colour_of(panel, index));
    cairo_set_dash(panel->cairo, dash, dash[0] > 0 ? dash[2] > 0 ? 4 : 2 : 0, 0);
    cairo_set_line_width(panel->cairo, 1.5);
    cairo_set_line_join(panel->cairo, CAIRO_LINE_JOIN_ROUND);
}

/* What lies between two times and two values is filled. */
static void fill_spans(const struct panel *panel, const GArray *points, guint index)
{
    cairo_t *cairo = panel->cairo;

    zgi_colour(cairo, colour_of(panel, index));
    for (guint i = 0; i < points->len; i++) {
        const struct zg_plot_point *point = &g_array_index(points, struct zg_plot_point, i);
        const double x = x_of(panel, point->from_s), high = y_of(panel, point->greatest);
        if (point->to_s > point->from_s)
            cairo_rectangle(cairo, x, high - 0.75, fmax(x_of(panel, point->to_s) - x, 1),
                            y_of(panel, point->least) - high + 1.5);
        if (i % 1000 == 999)
            cairo_fill(cairo);
    }
    cairo_fill(cairo);
}

/* Points are joined, and spans with them. */
static void draw_line(const struct panel *panel, const struct zg_plot_line *of, guint index)
{
    cairo_t *cairo = panel->cairo;

    fill_spans(panel, of->points, index);
    set_style(panel, index);
    for (guint i = 0; i < of->points->len; i++) {
        const struct zg_plot_point *point = &g_array_index(of->points, struct zg_plot_point, i);
        const double x = x_of(panel, (point->from_s + point->to_s) / 2),
                     y = y_of(panel, (point->least + point->greatest) / 2);
        const bool begins = i == 0 || point->after_gap;
        const bool ends = i + 1 == of->points->len || g_array_index(of->points, struct zg_plot_point, i + 1).after_gap;
        if (begins)
            cairo_move_to(cairo, x, y);
        else
            cairo_line_to(cairo, x, y);
        if (begins && ends && point->to_s == point->from_s) { /* a point by itself */
            cairo_new_sub_path(cairo);
            cairo_arc(cairo, x, y, 1.2, 0, 2 * G_PI);
        }
        if (i % 2000 == 1999) { /* long paths take longer than several */
            cairo_stroke(cairo);
            cairo_move_to(cairo, x, y);
        }
    }
    cairo_stroke(cairo);
    cairo_set_dash(cairo, NULL, 0, 0);
}

static void draw_legend(const struct panel *panel, const struct zg_plot_panel *of)
{
    double x = LEFT;

    for (guint i = 0; i < of->lines->len; i++) {
        const struct zg_plot_line *each = &g_array_index(of->lines, struct zg_plot_line, i);
        g_autofree char *text = each->unit ? g_strdup_printf("%s, %s", each->name, each->unit) : g_strdup(each->name);
        set_style(panel, i);
        line(panel->cairo, x, panel->top - 9, x + 26, panel->top - 9);
        cairo_set_dash(panel->cairo, NULL, 0, 0);
        zgi_colour(panel->cairo, panel->ink);
        zgi_text(panel->cairo, x + 32, panel->top - 5, 12, ZGI_LEFT, 0, text);
        x += 32 + 7.5 * (double)g_utf8_strlen(text, -1) + 24;
    }
}

/* Where bytes were skipped: a tick at the top of each panel. */
static void draw_damages(const struct panel *panel)
{
    zgi_colour(panel->cairo, ZGI_BAD);
    cairo_set_line_width(panel->cairo, 1.2);
    for (guint i = 0; i < panel->plot->damages->len; i++) {
        const double at_s = g_array_index(panel->plot->damages, double, i);
        if (at_s >= panel->plot->from_s && at_s <= panel->plot->to_s)
            line(panel->cairo, x_of(panel, at_s), panel->top, x_of(panel, at_s), panel->top + 7);
    }
}

static void draw_panel(struct panel *panel, const struct zg_plot_panel *of, bool is_last)
{
    cairo_t *cairo = panel->cairo;

    panel->step = zg_plot_axis(of, NULL, (unsigned)fmax(panel->height / 36, 2), &panel->least, &panel->greatest);
    draw_values(panel);
    draw_times(panel, is_last);
    cairo_save(cairo);
    cairo_rectangle(cairo, LEFT, panel->top - 2, panel->plot->width - LEFT - RIGHT, panel->height + 4);
    cairo_clip(cairo);
    for (guint i = 0; i < of->lines->len; i++)
        draw_line(panel, &g_array_index(of->lines, struct zg_plot_line, i), i);
    draw_damages(panel);
    cairo_restore(cairo);
    draw_legend(panel, of);
}

bool zg_picture_plot(const struct zg_plot *plot, enum zg_picture_kind kind, const char *path, GError **error)
{
    struct zgi_surface surface;

    if (!zgi_surface_begin(&surface, kind, path, plot->width, plot->height, error))
        return false;
    const double each = (plot->height - TOP - BOTTOM) / plot->panels->len;
    struct panel panel = { .plot = plot,
                           .cairo = surface.cairo,
                           .ink = plot->dark ? 0xE6E9ED : ZGI_INK,
                           .faint = plot->dark ? 0x9AA4AF : ZGI_FAINT,
                           .grid = plot->dark ? 0x343B44 : ZGI_GRID };
    if (plot->dark) {
        zgi_colour(surface.cairo, 0x14181D);
        cairo_paint(surface.cairo);
    }
    zgi_colour(surface.cairo, panel.ink);
    zgi_text(surface.cairo, 8, 24, 17, ZGI_LEFT, plot->width - 16, plot->title);
    zgi_colour(surface.cairo, panel.faint);
    if (plot->note)
        zgi_text(surface.cairo, 8, 42, SMALL, ZGI_LEFT, plot->width - 16, plot->note);
    for (guint i = 0; i < plot->panels->len; i++) {
        panel.top = TOP + i * each + LEGEND;
        panel.height = each - LEGEND - (i + 1 < plot->panels->len ? BETWEEN : 0);
        draw_panel(&panel, &g_array_index(plot->panels, struct zg_plot_panel, i), i + 1 == plot->panels->len);
    }
    return zgi_surface_end(&surface, error);
}
