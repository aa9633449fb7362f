/* SPDX-License-Identifier: MIT */
#include "posix/channel.h"

#include <errno.h>
#include <netinet/in.h>
#include <poll.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

enum { DATAGRAM_MOST = 1400 }; /* bytes, which every network carries without splitting */

static uint64_t time_of(const struct stat *what)
{
    return (uint64_t)what->st_mtim.tv_sec * 1000000000 + (uint64_t)what->st_mtim.tv_nsec;
}

/* Whether the file at the path is still the one that this channel made. */
static bool is_own_path(const struct zg_channel *channel)
{
    struct stat what;

    return lstat(channel->path, &what) == 0 && what.st_dev == (dev_t)channel->path_device &&
           what.st_ino == (ino_t)channel->path_inode && time_of(&what) == channel->path_ns && !S_ISREG(what.st_mode) &&
           !S_ISDIR(what.st_mode); /* an inode number may be used again */
}

void zg_channel_own_path(struct zg_channel *channel, const char *path)
{
    struct stat what;

    strcpy(channel->path, path);
    if (lstat(path, &what) == 0) {
        channel->path_device = (uint64_t)what.st_dev;
        channel->path_inode = (uint64_t)what.st_ino;
        channel->path_ns = time_of(&what);
    }
}

void zg_channel_close(struct zg_channel *channel)
{
    if (channel->fd >= 0)
        (void)close(channel->fd);
    if (channel->listener >= 0)
        (void)close(channel->listener);
    if (channel->path[0] != '\0' && is_own_path(channel))
        (void)unlink(channel->path);
    channel->fd = channel->listener = -1;
    channel->path[0] = '\0';
}

static bool is_stream_socket(const struct zg_channel *channel)
{
    return channel->kind == ZG_CHANNEL_UNIX || channel->kind == ZG_CHANNEL_TCP;
}

/* Whether nobody has the other side of a pseudo-terminal open. */
static bool is_hung_up(const struct zg_channel *channel)
{
    struct pollfd wanted = { channel->fd, 0, 0 };
    return channel->kind == ZG_CHANNEL_PTY && poll(&wanted, 1, 0) > 0 && (wanted.revents & POLLHUP) != 0;
}

/* Accepts another connection, or sets the present peer of a UDP socket. */
static void let_in(struct zg_channel *channel)
{
    if (channel->listener >= 0 && channel->fd < 0)
        channel->fd = accept4(channel->listener, NULL, NULL, SOCK_CLOEXEC | SOCK_NONBLOCK);
}

bool zg_channel_is_open(struct zg_channel *channel)
{
    let_in(channel);
    return channel->fd >= 0 && !is_hung_up(channel) && !(channel->serves && channel->peer_size == 0);
}

/* Judges an error: 0, try again later; otherwise the other side is gone. */
static long judge(struct zg_channel *channel, int error)
{
    if (error == EAGAIN || error == EWOULDBLOCK || error == EINTR || error == ENOBUFS)
        return 0;
    if (channel->kind == ZG_CHANNEL_UDP && error == ECONNREFUSED)
        return 0; /* nobody listens there yet */
    if (channel->kind == ZG_CHANNEL_PTY && error == EIO)
        return 0;
    if (channel->listener >= 0) { /* another may connect */
        (void)close(channel->fd);
        channel->fd = -1;
        return 0;
    }
    return error == EPIPE || error == EIO || error == ENXIO || error == ENODEV ? -ECONNRESET : -error;
}

static bool has_no_port(const struct sockaddr_storage *from)
{
    if (from->ss_family == AF_INET)
        return ((const struct sockaddr_in *)(const void *)from)->sin_port == 0;
    return from->ss_family == AF_INET6 && ((const struct sockaddr_in6 *)(const void *)from)->sin6_port == 0;
}

