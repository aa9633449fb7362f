/* SPDX-License-Identifier: MIT */
/* In place of the others, without cairo. */
#include "picture/plot.h"

static bool say(const char *path, GError **error)
{
    g_set_error(error, ZG_PICTURE_ERROR, 0,
                "%s: this program was built without pictures; install cairo's development files and build it again",
                path);
    return false;
}

bool zg_picture_plot(const struct zg_plot *plot, enum zg_picture_kind kind, const char *path, GError **error)
{
    (void)plot;
    (void)kind;
    return say(path, error);
}

bool zg_picture_wave(const struct zg_wave *wave, enum zg_picture_kind kind, const char *path, GError **error)
{
    (void)wave;
    (void)kind;
    return say(path, error);
}
