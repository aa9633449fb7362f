/* SPDX-License-Identifier: MIT */
/*
 * An open LINK: bytes in both directions with their times, over whatever carries them, and into a capture on the way.
 * A serial port that vanishes is waited for; where another side closes, the link has ended.
 */
#ifndef ZEUGMA_WIRE_H
#define ZEUGMA_WIRE_H

#include "link/address.h"
#include "link/capture.h"
#include "plan/plan.h"

#define ZG_WIRE_ERROR (g_quark_from_static_string("zg-wire-error"))

enum zg_wire_error {
    ZG_WIRE_ERROR_USE,    /* such a link cannot do that */
    ZG_WIRE_ERROR_TROUBLE /* port, file or connection */
};

struct zg_wire_kind;

struct zg_wire_settings {
    const struct zg_plan *plan;
    bool serves;                                  /* others connect to it: it is a device's side */
    const char *capture;                          /* a file for all that passes; NULL: none */
    const struct zg_wire_kind *simulated;         /* what sim: is; NULL: that is not opened here */
    void (*notice)(const char *text, void *data); /* something happened that the user wants to know; may be NULL */
    void *data;
};

/* Bytes that passed one way. */
struct zg_passage {
    uint64_t at_ns; /* since the link was opened, or since the capture's first record */
    bool out;       /* what was written here, or in a capture what went to the device */
    const uint8_t *bytes;
    size_t count; /* 0: nothing now */
};

/* Opaque. */
struct zg_wire;

struct zg_wire *zg_wire_open(const struct zg_address *address, const struct zg_wire_settings *settings, GError **error);

/* Closes it, the capture too: false where that could not be completed. */
bool zg_wire_close(struct zg_wire *wire, GError **error);

/* What passed; nothing waits. The bytes are the wire's until the next call. False: trouble. */
bool zg_wire_read(struct zg_wire *wire, struct zg_passage *passage, GError **error);

/* Bytes to be sent: kept, and written as fast as the other side takes them, now and with each zg_wire_read(). */
bool zg_wire_write(struct zg_wire *wire, const uint8_t *bytes, size_t count, GError **error);

/* Bytes that were not written yet. */
size_t zg_wire_unwritten(const struct zg_wire *wire);

/* Waits until something may be read, or `extra` (a descriptor, or -1) can be, or the time is over. */
void zg_wire_wait(struct zg_wire *wire, int extra, uint64_t ns);

/* Time since it was opened, ns; for a capture that of the last passage. */
uint64_t zg_wire_now_ns(const struct zg_wire *wire);

/* When what was read last happened, ns: now; of a capture, at whatever pace, the time of its last record. */
uint64_t zg_wire_event_ns(const struct zg_wire *wire);

/* A capture was read to its end. */
bool zg_wire_has_ended(const struct zg_wire *wire);

/* Whether it is read from a file, so that nothing can be sent. */
bool zg_wire_is_replay(const struct zg_wire *wire);

/* Whether somebody, or a port, is there now. */
bool zg_wire_is_up(struct zg_wire *wire);

/* Errors that a serial port's driver counted since the link was opened; false: none are. */
bool zg_wire_errors(const struct zg_wire *wire, struct zg_serial_errors *errors);

/* The speed of a serial port, baud; 0: it has none. Setting it: false where it cannot be. */
unsigned long zg_wire_baud(const struct zg_wire *wire);
bool zg_wire_set_baud(struct zg_wire *wire, unsigned long baud);

/* The speed that whoever opened our pseudo-terminal has set, baud; 0: it has none. */
unsigned long zg_wire_host_baud(const struct zg_wire *wire);

#endif
