/* SPDX-License-Identifier: MIT */
/* What needs no cairo. */
#include <math.h>

#include "picture/plot.h"

bool zg_picture_kind_of(const char *path, enum zg_picture_kind *kind, GError **error)
{
    static const char *const ends[] = { ".svg", ".png", ".pdf" };

    for (unsigned i = 0; i < G_N_ELEMENTS(ends); i++)
        if (g_str_has_suffix(path, ends[i])) {
            *kind = (enum zg_picture_kind)i;
            return true;
        }
    g_set_error(error, ZG_PICTURE_ERROR, 0, "expected a file that ends in .svg, .png or .pdf, found \"%s\"", path);
    return false;
}

double zg_plot_step(double least, double greatest, unsigned most)
{
    const double rough = (greatest - least) / most, power = pow(10, floor(log10(rough)));
    const double digit = rough / power;

    return power * (digit <= 1 ? 1 : digit <= 2 ? 2 : digit <= 5 ? 5 : 10);
}

static void widen(double value, double *least, double *greatest)
{
    *least = fmin(*least, value);
    *greatest = fmax(*greatest, value);
}

double zg_plot_axis(const struct zg_plot_panel *panel, const GArray *limits, unsigned most, double *least,
                    double *greatest)
{
    *least = INFINITY;
    *greatest = -INFINITY;
    for (guint i = 0; i < panel->lines->len; i++) {
        const GArray *points = g_array_index(panel->lines, struct zg_plot_line, i).points;
        for (guint k = 0; k < points->len; k++) {
            widen(g_array_index(points, struct zg_plot_point, k).least, least, greatest);
            widen(g_array_index(points, struct zg_plot_point, k).greatest, least, greatest);
        }
    }
    for (guint i = 0; limits && i < limits->len; i++)
        widen(g_array_index(limits, double, i), least, greatest);
    if (!(*least <= *greatest)) { /* there is nothing */
        *least = 0;
        *greatest = 1;
    }
    if (*greatest - *least <= 1e-12 * fmax(fabs(*least), fabs(*greatest))) {
        const double around = fmax(fabs(*least) * 0.1, 0.5);
        *least -= around;
        *greatest += around;
    }
    const double step = zg_plot_step(*least, *greatest, most);
    *least = floor(*least / step + 1e-9) * step;
    *greatest = ceil(*greatest / step - 1e-9) * step;
    return step;
}
