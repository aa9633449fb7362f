/* SPDX-License-Identifier: MIT */
/* What a generated module knows of text layouts. */
#ifndef ZEUGMA_GENERATE_PYTHON_FORMS_H
#define ZEUGMA_GENERATE_PYTHON_FORMS_H

#include "plan/plan.h"

/* Arguments of a _Step: how its values are written, its key, whether it may be missing. */
void zgi_python_form(GString *text, const struct zg_step *step, enum zg_layout_kind kind);

/* Members of a class of a message with a text layout. */
void zgi_python_parts(GString *text, const struct zg_plan_message *item);

#endif
