/* SPDX-License-Identifier: MIT */
#include "posix/channel.h"

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <time.h>
#include <unistd.h>

int zg_channel_open_unix(const char *path)
{
    struct sockaddr_un address = { .sun_family = AF_UNIX };

    if (strlen(path) >= sizeof address.sun_path)
        return -ENAMETOOLONG;
    strcpy(address.sun_path, path);
    int channel = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    if (channel < 0)
        return -errno;
    if (connect(channel, (const struct sockaddr *)&address, sizeof address) == 0 &&
        fcntl(channel, F_SETFL, O_NONBLOCK) == 0)
        return channel;
    int error = -errno;
    (void)close(channel);
    return error;
}

void zg_channel_close(int channel)
{
    (void)close(channel);
}

static bool is_for_later(void)
{
    return errno == EAGAIN || errno == EWOULDBLOCK || errno == EINTR;
}

long zg_channel_read(int channel, uint8_t *bytes, size_t size)
{
    ssize_t count = recv(channel, bytes, size, 0);

    if (count > 0 || size == 0)
        return (long)count;
    if (count == 0)
        return -ECONNRESET;
    return is_for_later() ? 0 : -errno;
}

long zg_channel_write(int channel, const uint8_t *bytes, size_t size)
{
    ssize_t count = send(channel, bytes, size, MSG_NOSIGNAL);

    if (count >= 0)
        return (long)count;
    return is_for_later() ? 0 : errno == EPIPE ? -ECONNRESET : -errno;
}

void zg_channel_wait(int channel, bool to_write, uint64_t ns)
{
    struct pollfd wanted = { channel, (short)(to_write ? POLLIN | POLLOUT : POLLIN), 0 };
    const struct timespec limit = { (time_t)(ns / 1000000000), (long)(ns % 1000000000) };

    (void)ppoll(&wanted, 1, &limit, NULL);
}

uint64_t zg_channel_now_ns(void)
{
    struct timespec now;

    (void)clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000000000 + (uint64_t)now.tv_nsec;
}
