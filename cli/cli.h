/* SPDX-License-Identifier: MIT */
/* What all verbs share: options, exit status, messages, definitions. */
#ifndef ZEUGMA_CLI_H
#define ZEUGMA_CLI_H

#include <glib.h>
#include <stdbool.h>

#include "codec/json.h"
#include "plan/plan.h"

enum cli_status {
    CLI_YES = 0,    /* done; the answer is yes */
    CLI_NO = 1,     /* the answer is no: invalid definition or value, failed requirement */
    CLI_USAGE = 2,  /* the command line is wrong */
    CLI_TROUBLE = 3 /* trouble with a file, port or link */
};

#define CLI_STATUSES "0 yes; 1 the answer is no; 2 wrong usage; 3 file, port or link trouble"

struct cli_verb {
    const char *name;
    const char *arguments; /* "DEF [MESSAGE]" */
    const char *summary;
    const char *example; /* a line that works as printed, in the project's folder */
    int (*run)(const struct cli_verb *verb, int argc, char **argv);
};

/* Parses a verb's options and counts its arguments. Afterwards `*argc` and `*argv` hold only the verb and its
 * arguments. False: a message was printed, return CLI_USAGE. */
bool cli_parse(const struct cli_verb *verb, GOptionEntry *entries, int *argc, char ***argv, int least, int most);

/* Gives the table of a verb's options to a function, instead of running the verb: what man pages and completion show is
 * what --help shows. */
typedef void cli_options_function(const struct cli_verb *verb, const GOptionEntry *entries, void *data);
void cli_show_options(const struct cli_verb *verb, cli_options_function *show, void *data);

/* Prints "zeugma VERB: MESSAGE" to standard error. */
void cli_error(const struct cli_verb *verb, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* A definition and its plan. */
struct cli_definition {
    struct zg_definition *definition;
    struct zg_plan *plan;
    struct zg_diagnostics *diagnostics;
};

/* Loads a definition and lays it out. Prints all diagnostics to standard error, unless `quiet`. Returns CLI_YES, CLI_NO
 * (it has errors) or CLI_TROUBLE (it cannot be read). Clear `loaded` in any case. */
int cli_load(const struct cli_verb *verb, const char *file, bool quiet, struct cli_definition *loaded);
void cli_definition_clear(struct cli_definition *loaded);

/* A message by name, or NULL with the error printed. */
const struct zg_plan_message *cli_message(const struct cli_verb *verb, const struct zg_plan *plan, const char *name);

/* Prints to standard output. cli_finish() notices if that is closed or full. */
void cli_print(const char *format, ...) G_GNUC_PRINTF(1, 2);

/* Ends a JSON text that cli_print() then prints, as a line. */
void cli_print_json(struct zg_json *json);

/* Flushes standard output. Returns `status`; or CLI_TROUBLE, with a message, if not everything could be written. */
int cli_finish(const struct cli_verb *verb, int status);

extern const struct cli_verb cli_plot, cli_start, cli_check, cli_layout, cli_generate, cli_encode, cli_decode,
    cli_compare, cli_crc, cli_timing, cli_wave, cli_ports, cli_watch, cli_send, cli_vars, cli_sim, cli_soak, cli_report;

/* All verbs, in the order of --help. */
extern const struct cli_verb *const cli_verbs[];
extern const unsigned cli_verbs_length;

/* Prints what may stand in the place of the last of `words`, which follow the program's name: one on each line. */
int cli_print_candidates(int count, char **words);

/* Writes a man page for each verb, and one for all, into a folder. */
int cli_write_manual(const char *folder);

/* The page of the language. */
void cli_man_language(GString *page);

#endif
