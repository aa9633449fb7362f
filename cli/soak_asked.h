/* SPDX-License-Identifier: MIT */
/* What the command line of a soak asks for. */
#ifndef ZEUGMA_CLI_SOAK_ASKED_H
#define ZEUGMA_CLI_SOAK_ASKED_H

#include "cli.h"
#include "soak/soak.h"

enum { CLI_SOAK_OPEN_USUAL = G_MININT /* as many echoes as suit the line */ };

/* The command line, as written. */
struct cli_soak_options {
    char *duration, *faults, *late, *slow, *capture, *traffic, *way, *line, *until, *at_most, *store, *marks_file,
        *on_event, *page, *live, *command, *bisect, *limit, *warm_up, *gap, *every;
    char **requirements, **claims, **stop_on, **marks, **sweep, **send;
    double load, confidence;
    gint64 seed;
    gint open, to, repeat, size, stretches;
    gboolean as_json, goes_on, loopback, prove, random_values;
};

/* What the command line asks for, read. */
struct cli_soak_asked {
    struct zg_soak_settings settings;
    GArray *requirements, *claims, *until; /* of struct zg_soak_requirement */
    GArray *links;                         /* of struct zg_address */
    struct zg_fault_times *fault_times;
    struct zg_own *own; /* NULL: other traffic */
};

/* Reads and checks the command line, whose arguments are the verb, the definition and the links. False: a message was
 * printed. Clear `asked` in any case. */
bool cli_soak_read(const struct cli_verb *verb, char **argv, const struct cli_soak_options *options,
                   struct cli_soak_asked *asked);
void cli_soak_clear(struct cli_soak_asked *asked);

/* Reads what of the definition's own messages is to be sent. False: a message was printed. */
bool cli_soak_own(const struct cli_verb *verb, const struct zg_plan *plan, const struct cli_soak_options *options,
                  struct cli_soak_asked *asked);

/* Requirements, as an array of struct zg_soak_requirement; what is swept or searched, of struct zg_sweep_axis. NULL: a
 * message was printed. */
GArray *cli_soak_requirements(const struct cli_verb *verb, const char *option, char **texts, double confidence);
GArray *cli_soak_axes(const struct cli_verb *verb, const struct cli_soak_options *options, bool is_real);

#endif
