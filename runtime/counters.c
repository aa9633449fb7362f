/* SPDX-License-Identifier: MIT */
#include "zeugma/counters.h"

#include <stddef.h>
#include <string.h>

const char *const zg_counter_names[ZG_COUNTERS] = {
    "bytes_in",      "bytes_out",     "bytes_of_frames", "bytes_failed", "bytes_noise",  "bytes_console", "bytes_idle",
    "bytes_dropped", "frames_in",     "frames_out",      "failed_check", "malformed",    "too_long",      "timed_out",
    "not_for_us",    "other_version", "unknown_id",      "bad_payload",  "extra_bytes",  "lost",          "repeated",
    "late",          "restarts",      "line_framing",    "line_parity",  "line_overrun", "line_break",    "resent",
    "given_up",      "refused",       "unanswered",
};

uint32_t zg_counters_get(const struct zg_counters *counters, unsigned index)
{
    uint32_t value;
    memcpy(&value, (const unsigned char *)counters + index * sizeof value, sizeof value);
    return value;
}

void zg_counters_clear(struct zg_counters *counters, unsigned index)
{
    const uint32_t value = 0;
    memcpy((unsigned char *)counters + index * sizeof value, &value, sizeof value);
}
