/* SPDX-License-Identifier: MIT */
#include "view/recent.h"

#include <string.h>

enum { KEPT_LINES = 200, KEPT_TEXT = 50, TEXT_BYTES = 400, NEWEST = 256 };

void zg_recent_init(struct zg_recent *recent)
{
    *recent = (struct zg_recent){ .newest = g_byte_array_new() };
}

void zg_recent_clear(struct zg_recent *recent)
{
    zg_recent_forget_lines(recent);
    g_queue_clear_full(&recent->console, g_free);
    g_byte_array_unref(recent->newest);
}

void zg_recent_forget_lines(struct zg_recent *recent)
{
    g_queue_clear_full(&recent->lines, g_free);
}

static void keep(GQueue *queue, char *line, guint most)
{
    g_queue_push_tail(queue, line);
    while (queue->length > most)
        g_free(g_queue_pop_head(queue));
}

void zg_recent_lines(struct zg_recent *recent, const char *text)
{
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);

    for (char **line = lines; *line; line++)
        if (**line != '\0')
            keep(&recent->lines, g_strdup(*line), KEPT_LINES);
}

void zg_recent_console(struct zg_recent *recent, const uint8_t *bytes, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        if (recent->console.length == 0)
            g_queue_push_tail(&recent->console, g_strdup(""));
        if (bytes[i] == '\r')
            continue;
        if (bytes[i] == '\n') {
            keep(&recent->console, g_strdup(""), KEPT_TEXT);
            continue;
        }
        char *last = g_queue_pop_tail(&recent->console);
        const char byte[2] = { (char)bytes[i], '\0' };
        g_queue_push_tail(&recent->console, strlen(last) < TEXT_BYTES ? g_strconcat(last, byte, NULL) : g_strdup(last));
        g_free(last);
    }
}

void zg_recent_bytes(struct zg_recent *recent, const uint8_t *bytes, size_t count)
{
    g_byte_array_append(recent->newest, bytes, (guint)count);
    if (recent->newest->len > NEWEST)
        g_byte_array_remove_range(recent->newest, 0, recent->newest->len - NEWEST);
}

void zg_recent_rate(struct zg_recent *recent, uint64_t now_ns, uint64_t bytes, uint64_t frames)
{
    const double passed = (double)(now_ns - recent->rated_ns) / 1e9;

    if (passed < 1)
        return;
    recent->bytes_per_s = (double)(bytes - recent->rated_bytes) / passed;
    recent->frames_per_s = (double)(frames - recent->rated_frames) / passed;
    recent->rated_bytes = bytes;
    recent->rated_frames = frames;
    recent->rated_ns = now_ns;
}
