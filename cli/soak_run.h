/* SPDX-License-Identifier: MIT */
/* Runs a soak whose command line is understood: shows it, stores it, marks it, prints its report. */
#ifndef ZEUGMA_CLI_SOAK_RUN_H
#define ZEUGMA_CLI_SOAK_RUN_H

#include "cli.h"
#include "soak/soak.h"

struct cli_soak_run {
    const struct cli_verb *verb;
    const struct zg_plan *plan;
    struct zg_soak_settings settings;
    const GArray *requirements; /* of struct zg_soak_requirement; and as they were written, NULL-terminated or NULL */
    char **rules;
    bool as_json;
    const char *definition; /* the file */
    const char *store;      /* NULL: nothing is stored */
    bool goes_on;           /* with the newest run of the store */
    const char *page;       /* where the report is written as a page; NULL: nowhere */
    const char *live;       /* where it is served as a page while it runs, "" where that is free; NULL: nowhere */
    const char *command;    /* that began this */
    uint32_t stretches;     /* of so many the store keeps the bytes; 0: as usual */
    char *const *marks;     /* texts of the keys 1, 2, ...; NULL-terminated or NULL */
    const char *marks_file; /* a named pipe, or a table; NULL: none */
    const char *on_event;   /* a command of the shell; NULL: none */
};

/* Returns the exit status. */
int cli_soak_run(struct cli_soak_run *run);

#endif
