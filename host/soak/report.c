/* SPDX-License-Identifier: MIT */
#include "soak/report.h"

bool zg_soak_passed(const struct zg_soak_report *report)
{
    bool passed = report->result->adds_up && report->result->ended[0] == '\0';

    for (unsigned i = 0; i < report->requirements_count; i++) {
        struct zg_soak_rate rate;
        passed = zg_soak_judge(report->result, &report->requirements[i], &rate) == ZG_SOAK_MET && passed;
    }
    return passed;
}
