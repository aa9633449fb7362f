/* SPDX-License-Identifier: MIT */
/* What the verbs share that work on a LINK: opening it, Ctrl-C, time limits. */
#ifndef ZEUGMA_CLI_LIVE_H
#define ZEUGMA_CLI_LIVE_H

#include "cli.h"
#include "link/wire.h"

/* Ctrl-C and SIGTERM end what is going on cleanly: cli_stopped() tells so from then on. SIGUSR1 sets what
 * cli_was_poked() returns, once each time. */
void cli_catch_signals(void);
bool cli_stopped(void);
bool cli_was_poked(void);

/* A time of an option, above 0; left alone where none was given. False: a message was printed. */
bool cli_time(const struct cli_verb *verb, const char *option, const char *text, uint64_t *ns);

/* Parses a LINK and opens it: CLI_YES; CLI_USAGE or CLI_TROUBLE with a message printed. Notices of the link go to
 * standard error unless the settings say otherwise. */
int cli_open(const struct cli_verb *verb, const char *link, struct zg_wire_settings *settings, struct zg_wire **wire);

/* Closes it: `status`, or CLI_TROUBLE with a message where its capture is not complete. */
int cli_close(const struct cli_verb *verb, struct zg_wire *wire, int status);

/* Prints an error and what to return for it. */
int cli_trouble(const struct cli_verb *verb, const GError *error);

#endif
