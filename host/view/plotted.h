/* SPDX-License-Identifier: MIT */
/* Fields of messages as series: what `watch` and `plot` draw. */
#ifndef ZEUGMA_PLOTTED_H
#define ZEUGMA_PLOTTED_H

#include "picture/plot.h"
#include "view/series.h"
#include "view/viewed.h"

/* Opaque; free with zg_plotted_free(). */
struct zg_plotted;

/* Of one device or several; `viewed` must outlive it. */
struct zg_plotted *zg_plotted_new(const struct zg_viewed *viewed, unsigned count);
void zg_plotted_free(struct zg_plotted *plotted);

/* Adds a panel: fields as a selection knows them, MESSAGE.FIELD or FIELD, of one device alone behind "NAME:", with
 * commas between those that share an axis. False, with an error: there is no such field, or it is no number. */
bool zg_plotted_add(struct zg_plotted *plotted, const char *fields, GError **error);

/* Adds a panel for each single number that the selections show. */
void zg_plotted_add_all(struct zg_plotted *plotted);

/* Takes what passes of a device, by its number. On a shared line each source is a series of its own. A gap is a silence
 * of over five times the usual one. */
void zg_plotted_take(struct zg_plotted *plotted, unsigned device, uint64_t at_ns, const struct zg_stretch *stretch);

/* When the first and the newest value came; false: there is none. */
bool zg_plotted_times(const struct zg_plotted *plotted, double *from_s, double *to_s);

/* The values of a line by its name, MESSAGE.FIELD, on a shared line behind "SOURCE: ", of several devices behind
 * "NAME: " or "NAME SOURCE: "; NULL: there is none yet. */
const struct zg_series *zg_plotted_series(const struct zg_plotted *plotted, const char *name);

/* How many panels there are. */
guint zg_plotted_panels(const struct zg_plotted *plotted);

/* How many values there are; how many stretches of bytes were skipped, the newest thousands of which are drawn. */
uint64_t zg_plotted_count(const struct zg_plotted *plotted);
uint64_t zg_plotted_skipped(const struct zg_plotted *plotted);

/* What the selections' marks compare the lines of a panel with, of double. Free with g_array_unref(). */
GArray *zg_plotted_limits(const struct zg_plotted *plotted, guint panel);

/* The panels of a picture, about `most` points each line; and when bytes were skipped. `plot` has its times. Clear with
 * zg_plotted_release(). */
void zg_plotted_draw(const struct zg_plotted *plotted, guint most, struct zg_plot *plot);
void zg_plotted_release(struct zg_plot *plot);

#endif
