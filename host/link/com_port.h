/* SPDX-License-Identifier: MIT */
/*
 * A serial port behind Telnet: the client's side of RFC 2217 (COM port control) over RFC 854 (Telnet) and RFC 856
 * (binary transmission). Only bytes in and out; the connection and its time are the caller's.
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
    enum zg_agreement control;               /* of the port: without it the server is none of RFC 2217 */
    enum zg_agreement binary_in, binary_out; /* all values of bytes pass */
    /* what the server says that the port is set to, once `answered` has their bits */
    unsigned answered;
    unsigned long baud;
    unsigned data_bits, half_stops;
    char parity;
    bool flow;
    bool is_held;                   /* the server takes no data for now */
    uint8_t modem;                  /* lines that are on */
    unsigned modem_told;            /* how often the server told them */
    struct zg_serial_errors errors; /* that it told */
    GByteArray *replies;            /* to be sent, before any data; taken by the caller */
    /* private */
    unsigned state;
    uint8_t verb;
    uint8_t command[32];
    unsigned command_size;
};

/* Bits of `answered`. */
enum { ZG_COM_BAUD = 1, ZG_COM_DATA_BITS = 2, ZG_COM_PARITY = 4, ZG_COM_STOPS = 8, ZG_COM_FLOW = 16, ZG_COM_ALL = 31 };

/* Begins with what is to be agreed on, in `replies`; free the port's memory with zg_com_port_clear(). */
void zg_com_port_begin(struct zg_com_port *port);
void zg_com_port_clear(struct zg_com_port *port);

/* Asks for settings, and for news of modem lines and line errors: into `replies`. */
void zg_com_port_set(struct zg_com_port *port, const struct zg_serial_settings *settings);
void zg_com_port_set_baud(struct zg_com_port *port, unsigned long baud);

/* Bytes that came from the server, in pieces of any size: appends the port's data to `data`. */
void zg_com_port_take(struct zg_com_port *port, const uint8_t *bytes, size_t count, GByteArray *data);

/* Appends data for the port to what is to be sent. */
void zg_com_port_give(const uint8_t *bytes, size_t count, GByteArray *sent);

#endif
