/* SPDX-License-Identifier: MIT */
/*
 * An open LINK: bytes in both directions with their times, over any kind of link, and into a capture on the way. If a
 * serial port disappears, the wire waits for it; if the other side closes, the link has ended.
 */
#ifndef ZEUGMA_WIRE_H
#define ZEUGMA_WIRE_H

#include "link/address.h"
#include "link/capture.h"
#include "plan/plan.h"

#define ZG_WIRE_ERROR (g_quark_from_static_string("zg-wire-error"))

enum zg_wire_error {
    ZG_WIRE_ERROR_USE,    /* this link cannot do that */
    ZG_WIRE_ERROR_TROUBLE /* of a port, file or connection */
};

struct zg_wire_kind;

/* One of several devices that are watched together: they have one zero of time, and one capture. */
struct zg_wire_place {
    const char *const *names; /* of all of them; NULL at the end */
    unsigned number;          /* of this one, from 0 */
    struct zg_wire *beside;   /* one that is open already; NULL: this is the first */
};

struct zg_wire_settings {
    const struct zg_plan *plan;
    struct zg_wire_place place;                   /* without names: it is alone */
    bool serves;                                  /* others connect to it: it is the device's side */
    const char *capture;                          /* a file for everything that passes; NULL: none */
    const struct zg_wire_kind *simulated;         /* what sim: opens; NULL: it is not available here */
    void (*notice)(const char *text, void *data); /* something happened that the user should know; may be NULL */
    void *data;
};

/* Bytes that passed one way. */
struct zg_passage {
    uint64_t at_ns; /* since the link, or the first of several, was opened; of captures since the earliest record */
    bool out;       /* written here; in a capture, sent to the device */
    const uint8_t *bytes;
    size_t count; /* 0: nothing passed */
};

/* Opaque. */
struct zg_wire;

struct zg_wire *zg_wire_open(const struct zg_address *address, const struct zg_wire_settings *settings, GError **error);

/* Closes the wire and its capture. False: that could not be completed. */
bool zg_wire_close(struct zg_wire *wire, GError **error);

/* Reads what passed, without waiting. The bytes belong to the wire, until the next call. False, with an error: the link
 * failed. */
bool zg_wire_read(struct zg_wire *wire, struct zg_passage *passage, GError **error);

/* Takes bytes to be sent, and writes them as fast as the other side takes them, now and with each zg_wire_read(). */
bool zg_wire_write(struct zg_wire *wire, const uint8_t *bytes, size_t count, GError **error);

/* Bytes that are not written yet. */
size_t zg_wire_unwritten(const struct zg_wire *wire);

/* Waits until something may be read, or `extra` (a descriptor, or -1) can be, or the time is over. */
void zg_wire_wait(struct zg_wire *wire, int extra, uint64_t ns);

/* The same for several. */
#define ZG_WIRES_MOST ZG_CHANNELS_MOST
void zg_wires_wait(struct zg_wire *const *wires, unsigned count, int extra, uint64_t ns);

/* Time since the link, or the first of several, was opened, ns; for a capture, the time of the last passage. */
uint64_t zg_wire_now_ns(const struct zg_wire *wire);

/* When the passage last read happened, ns: now; for a capture, at any pace, the time of its last record. */
uint64_t zg_wire_event_ns(const struct zg_wire *wire);

/* Whether a capture was read to its end. */
bool zg_wire_has_ended(const struct zg_wire *wire);

/* Whether it reads a file, so that nothing can be sent. */
bool zg_wire_is_replay(const struct zg_wire *wire);

/* Whether it reads one as fast as possible, so that its time is that of what was read. */
bool zg_wire_reads_ahead(const struct zg_wire *wire);

/* Whether somebody is connected, or the port is there, at present. */
bool zg_wire_is_up(struct zg_wire *wire);

/* Errors counted by a serial port's driver since the link was opened. False: it counts none. */
bool zg_wire_errors(const struct zg_wire *wire, struct zg_serial_errors *errors);

/* The speed of a serial port, baud; 0: the link has none. Setting it: false if that is impossible. */
unsigned long zg_wire_baud(const struct zg_wire *wire);
bool zg_wire_set_baud(struct zg_wire *wire, unsigned long baud);

/* The speed set by whoever opened our pseudo-terminal, baud; 0: none was set. */
unsigned long zg_wire_host_baud(const struct zg_wire *wire);

#endif
