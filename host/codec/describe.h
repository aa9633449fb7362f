/* SPDX-License-Identifier: MIT */
/* A stretch of a stream in words: as one JSON object, or as one line of text. */
#ifndef ZEUGMA_DESCRIBE_H
#define ZEUGMA_DESCRIBE_H

#include "codec/frame_reader.h"
#include "codec/json.h"

/* One JSON object without line end: a frame {"message","from","header","fields","raw"}, with "out_of_range" and
 * "ignored" where they apply; {"undelivered","header","raw"}, with "detail" where it is known what is wrong; or
 * {"skipped","reason","raw"} with "expected" and "found" for a check. Free with g_free(). */
char *zg_stretch_to_json(const struct zg_plan *plan, const struct zg_stretch *stretch);

/* Appends the same with the time first, "at", in seconds; below 0: it is unknown. `device`, "device": of which of
 * several it is; NULL: there is one alone. `signal`: where it was, "signal", in a recording, whose times are to the
 * nanosecond; otherwise NULL, and they are to the microsecond. */
void zg_stretch_append_json(const struct zg_plan *plan, const struct zg_stretch *stretch, double at, const char *device,
                            const char *signal, GString *text);

/* One line of text without line end: its offset, and what it is. Free with g_free(). */
char *zg_stretch_to_text(const struct zg_plan *plan, const struct zg_stretch *stretch);

/* The same without the offset. */
char *zg_stretch_to_line(const struct zg_plan *plan, const struct zg_stretch *stretch);

/* The console text of a stretch, in a frame or between frames. False: it is none. */
bool zg_stretch_console(const struct zg_stretch *stretch, const uint8_t **bytes, size_t *count);

/* Text in quotes, with characters that are not printable escaped as in C. Free with g_free(). */
char *zg_console_quoted(const uint8_t *bytes, size_t count);

/* Writes which protocol a document is about, as members of the open object: "protocol" and "version". */
void zg_protocol_to_json(const struct zg_definition *definition, struct zg_json *json);

#endif
