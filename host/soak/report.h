/* SPDX-License-Identifier: MIT */
/* A soak's result, written out. */
#ifndef ZEUGMA_REPORT_H
#define ZEUGMA_REPORT_H

#include "soak/soak.h"

/* What a report is about. */
struct zg_soak_report {
    const struct zg_plan *plan;
    const struct zg_soak_settings *settings;
    const struct zg_soak_result *result;
    const struct zg_journal *journal; /* closed; NULL: there is none */
    const struct zg_soak_requirement *requirements;
    unsigned requirements_count;
};

/* Whether the ledger adds up and all requirements are met. */
bool zg_soak_passed(const struct zg_soak_report *report);

/* The report as text, for a terminal of 100 columns, and as one JSON document (docs/soak.md describes its keys). Free
 * with g_free(). */
char *zg_soak_report_text(const struct zg_soak_report *report);
char *zg_soak_report_json(const struct zg_soak_report *report);

/* The settings that a run has in common with one that goes on with it, as a JSON object. Free with g_free(). */
char *zg_soak_settings_json(const struct zg_plan *plan, const struct zg_soak_settings *settings);

/* What shows that a requirement is met: how many frames with none, one or two, and how long that takes. Free with
 * g_free(). */
char *zg_soak_claim_text(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                         const struct zg_soak_requirement *requirement);

#endif