/* Receives from whoever sends; the sender becomes the peer. */
static ssize_t receive_udp(struct zg_channel *channel, uint8_t *bytes, size_t size)
{
    struct sockaddr_storage from;
    socklen_t length = sizeof from;
    ssize_t count = recvfrom(channel->fd, bytes, size, 0, (struct sockaddr *)&from, &length);

    if (count >= 0 && has_no_port(&from))
        return 0; /* nothing can be sent back to it */
    if (count >= 0 && channel->serves && length <= sizeof channel->peer) {
        memcpy(channel->peer, &from, length);
        channel->peer_size = length;
    }
    return count;
}

static ssize_t send_udp(const struct zg_channel *channel, const uint8_t *bytes, size_t size)
{
    struct sockaddr_storage to;

    size = size < DATAGRAM_MOST ? size : DATAGRAM_MOST;
    if (!channel->serves)
        return send(channel->fd, bytes, size, 0);
    if (channel->peer_size == 0)
        return (ssize_t)size; /* nobody hears it */
    memcpy(&to, channel->peer, channel->peer_size);
    return sendto(channel->fd, bytes, size, 0, (const struct sockaddr *)&to, channel->peer_size);
}

long zg_channel_read(struct zg_channel *channel, uint8_t *bytes, size_t size)
{
    let_in(channel);
    if (channel->fd < 0 || size == 0)
        return 0;
    ssize_t count =
        channel->kind == ZG_CHANNEL_UDP ? receive_udp(channel, bytes, size) : read(channel->fd, bytes, size);
    if (count > 0 || (count == 0 && channel->kind == ZG_CHANNEL_UDP))
        return (long)count;
    return judge(channel, count == 0 ? ECONNRESET : errno);
}

long zg_channel_write(struct zg_channel *channel, const uint8_t *bytes, size_t size)
{
    let_in(channel);
    if (size == 0)
        return 0;
    if (channel->fd < 0 || is_hung_up(channel))
        return channel->listener >= 0 || channel->kind == ZG_CHANNEL_PTY ? (long)size : 0; /* lost, as on a line */
    ssize_t count = channel->kind == ZG_CHANNEL_UDP ? send_udp(channel, bytes, size)
                    : is_stream_socket(channel)     ? send(channel->fd, bytes, size, MSG_NOSIGNAL)
                                                    : write(channel->fd, bytes, size);
    return count >= 0 ? (long)count : judge(channel, errno);
}

struct zg_channel_wanted zg_channel_wanted(const struct zg_channel *channel, bool to_write, uint64_t ns)
{
    const bool hung = is_hung_up(channel); /* poll() would return at once */

    return (struct zg_channel_wanted){ hung               ? -1
                                       : channel->fd >= 0 ? channel->fd
                                                          : channel->listener,
                                       to_write, hung && ns > 5000000 ? 5000000 : ns };
}

void zg_channels_wait(const struct zg_channel_wanted *wanted, unsigned count, int extra)
{
    struct pollfd polled[ZG_CHANNELS_MOST + 1] = { { extra, POLLIN, 0 } };
    uint64_t most = UINT64_MAX;
    nfds_t size = 1;

    for (unsigned i = 0; i < count; i++) {
        if (size <= ZG_CHANNELS_MOST)
            polled[size++] =
                (struct pollfd){ wanted[i].fd, (short)(wanted[i].to_write ? POLLIN | POLLOUT : POLLIN), 0 };
        most = wanted[i].most_ns < most ? wanted[i].most_ns : most;
    }
    const struct timespec limit = { (time_t)(most / 1000000000), (long)(most % 1000000000) };
    (void)ppoll(polled, size, &limit, NULL);
}

void zg_channel_wait(const struct zg_channel *channel, bool to_write, int extra, uint64_t ns)
{
    const struct zg_channel_wanted wanted = zg_channel_wanted(channel, to_write, ns);

    zg_channels_wait(&wanted, 1, extra);
}

uint64_t zg_channel_now_ns(void)
{
    struct timespec now;

    (void)clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000000000 + (uint64_t)now.tv_nsec;
}
