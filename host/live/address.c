/* SPDX-License-Identifier: MIT */
#include "live/address.h"

#include <string.h>

bool zg_address_parse(const char *text, enum zg_address_kind *kind, GError **error)
{
    static const char *const later[] = { "serial", "pty", "unix", "tcp", "udp", "file", NULL };
    const char *colon = strchr(text, ':');
    g_autofree char *word = g_strndup(text, colon ? (gsize)(colon - text) : 0);

    if (strcmp(text, "sim:") == 0) {
        *kind = ZG_ADDRESS_SIM;
        return true;
    }
    if (g_strv_contains(later, word))
        g_set_error(error, ZG_ADDRESS_ERROR, ZG_ADDRESS_ERROR_LATER,
                    "links of the kind %s: are not supported by this version yet; expected sim:", word);
    else
        g_set_error(error, ZG_ADDRESS_ERROR, ZG_ADDRESS_ERROR_FORM,
                    "\"%s\" is no link; expected sim:, the built-in simulated line and device", text);
    return false;
}
