/* SPDX-License-Identifier: MIT */
#include "wave/reading.h"

struct zg_recording *zg_recording_read(const char *path, const struct zg_recording_settings *settings, GError **error)
{
    struct zgi_source source;
    int first;

    if (!zgi_source_open(&source, path, error))
        return NULL;
    do
        first = zgi_next(&source);
    while (first == ' ' || first == '\t' || first == '\r' || first == '\n');
    if (!zgi_source_close(&source, error))
        return NULL;
    if (first == EOF) {
        g_set_error(error, ZG_RECORDING_ERROR, ZG_RECORDING_ERROR_FILE,
                    "%s: is empty; expected a value change dump or a table of times and levels", path);
        return NULL;
    }
    return first == '$' ? zgi_read_vcd(path, settings, error) : zgi_read_table(path, settings, error);
}
