/* SPDX-License-Identifier: MIT */
/* Private: what the readers of recordings share. */
#ifndef ZEUGMA_WAVE_READING_H
#define ZEUGMA_WAVE_READING_H

#include <stdio.h>

#include "wave/recording.h"

/* A file, character by character. */
struct zgi_source {
    const char *path;
    FILE *file;
    uint64_t line;
    size_t at, used;
    uint8_t bytes[65536];
};

bool zgi_source_open(struct zgi_source *source, const char *path, GError **error);
bool zgi_source_close(struct zgi_source *source, GError **error);
bool zgi_source_fill(struct zgi_source *source);

static inline int zgi_next(struct zgi_source *source)
{
    if (source->at == source->used && !zgi_source_fill(source))
        return EOF;
    const uint8_t byte = source->bytes[source->at++];
    source->line += byte == '\n';
    return byte;
}

/* Makes an error with file and line. Returns false. */
bool zgi_fail(const struct zgi_source *source, GError **error, const char *format, ...) G_GNUC_PRINTF(3, 4);

/* Makes an error that lists the signals. Returns false. */
bool zgi_unclear(const char *path, const GPtrArray *names, GError **error, const char *format, ...) G_GNUC_PRINTF(4, 5);

struct zg_recording *zgi_recording_new(void);
struct zg_recording *zgi_read_vcd(const char *path, const struct zg_recording_settings *settings, GError **error);
struct zg_recording *zgi_read_table(const char *path, const struct zg_recording_settings *settings, GError **error);

/* The latest time that is taken: 100 days. */
#define ZGI_LATEST_PS INT64_C(8640000000000000000)

#endif
