/* SPDX-License-Identifier: MIT */
/* A panel of a plot as characters: dots of Braille, eight in a cell, or letters where there is no Unicode. */
#ifndef ZEUGMA_DOTS_H
#define ZEUGMA_DOTS_H

#include "picture/plot.h"

enum { ZG_DOT_NONE = -1, ZG_DOT_LIMIT = -2, ZG_DOT_DAMAGE = -3 };

/* A cell; and which line of the panel it belongs to, or one of the above. */
struct zg_dot {
    gunichar sign;
    int line;
};

struct zg_dots {
    unsigned columns, rows;
    struct zg_dot *cells;   /* row by row, the top one first */
    double least, greatest; /* of the lowest and the highest row */
};

/* Draws it: lines of one panel are joined but for gaps; `limits`, of double, are lines across; damages are ticks in the
 * top row. Clear with zg_dots_clear(). */
struct zg_dots zg_dots_draw(const struct zg_plot *plot, const struct zg_plot_panel *panel, const GArray *limits,
                            unsigned columns, unsigned rows, bool unicode);
void zg_dots_clear(struct zg_dots *dots);

/* The letter of a line, where there is no Unicode: "a", "b", ... */
char zg_dots_letter(unsigned line);

#endif
