/* SPDX-License-Identifier: MIT */
/* Devices that a verb shows together: DEF LINK each. */
#ifndef ZEUGMA_CLI_DEVICES_H
#define ZEUGMA_CLI_DEVICES_H

#include "live.h"
#include "view/viewed.h"

enum { CLI_DEVICES_MOST = 16 };

struct cli_devices {
    const struct cli_verb *verb;
    unsigned count;
    char **names; /* NULL: there is one alone */
    struct cli_definition loaded[CLI_DEVICES_MOST];
    const char *links[CLI_DEVICES_MOST]; /* as they were given */
    struct zg_viewed viewed[CLI_DEVICES_MOST];
    struct zg_wire *wires[CLI_DEVICES_MOST]; /* NULL: not open */
};

/* Loads the definitions, and names the devices; all of each is shown. CLI_YES; or a status, with a message printed.
 * Clear it in any case. */
int cli_devices_load(struct cli_devices *devices, const struct cli_verb *verb, unsigned count, char *const *arguments);
void cli_devices_clear(struct cli_devices *devices);

/* Opens the links, which have one capture, or NULL. Notices go to `notice` with the data of the device, or, if that is
 * NULL, to standard error. CLI_YES; or a status, with a message printed. Close them in any case. */
int cli_devices_open(struct cli_devices *devices, const char *capture, void (*notice)(const char *text, void *data),
                     void *const *data);

/* Returns `status`; or CLI_TROUBLE, with a message, if the capture is incomplete. */
int cli_devices_close(struct cli_devices *devices, int status);

#endif
