/* SPDX-License-Identifier: MIT */
/* Whether the times that a definition gives ends to wait fit its line. */
#ifndef ZEUGMA_WAITS_H
#define ZEUGMA_WAITS_H

#include "plan/plan.h"

/* What is wrong with byte_timeout, gap, keepalive, link_timeout and the messages' timeouts, as sentences: char *. Free
 * with g_ptr_array_unref(). */
GPtrArray *zg_waits_judged(const struct zg_plan *plan);

#endif
