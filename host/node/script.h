/* SPDX-License-Identifier: MIT */
/* Messages to send, from a file: one JSON object on each line, as `watch --json` writes them. */
#ifndef ZEUGMA_SCRIPT_H
#define ZEUGMA_SCRIPT_H

#include "codec/payload.h"

#define ZG_SCRIPT_ERROR (g_quark_from_static_string("zg-script-error"))

struct zg_script_item {
    uint64_t at_ns; /* after the first message; if none is given, as the one before */
    const struct zg_plan_message *message;
    struct zg_value *values;
    zg_header_number to;
};

/* An empty list of struct zg_script_item; adds an item whose values are all zero. Free with g_ptr_array_unref(). */
GPtrArray *zg_script_new(void);
struct zg_script_item *zg_script_add(GPtrArray *script, const struct zg_plan_message *message);

/* Reads {"at": SECONDS, "message": NAME, "fields": {...}, "header": {"destination": N}}, one on each line. `at` and
 * `header` are optional, other keys are ignored. Lines that are no messages, or messages that the host does not send,
 * are skipped and counted. NULL, with an error that names the line; otherwise free with g_ptr_array_unref(). */
GPtrArray *zg_script_load(const struct zg_plan *plan, const char *path, unsigned *skipped, GError **error);

#endif
