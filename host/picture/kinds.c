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
