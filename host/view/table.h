/* SPDX-License-Identifier: MIT */
/* The latest values of every message that passes, with rates, extremes and traces. */
#ifndef ZEUGMA_TABLE_H
#define ZEUGMA_TABLE_H

#include "view/selection.h"

enum { ZG_TRACE = 48 }; /* samples in a value's trace */

struct zg_table_field {
    const struct zg_step *step;
    unsigned index; /* of the step in its message */
    GString *text;  /* the value, without its unit */
    bool is_number; /* it can be drawn */
    bool marked;    /* by the selection, or because it is out of range */
    double least, greatest;
    double trace[ZG_TRACE]; /* the newest is at (samples - 1) % ZG_TRACE */
    uint64_t samples;
};

struct zg_table_row {
    const struct zg_plan_message *message;
    bool out;                /* to the device */
    zg_header_number source; /* on a shared line */
    uint64_t count;
    uint64_t at_ns;      /* of the newest */
    GArray *fields;      /* struct zg_table_field: those that are shown */
    uint64_t recent[16]; /* times of the newest, (count - 1) % 16 */
};

struct zg_table {
    const struct zg_plan *plan;
    const struct zg_selection *selection;
    GPtrArray *rows; /* struct zg_table_row, in the order of the definition */
};

struct zg_table *zg_table_new(const struct zg_plan *plan, const struct zg_selection *selection);
void zg_table_free(struct zg_table *table);

/* Adds the values of a frame. */
void zg_table_note(struct zg_table *table, uint64_t at_ns, bool out, const struct zg_stretch *stretch);

/* Resets extremes and traces. */
void zg_table_begin_anew(struct zg_table *table);

/* Messages a second, recently. 0: there were fewer than two, or none for a long time. */
double zg_table_rate(const struct zg_table_row *row, uint64_t now_ns);

#endif
