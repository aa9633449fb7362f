/* SPDX-License-Identifier: MIT */
/* What all kinds of LINK share, and the functions that differ. Private to wire*.c and to files that define a kind. */
#ifndef ZEUGMA_WIRE_KIND_H
#define ZEUGMA_WIRE_KIND_H

#include "link/wire.h"

enum { ZG_WIRE_PIECE = 65536 }; /* bytes at a time: the largest datagram */

struct zg_wire_kind {
    /* Opens what it needs besides the wire. False, with an error; close() is called all the same. */
    bool (*open)(struct zg_wire *wire, GError **error);
    void (*close)(struct zg_wire *wire);
    /* Like zg_wire_read() and zg_wire_write(), without the capture; and what a wait of at most `ns` is for. */
    bool (*read)(struct zg_wire *wire, struct zg_passage *passage, GError **error);
    bool (*write)(struct zg_wire *wire, const uint8_t *bytes, size_t count, GError **error);
    struct zg_channel_wanted (*wanted)(const struct zg_wire *wire, uint64_t ns);
    /* What not every kind has. NULL: it is always up, its time is the clock's, it counts no errors, it has no speed. */
    bool (*is_up)(struct zg_wire *wire);
    uint64_t (*event_ns)(const struct zg_wire *wire);
    bool (*errors)(const struct zg_wire *wire, struct zg_serial_errors *errors);
    bool (*set_baud)(struct zg_wire *wire, unsigned long baud);
    bool is_replay;    /* a file: it can end, and nothing can be sent */
    bool cannot_serve; /* nobody can connect to it */
};

/* What several links have in common. */
struct zg_wire_common {
    unsigned wires;     /* that hold it */
    uint64_t opened_ns; /* by the system's monotonic clock */
    int64_t real_us;    /* the time of day at that moment */
    uint64_t first_ns; /* of the earliest record of the captures that are read, since 1970; UINT64_MAX: there is none */
    struct zg_capture_writer *capture; /* of everything, or NULL */
};

struct zg_wire {
    const struct zg_wire_kind *kind;
    struct zg_wire_common *common;
    void *own; /* for the kind's own use */
    struct zg_address address;
    struct zg_wire_settings settings;
    unsigned long baud; /* as set; 0: it has none */
    uint8_t *turned;    /* room for bytes whose bits are turned round, as a UART cannot send them; NULL: they are not */
    bool ended;         /* a file was read to its end */
    bool gone;          /* it may come back; what is written meanwhile is lost, as with a loose plug */
    /* for kinds over a channel: wire_channel.c */
    struct zg_channel channel;
    GByteArray *unwritten;
    uint8_t bytes[ZG_WIRE_PIECE];
    /* into the capture */
    uint64_t flushed_ns;
    struct zg_serial_errors captured;
};

extern const struct zg_wire_kind zg_wire_serial, zg_wire_pty, zg_wire_unix, zg_wire_tcp, zg_wire_udp, zg_wire_rfc2217,
    zg_wire_replay;

/* Sets an error, unless one is set. Returns false. */
bool zg_wire_trouble(GError **error, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* Informs the user, and whoever reads the capture later. */
void zg_wire_notice(const struct zg_wire *wire, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* Time since the link was opened, ns. */
uint64_t zg_wire_elapsed(const struct zg_wire *wire);

/* Its number among several, from 0. */
uint8_t zg_wire_number(const struct zg_wire *wire);

/* The time of day at such a time, ns since 1970. */
uint64_t zg_wire_time_of_day(const struct zg_wire *wire, uint64_t at_ns);

/* Whether a PC's UART can have these settings at all. With the most significant bit first, bytes are turned round. */
bool zg_wire_settings_fit(struct zg_wire *wire, const struct zg_serial_settings *settings, GError **error);

/* For kinds over a channel: makes an error of why it could not be opened, a positive errno. */
bool zg_wire_explain_channel(const struct zg_wire *wire, int reason, GError **error);

/* Whether there is room for more in `unwritten`. False, with an error: the other side has stalled for good. */
bool zg_wire_channel_has_room(const struct zg_wire *wire, GError **error);

/* Writes, or reads, what is possible now. 0, or the negative errno with which the channel was lost;
 * zg_wire_channel_lost() makes an error of that. */
long zg_wire_channel_write_on(struct zg_wire *wire);
long zg_wire_channel_read(struct zg_wire *wire, struct zg_passage *passage);
bool zg_wire_channel_lost(const struct zg_wire *wire, long reason, GError **error);

struct zg_channel_wanted zg_wire_channel_wanted(const struct zg_wire *wire, uint64_t ns);
void zg_wire_channel_close(struct zg_wire *wire);
bool zg_wire_channel_is_up(struct zg_wire *wire);

#endif
