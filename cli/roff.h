/* SPDX-License-Identifier: MIT */
/* Man pages, in roff. */
#ifndef ZEUGMA_CLI_ROFF_H
#define ZEUGMA_CLI_ROFF_H

#include <glib.h>

/* A page begins with its name, section and summary. */
void roff_begin(GString *page, const char *name, const char *section, const char *summary);

/* Appends text so that roff prints it as it is; the second as a line. */
void roff_plain(GString *page, const char *text);
void roff_line(GString *page, const char *text);

#endif
