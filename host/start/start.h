/* SPDX-License-Identifier: MIT */
/* A project to begin with: a definition, a device, a host and what builds them. */
#ifndef ZEUGMA_START_H
#define ZEUGMA_START_H

#include <glib.h>
#include <stdbool.h>

#define ZG_START_ERROR (g_quark_from_static_string("zg-start-error"))

enum zg_start_error {
    ZG_START_ERROR_CHOICE, /* no such board or host, or the name cannot name a protocol */
    ZG_START_ERROR_WRITE
};

/* How the device's program meets its UART, and the language of the host's program; the first row is the usual one. */
struct zg_start_choice {
    const char *name;
    const char *meaning;
};
extern const struct zg_start_choice zg_start_boards[], zg_start_hosts[];
extern const unsigned zg_start_boards_length, zg_start_hosts_length;

/* Makes the folder `path`, whose last part is the protocol's name, with all files, or nothing. It must not exist, or be
 * empty. */
bool zg_start(const char *path, const char *board, const char *host, GError **error);

#endif
