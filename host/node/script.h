/* SPDX-License-Identifier: MIT */
/* Messages to be sent, from a file: one JSON object a line, as `watch --json` writes them. */
#ifndef ZEUGMA_SCRIPT_H
#define ZEUGMA_SCRIPT_H

#include "codec/payload.h"

#define ZG_SCRIPT_ERROR (g_quark_from_static_string("zg-script-error"))

struct zg_script_item {
    uint64_t at_ns; /* after the first one's; as the one before where none is given */
    const struct zg_plan_message *message;
    struct zg_value *values;
    zg_header_number to;
};

/* A list of struct zg_script_item, empty; adds one with values that are all zero. Free with g_ptr_array_unref(). */
GPtrArray *zg_script_new(void);
struct zg_script_item *zg_script_add(GPtrArray *script, const struct zg_plan_message *message);

/* Reads {"at": SECONDS, "message": NAME, "fields": {...}, "header": {"destination": N}} line by line; `at` and `header`
 * may be left out, what else decoding writes is ignored, and lines of what the host does not send or that are no
 * messages are skipped and counted. NULL with an error that names the line; else free with g_ptr_array_unref(). */
GPtrArray *zg_script_load(const struct zg_plan *plan, const char *path, unsigned *skipped, GError **error);

#endif
