/* SPDX-License-Identifier: MIT */
/* A LINK, as written on the command line: docs/commands.md, "Links". */
#ifndef ZEUGMA_ADDRESS_H
#define ZEUGMA_ADDRESS_H

#include <glib.h>
#include <stdbool.h>

#include "definition/definition.h"
#include "posix/serial.h"

#define ZG_ADDRESS_ERROR (g_quark_from_static_string("zg-address-error"))

enum zg_address_kind {
    ZG_ADDRESS_SERIAL,
    ZG_ADDRESS_RFC2217,
    ZG_ADDRESS_PTY,
    ZG_ADDRESS_UNIX,
    ZG_ADDRESS_TCP,
    ZG_ADDRESS_UDP,
    ZG_ADDRESS_FILE,
    ZG_ADDRESS_SIM
};

/* The texts are owned; free them with zg_address_clear(). */
struct zg_address {
    enum zg_address_kind kind;
    char *text; /* as it was written, without options */
    char *path; /* of a serial port, pseudo-terminal, socket or capture; for RFC 2217, TCP and UDP the host */
    char *port; /* for those three; otherwise NULL */
    /* of a serial port, local or remote: as given, otherwise 0; `format` is given if parity is not 0 */
    unsigned long baud;
    unsigned data_bits, half_stops;
    char parity;
    bool flow;
    enum zg_level dtr, rts;
    bool own_time; /* of a capture: at its own pace */
};

/* The word before the colon: "serial". */
const char *zg_address_word(enum zg_address_kind kind);

/* Reads a LINK. False, with an error: it is none. */
bool zg_address_parse(const char *text, struct zg_address *address, GError **error);
void zg_address_clear(struct zg_address *address);

/* The settings of a serial port: the address's, and where it has none the line's. */
struct zg_serial_settings zg_address_settings(const struct zg_address *address, const struct zg_line *line);

#endif
