/* SPDX-License-Identifier: MIT */
/*
 * A stream of bytes of the operating system that stands for a serial line: here a unix socket. Nothing waits but
 * zg_channel_wait(). Errors are negative errno numbers. The caller owns what zg_channel_open_unix() returns.
 */
#ifndef ZEUGMA_POSIX_CHANNEL_H
#define ZEUGMA_POSIX_CHANNEL_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* Connects to a listening socket. Returns a descriptor, or an error. */
int zg_channel_open_unix(const char *path);
void zg_channel_close(int channel);

/* Bytes read or written now, at most `size`; 0: none can be. -ECONNRESET: the other side has closed. */
long zg_channel_read(int channel, uint8_t *bytes, size_t size);
long zg_channel_write(int channel, const uint8_t *bytes, size_t size);

/* Waits until something can be read, or written where that is wanted, or the time is over. */
void zg_channel_wait(int channel, bool to_write, uint64_t ns);

/* Nanoseconds of a clock that only goes forward. */
uint64_t zg_channel_now_ns(void);

#endif
