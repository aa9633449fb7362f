/* SPDX-License-Identifier: MIT */
/* What the kinds of LINK have in common, and what each does in its own way: private to wire*.c and to kinds' owners. */
#ifndef ZEUGMA_WIRE_KIND_H
#define ZEUGMA_WIRE_KIND_H

#include "link/wire.h"

enum { ZG_WIRE_PIECE = 65536 }; /* bytes at once: the largest datagram */

struct zg_wire_kind {
    /* What it needs beside the wire; false: trouble, and close() will be called. */
    bool (*open)(struct zg_wire *wire, GError **error);
    void (*close)(struct zg_wire *wire);
    /* As zg_wire_read(), zg_wire_write() and zg_wire_wait(); the capture is the caller's. */
    bool (*read)(struct zg_wire *wire, struct zg_passage *passage, GError **error);
    bool (*write)(struct zg_wire *wire, const uint8_t *bytes, size_t count, GError **error);
    void (*wait)(struct zg_wire *wire, int extra, uint64_t ns);
    /* What not every kind has; NULL: it is always up, its time is the clock's, it counts no errors and has no speed. */
    bool (*is_up)(struct zg_wire *wire);
    uint64_t (*event_ns)(const struct zg_wire *wire);
    bool (*errors)(const struct zg_wire *wire, struct zg_serial_errors *errors);
    bool (*set_baud)(struct zg_wire *wire, unsigned long baud);
    bool is_replay;    /* a file: it can end, and nothing can be sent */
    bool cannot_serve; /* nobody can connect to it */
};

struct zg_wire {
    const struct zg_wire_kind *kind;
    void *own; /* the kind's */
    struct zg_address address;
    struct zg_wire_settings settings;
    uint64_t opened_ns; /* of the system's clock that only goes forward */
    int64_t real_us;    /* the time of day then */
    unsigned long baud; /* that was set; 0: it has none */
    bool ended;         /* a file was read to its end */
    bool gone;          /* it may come back; what is written meanwhile is lost, as at a loose plug */
    /* of kinds over a channel: wire_channel.c */
    struct zg_channel channel;
    GByteArray *unwritten;
    uint8_t bytes[ZG_WIRE_PIECE];
    /* into a capture */
    struct zg_capture_writer *capture;
    uint64_t flushed_ns;
    struct zg_serial_errors captured;
};

extern const struct zg_wire_kind zg_wire_serial, zg_wire_pty, zg_wire_unix, zg_wire_tcp, zg_wire_udp, zg_wire_rfc2217,
    zg_wire_replay;

/* Sets an error, if none is set; false. */
bool zg_wire_trouble(GError **error, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* Tells the user, and whoever reads the capture later. */
void zg_wire_notice(const struct zg_wire *wire, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* Time since it was opened, ns. */
uint64_t zg_wire_elapsed(const struct zg_wire *wire);

/* The time of day at such a time, ns since 1970. */
uint64_t zg_wire_time_of_day(const struct zg_wire *wire, uint64_t at_ns);

/* Whether a UART of a PC has these settings at all. */
bool zg_wire_settings_fit(const struct zg_wire *wire, const struct zg_serial_settings *settings, GError **error);

/* Kinds over a channel. Why it could not be opened, a positive errno, as an error. */
bool zg_wire_explain_channel(const struct zg_wire *wire, int reason, GError **error);

/* Whether what is kept in `unwritten` is not too much; false, with an error: the other side has stalled for good. */
bool zg_wire_channel_has_room(const struct zg_wire *wire, GError **error);

/* Writes what can be written now of `unwritten`, or reads. 0, or the negative errno for which the channel is lost,
 * which zg_wire_channel_lost() makes an error. */
long zg_wire_channel_write_on(struct zg_wire *wire);
long zg_wire_channel_read(struct zg_wire *wire, struct zg_passage *passage);
bool zg_wire_channel_lost(const struct zg_wire *wire, long reason, GError **error);

void zg_wire_channel_wait(struct zg_wire *wire, int extra, uint64_t ns);
void zg_wire_channel_close(struct zg_wire *wire);
bool zg_wire_channel_is_up(struct zg_wire *wire);

#endif
