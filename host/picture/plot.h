/* SPDX-License-Identifier: MIT */
/* Values over time, to be drawn: panels one above the other, on one axis of time. */
#ifndef ZEUGMA_PICTURE_PLOT_H
#define ZEUGMA_PICTURE_PLOT_H

#include "picture/picture.h"

/* A point, or what lies between two times and two values where there are more points than can be drawn. */
struct zg_plot_point {
    double from_s, to_s, least, greatest;
    bool after_gap; /* no line leads to it */
};

struct zg_plot_line {
    const char *name, *unit; /* "state.tension", "N"; NULL: none */
    GArray *points;          /* of struct zg_plot_point, by time */
};

/* Lines on one axis of values. */
struct zg_plot_panel {
    GArray *lines; /* of struct zg_plot_line */
};

struct zg_plot {
    const char *title, *note; /* below the title; NULL: none */
    GArray *panels;           /* of struct zg_plot_panel */
    GArray *damages;          /* when bytes were skipped: of double, s */
    double from_s, to_s;
    double width, height; /* points */
    bool dark;
};

/* Whole numbers times 1, 2 or 5 and a power of ten, so that there are up to `most` from least to greatest. */
double zg_plot_step(double least, double greatest, unsigned most);

/* The axis of a panel's lines, and of `limits`, of double (NULL: none): whole steps, up to about `most` of them.
 * Returns the step. */
double zg_plot_axis(const struct zg_plot_panel *panel, const GArray *limits, unsigned most, double *least,
                    double *greatest);

/* False, with an error: it cannot be written, or would be too large. */
bool zg_picture_plot(const struct zg_plot *plot, enum zg_picture_kind kind, const char *path, GError **error);

#endif
