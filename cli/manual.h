/* SPDX-License-Identifier: MIT */
/* What the man pages are made of. */
#ifndef ZEUGMA_CLI_MANUAL_H
#define ZEUGMA_CLI_MANUAL_H

#include <glib.h>

/* A page begins with its name, section and summary. */
void cli_man_begin(GString *page, const char *name, const char *section, const char *summary);

/* Appends text so that roff prints it as it is; as a line. */
void cli_man_plain(GString *page, const char *text);
void cli_man_line(GString *page, const char *text);

/* The page of the language. */
void cli_man_language(GString *page);

#endif
