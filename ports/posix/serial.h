/* SPDX-License-Identifier: MIT */
/* Serial ports: opened as channels with the line's settings; their error counters; a list of those that there are. */
#ifndef ZEUGMA_POSIX_SERIAL_H
#define ZEUGMA_POSIX_SERIAL_H

#include "posix/channel.h"

/* What a modem line is set to on opening, or left as the system does. */
enum zg_level { ZG_LEVEL_LEFT, ZG_LEVEL_OFF, ZG_LEVEL_ON };

struct zg_serial_settings {
    unsigned long baud;  /* any that the port can make, to 3 % */
    unsigned data_bits;  /* 5 to 8 */
    char parity;         /* N E O M S */
    unsigned half_stops; /* stop bits, times two */
    bool flow;           /* RTS/CTS */
    enum zg_level dtr, rts;
};

/* Whether a speed is the wanted one to 3 %. */
bool zg_serial_is_near(unsigned long made, unsigned long wanted);

/* The parts of a port that a UART's settings may fail at. */
enum zg_serial_fault {
    ZG_SERIAL_OPEN,    /* the error is errno's: missing, forbidden, no serial port */
    ZG_SERIAL_HELD,    /* another program has it */
    ZG_SERIAL_BAUD,    /* it makes another speed: see `made` */
    ZG_SERIAL_SETTINGS /* it does not do such settings at all */
};

/* Opens a port for this program alone. Returns 0 or a negative errno, with what failed in `fault`; `made` is the speed
 * that the port makes then. */
int zg_serial_open(struct zg_channel *channel, const char *path, const struct zg_serial_settings *settings,
                   enum zg_serial_fault *fault, unsigned long *made);

/* Sets the speed of an open port. */
int zg_serial_set_baud(struct zg_channel *channel, unsigned long baud);

/* Errors that the system counted since it started; false: it does not count them for this port. */
struct zg_serial_errors {
    uint32_t framing, parity, overrun, breaks, dropped;
};
bool zg_serial_errors(const struct zg_channel *channel, struct zg_serial_errors *errors);

/* A program that has a port open, as far as this user may see; its process id, or 0. `name` is the program's. */
long zg_serial_holder(const char *path, char *name, size_t size);

/* A port of the system. Texts are "" where nothing is known. */
struct zg_serial_port {
    char path[ZG_CHANNEL_PATH]; /* "/dev/ttyUSB0" */
    char driver[64];
    char maker[128], product[128], serial[128]; /* of the USB device */
    char ids[16];                               /* of it: "1d50:60c7" */
    char stable[ZG_CHANNEL_PATH];               /* the name under dev/serial/by-id, which stays with the device */
    bool may_open;                              /* by its permissions */
    char group[64];                             /* that it belongs to */
};

/* Calls `tell` for each serial port, in the order of their names; those that no hardware is behind are left out.
 * `root` is "" but in tests. Returns their number, or a negative error. */
int zg_serial_list(const char *root, void (*tell)(const struct zg_serial_port *port, void *data), void *data);

/* Reads what there is to know about one of them. */
void zg_serial_describe(const char *root, const char *name, struct zg_serial_port *port);

#endif
