/* SPDX-License-Identifier: MIT */
/* Serial ports: opened as channels with the line's settings; their error counters; the list of those present. */
#ifndef ZEUGMA_POSIX_SERIAL_H
#define ZEUGMA_POSIX_SERIAL_H

#include "posix/channel.h"

/* The level of a modem line on opening, or as the system leaves it. */
enum zg_level { ZG_LEVEL_LEFT, ZG_LEVEL_OFF, ZG_LEVEL_ON };

struct zg_serial_settings {
    unsigned long baud;  /* any that the port can produce within 3 % */
    unsigned data_bits;  /* 5 to 8 */
    char parity;         /* N E O M S */
    unsigned half_stops; /* stop bits, doubled */
    bool flow;           /* RTS/CTS */
    enum zg_level dtr, rts;
};

/* Whether a speed is within 3 % of the wanted one. */
bool zg_serial_is_near(unsigned long made, unsigned long wanted);

/* At which step opening a port failed. */
enum zg_serial_fault {
    ZG_SERIAL_OPEN,    /* errno says why: missing, forbidden, no serial port */
    ZG_SERIAL_HELD,    /* another program has it open */
    ZG_SERIAL_BAUD,    /* it produces another speed: see `made` */
    ZG_SERIAL_SETTINGS /* it does not support such settings */
};

/* Opens a port exclusively for this program. Returns 0 or a negative errno, with the failed step in `fault`; `made` is
 * the speed that the port then produces. */
int zg_serial_open(struct zg_channel *channel, const char *path, const struct zg_serial_settings *settings,
                   enum zg_serial_fault *fault, unsigned long *made);

/* Sets the speed of an open port. */
int zg_serial_set_baud(struct zg_channel *channel, unsigned long baud);

/* Errors that the system counted since it started. False: it does not count them for this port. */
struct zg_serial_errors {
    uint32_t framing, parity, overrun, breaks, dropped;
};
bool zg_serial_errors(const struct zg_channel *channel, struct zg_serial_errors *errors);

/* The program that has a port open, as far as this user may see: its process id, or 0. `name` is the program's. */
long zg_serial_holder(const char *path, char *name, size_t size);

/* A serial port of the system. Unknown texts are "". */
struct zg_serial_port {
    char path[ZG_CHANNEL_PATH]; /* "/dev/ttyUSB0" */
    char driver[64];
    char maker[128], product[128], serial[128]; /* of the USB device */
    char ids[16];                               /* of the USB device: "1d50:60c7" */
    char stable[ZG_CHANNEL_PATH];               /* the name in /dev/serial/by-id, which stays with the device */
    bool may_open;                              /* according to its permissions */
    char group[64];                             /* that the port belongs to */
};

/* Calls `each` for each serial port that hardware exists for, in the order of their names. `root` is "" except in
 * tests. Returns how many, or a negative error. */
int zg_serial_list(const char *root, void (*each)(const struct zg_serial_port *port, void *data), void *data);

/* Reads what the system knows of one port. */
void zg_serial_describe(const char *root, const char *name, struct zg_serial_port *port);

#endif
