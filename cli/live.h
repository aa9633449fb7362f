/* SPDX-License-Identifier: MIT */
/* What the verbs that work on a LINK share: opening it, Ctrl-C, time limits. */
#ifndef ZEUGMA_CLI_LIVE_H
#define ZEUGMA_CLI_LIVE_H

#include "cli.h"
#include "link/wire.h"

/* Makes Ctrl-C and SIGTERM end a run cleanly: cli_stopped() returns true from then on. After each SIGUSR1,
 * cli_was_poked() returns true once. */
void cli_catch_signals(void);
bool cli_stopped(void);
bool cli_was_poked(void);

/* The time given by an option, above 0; unchanged if none was given. False: a message was printed. */
bool cli_time(const struct cli_verb *verb, const char *option, const char *text, uint64_t *ns);

/* Parses and opens a LINK: CLI_YES; or CLI_USAGE or CLI_TROUBLE, with a message printed. Notices of the link go to
 * standard error, unless the settings say otherwise. */
int cli_open(const struct cli_verb *verb, const char *link, struct zg_wire_settings *settings, struct zg_wire **wire);

/* Closes it. Returns `status`; or CLI_TROUBLE, with a message, if its capture is incomplete. */
int cli_close(const struct cli_verb *verb, struct zg_wire *wire, int status);

/* Makes --page, and what follows it where that is HOST:PORT, one argument: no LINK looks like an address in digits.
 * Free the arguments with g_strfreev(). */
char **cli_join_page(int *argc, char **argv);

/* Prints an error, and returns the status for it. */
int cli_trouble(const struct cli_verb *verb, const GError *error);

#endif
