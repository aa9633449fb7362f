/* SPDX-License-Identifier: MIT */
#include "live/address.h"

#include <string.h>

bool zg_address_parse(const char *text, struct zg_address *address, GError **error)
{
    static const char *const later[] = { "serial", "pty", "tcp", "udp", "file", NULL };
    const char *colon = strchr(text, ':');
    g_autofree char *word = g_strndup(text, colon ? (gsize)(colon - text) : 0);

    *address = (struct zg_address){ ZG_ADDRESS_SIM, NULL };
    if (strcmp(text, "sim:") == 0)
        return true;
    if (strcmp(word, "unix") == 0 && colon[1] != '\0') {
        *address = (struct zg_address){ ZG_ADDRESS_UNIX, colon + 1 };
        return true;
    }
    if (g_strv_contains(later, word))
        g_set_error(error, ZG_ADDRESS_ERROR, ZG_ADDRESS_ERROR_LATER,
                    "links of the kind %s: are not supported by this version yet; expected sim: or unix:PATH", word);
    else
        g_set_error(error, ZG_ADDRESS_ERROR, ZG_ADDRESS_ERROR_FORM,
                    "\"%s\" is no link; expected sim:, the built-in simulated line and device, or unix:PATH, a socket",
                    text);
    return false;
}
