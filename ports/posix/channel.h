/* SPDX-License-Identifier: MIT */
/*
 * A stream of bytes of the operating system: a serial port, the master's side of a pseudo-terminal, a socket. Nothing
 * waits but zg_channel_wait() and a connection that is being made. Errors are negative errno numbers. The caller owns
 * the channel; a closed one has fd -1.
 */
#ifndef ZEUGMA_POSIX_CHANNEL_H
#define ZEUGMA_POSIX_CHANNEL_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#define ZG_CHANNEL_PATH 4096 /* bytes */

enum zg_channel_kind { ZG_CHANNEL_SERIAL, ZG_CHANNEL_PTY, ZG_CHANNEL_UNIX, ZG_CHANNEL_TCP, ZG_CHANNEL_UDP };

struct zg_channel {
    enum zg_channel_kind kind;
    int fd; /* -1: closed, or nobody has connected yet */
    /* private */
    int listener;                              /* of one that others connect to, else -1 */
    char path[ZG_CHANNEL_PATH];                /* that it made in the file system and will remove; "" */
    uint64_t path_device, path_inode, path_ns; /* of what it made there */
    bool serves;                               /* UDP: whoever sent last, */
    uint8_t peer[128];                         /* at this address, */
    unsigned peer_size;                        /* of so many bytes; 0: nobody has yet */
};

/* Connects to a listening unix socket; to a TCP server, within five seconds; sets a UDP socket's other end. 0 or an
 * error; for a name that cannot be resolved -EHOSTUNREACH. */
int zg_channel_connect_unix(struct zg_channel *channel, const char *path);
int zg_channel_connect_tcp(struct zg_channel *channel, const char *host, const char *port);
int zg_channel_connect_udp(struct zg_channel *channel, const char *host, const char *port);

/* The other way round: one other end at a time connects, and another once it has left. UDP: whoever sent last. An
 * address or path that is in use is -EADDRINUSE; a socket file that nobody listens on any more is replaced. */
int zg_channel_listen_unix(struct zg_channel *channel, const char *path);
int zg_channel_listen_tcp(struct zg_channel *channel, const char *host, const char *port);
int zg_channel_listen_udp(struct zg_channel *channel, const char *host, const char *port);

/* Makes a pseudo-terminal, and a symbolic link `path` to the side that others open, as a serial port. -EEXIST: there is
 * something else of that name. What is written while nobody has opened it is lost, as on a line. */
int zg_channel_open_pty(struct zg_channel *channel, const char *path);

/* The speed that the other side of a pseudo-terminal has set, baud; 0: this is none, or it has set none: 38400, at
 * which each begins, is taken for that. */
unsigned long zg_channel_pty_baud(const struct zg_channel *channel);

void zg_channel_close(struct zg_channel *channel);

/* Private: notes what was made at a path, which is removed at the end if it is still the same. */
void zg_channel_own_path(struct zg_channel *channel, const char *path);

/* Whether somebody is on the other side, as far as the system knows; lets one in who waits. */
bool zg_channel_is_open(struct zg_channel *channel);

/* Bytes read or written now, at most `size`; 0: none can be. -ECONNRESET: the other side, or the device, is gone. */
long zg_channel_read(struct zg_channel *channel, uint8_t *bytes, size_t size);
long zg_channel_write(struct zg_channel *channel, const uint8_t *bytes, size_t size);

/* Waits until something can be read, or written where that is wanted, or `extra` (-1: none) can be read, or the time is
 * over. */
void zg_channel_wait(const struct zg_channel *channel, bool to_write, int extra, uint64_t ns);

/* Nanoseconds of a clock that only goes forward. */
uint64_t zg_channel_now_ns(void);

#endif
