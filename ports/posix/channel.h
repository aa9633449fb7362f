/* SPDX-License-Identifier: MIT */
/*
 * A stream of bytes of the operating system: a serial port, the master side of a pseudo-terminal, a socket. Only
 * zg_channel_wait() and connecting wait. Errors are negative errno numbers. The caller owns the channel; a closed one
 * has fd -1.
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
    int listener;                              /* of a channel that others connect to; otherwise -1 */
    char path[ZG_CHANNEL_PATH];                /* of a file that it made and will remove; "" */
    uint64_t path_device, path_inode, path_ns; /* of that file */
    bool serves;                               /* UDP: the peer is whoever sent last */
    uint8_t peer[128];                         /* the peer's address */
    unsigned peer_size;                        /* bytes of it; 0: nobody has sent yet */
};

/* Connects to a listening unix socket; connects to a TCP server, within five seconds; sets the peer of a UDP socket. 0
 * or an error; -EHOSTUNREACH for a name that cannot be resolved. */
int zg_channel_connect_unix(struct zg_channel *channel, const char *path);
int zg_channel_connect_tcp(struct zg_channel *channel, const char *host, const char *port);
int zg_channel_connect_udp(struct zg_channel *channel, const char *host, const char *port);

/* The other way round: accepts one connection at a time, and another once that is closed. UDP: the peer is whoever sent
 * last. -EADDRINUSE: the address or path is in use. A socket file that nobody listens on any more is replaced. */
int zg_channel_listen_unix(struct zg_channel *channel, const char *path);
int zg_channel_listen_tcp(struct zg_channel *channel, const char *host, const char *port);
int zg_channel_listen_udp(struct zg_channel *channel, const char *host, const char *port);

/* Makes a pseudo-terminal, and a symbolic link `path` to the side that others open like a serial port. -EEXIST:
 * something else has that name. What is written while nobody has it open is lost, as on a line. */
int zg_channel_open_pty(struct zg_channel *channel, const char *path);

/* The speed that the other side of a pseudo-terminal has set, baud. 0: this is no pseudo-terminal, or no speed was set:
 * each begins with 38400, which is taken to mean that. */
unsigned long zg_channel_pty_baud(const struct zg_channel *channel);

void zg_channel_close(struct zg_channel *channel);

/* Private: notes the file made at a path, which is removed when the channel is closed, if it is still the same. */
void zg_channel_own_path(struct zg_channel *channel, const char *path);

/* Whether somebody is on the other side, as far as the system knows. Accepts a connection that waits. */
bool zg_channel_is_open(struct zg_channel *channel);

/* Reads or writes what is possible now, at most `size` bytes, and returns how many. -ECONNRESET: the other side, or the
 * device, is gone. */
long zg_channel_read(struct zg_channel *channel, uint8_t *bytes, size_t size);
long zg_channel_write(struct zg_channel *channel, const uint8_t *bytes, size_t size);

/* Waits until something can be read, or written if `to_write`, or `extra` (-1: none) can be read, or the time is over.
 */
void zg_channel_wait(const struct zg_channel *channel, bool to_write, int extra, uint64_t ns);

/* The same for several. */
#define ZG_CHANNELS_MOST 32
struct zg_channel_wanted {
    int fd;           /* -1: none */
    bool to_write;    /* not only to read */
    uint64_t most_ns; /* to wait */
};
struct zg_channel_wanted zg_channel_wanted(const struct zg_channel *channel, bool to_write, uint64_t ns);
void zg_channels_wait(const struct zg_channel_wanted *wanted, unsigned count, int extra);

/* Nanoseconds of a clock that never goes back. */
uint64_t zg_channel_now_ns(void);

#endif
