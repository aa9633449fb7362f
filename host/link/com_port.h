/* SPDX-License-Identifier: MIT */
/*
 * A serial port reached by Telnet: the client's side of RFC 2217 (COM port control) over RFC 854 (Telnet) and RFC 856
 * (binary transmission). Bytes in and out only; the connection and its times are the caller's.
 */
#ifndef ZEUGMA_COM_PORT_H
#define ZEUGMA_COM_PORT_H

#include <glib.h>

#include "posix/serial.h"

/* What the server agreed to. */
enum zg_agreement { ZG_AGREEMENT_OPEN, ZG_AGREEMENT_YES, ZG_AGREEMENT_NO };

/* Modem lines into the PC, as bits of `modem` (RFC 2217, NOTIFY-MODEMSTATE). */
enum { ZG_MODEM_CTS = 0x10, ZG_MODEM_DSR = 0x20, ZG_MODEM_RI = 0x40, ZG_MODEM_CD = 0x80 };

struct zg_com_port {
    enum zg_agreement control;               /* of the port; a server that refuses it does not support RFC 2217 */
    enum zg_agreement binary_in, binary_out; /* all byte values pass */
    /* the settings that the server reported, once their bits are set in `answered` */
    unsigned answered;
    unsigned long baud;
    unsigned data_bits, half_stops;
    char parity;
    bool flow;
    bool is_held;                   /* the server takes no data at present */
    uint8_t modem;                  /* lines that are on */
    unsigned modem_reports;         /* how often the server reported them */
    struct zg_serial_errors errors; /* that the server reported */
    GByteArray *replies;            /* to be sent before any data; the caller takes them */
    /* private */
    unsigned state;
    uint8_t verb;
    uint8_t command[32];
    unsigned command_size;
};

/* Bits of `answered`. */
enum { ZG_COM_BAUD = 1, ZG_COM_DATA_BITS = 2, ZG_COM_PARITY = 4, ZG_COM_STOPS = 8, ZG_COM_FLOW = 16, ZG_COM_ALL = 31 };

/* Begins with what must be agreed on, in `replies`. Free the port's memory with zg_com_port_clear(). */
void zg_com_port_begin(struct zg_com_port *port);
void zg_com_port_clear(struct zg_com_port *port);

/* Puts into `replies` the request for settings, and for reports of modem lines and line errors. */
void zg_com_port_set(struct zg_com_port *port, const struct zg_serial_settings *settings);
void zg_com_port_set_baud(struct zg_com_port *port, unsigned long baud);

/* Bytes came from the server, in pieces of any size: appends the port's data to `data`. */
void zg_com_port_take(struct zg_com_port *port, const uint8_t *bytes, size_t count, GByteArray *data);

/* Appends data for the port to what is to be sent. */
void zg_com_port_give(const uint8_t *bytes, size_t count, GByteArray *sent);

#endif
