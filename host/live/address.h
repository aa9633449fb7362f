/* SPDX-License-Identifier: MIT */
/* A LINK as it is written on the command line. */
#ifndef ZEUGMA_ADDRESS_H
#define ZEUGMA_ADDRESS_H

#include <glib.h>
#include <stdbool.h>

#define ZG_ADDRESS_ERROR (g_quark_from_static_string("zg-address-error"))

enum zg_address_error {
    ZG_ADDRESS_ERROR_FORM, /* not a LINK */
    ZG_ADDRESS_ERROR_LATER /* a kind that this version cannot open */
};

enum zg_address_kind { ZG_ADDRESS_SIM, ZG_ADDRESS_UNIX };

struct zg_address {
    enum zg_address_kind kind;
    const char *path; /* of the socket, a part of the text */
};

/* Reads "sim:" or "unix:PATH" and tells what else is wrong with a LINK. */
bool zg_address_parse(const char *text, struct zg_address *address, GError **error);

#endif
