/* SPDX-License-Identifier: MIT */
/* Channels that are sockets. */
#include <errno.h>
#include <fcntl.h>
#include <netdb.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <unistd.h>

#include "posix/channel.h"

enum { CONNECT_MS = 5000 };

static int open_unix(const char *path, struct sockaddr_un *address)
{
    *address = (struct sockaddr_un){ .sun_family = AF_UNIX };
    if (strlen(path) >= sizeof address->sun_path)
        return -ENAMETOOLONG;
    strcpy(address->sun_path, path);
    int fd = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    return fd < 0 ? -errno : fd;
}

static int failed(int fd)
{
    int error = -errno;
    (void)close(fd);
    return error;
}

int zg_channel_connect_unix(struct zg_channel *channel, const char *path)
{
    struct sockaddr_un address;
    int fd = open_unix(path, &address);

    *channel = (struct zg_channel){ .kind = ZG_CHANNEL_UNIX, .fd = -1, .listener = -1 };
    if (fd < 0)
        return fd;
    if (connect(fd, (const struct sockaddr *)&address, sizeof address) != 0 || fcntl(fd, F_SETFL, O_NONBLOCK) != 0)
        return failed(fd);
    channel->fd = fd;
    return 0;
}

/* Whether a path is a socket that nobody listens on. */
static bool is_left_over(const char *path)
{
    struct zg_channel probe;
    struct stat what;

    if (lstat(path, &what) != 0 || !S_ISSOCK(what.st_mode))
        return false;
    int error = zg_channel_connect_unix(&probe, path);
    zg_channel_close(&probe);
    return error == -ECONNREFUSED;
}

int zg_channel_listen_unix(struct zg_channel *channel, const char *path)
{
    struct sockaddr_un address;
    int fd = open_unix(path, &address);

    *channel = (struct zg_channel){ .kind = ZG_CHANNEL_UNIX, .fd = -1, .listener = -1 };
    if (fd < 0)
        return fd;
    if (is_left_over(path))
        (void)unlink(path);
    if (bind(fd, (const struct sockaddr *)&address, sizeof address) != 0 || listen(fd, SOMAXCONN) != 0 ||
        fcntl(fd, F_SETFL, O_NONBLOCK) != 0)
        return failed(fd);
    channel->listener = fd;
    zg_channel_own_path(channel, path);
    return 0;
}

/* Connects within CONNECT_MS. */
static int connect_in_time(int fd, const struct addrinfo *at)
{
    struct pollfd wanted = { fd, POLLOUT, 0 };
    int error = 0;
    socklen_t size = sizeof error;

    if (connect(fd, at->ai_addr, at->ai_addrlen) == 0)
        return 0;
    if (errno != EINPROGRESS)
        return -errno;
    if (poll(&wanted, 1, CONNECT_MS) <= 0)
        return -ETIMEDOUT;
    return getsockopt(fd, SOL_SOCKET, SO_ERROR, &error, &size) == 0 ? -error : -errno;
}

static int bind_here(int fd, const struct addrinfo *at)
{
    const int on = 1;

    if (setsockopt(fd, SOL_SOCKET, SO_REUSEADDR, &on, sizeof on) != 0 || bind(fd, at->ai_addr, at->ai_addrlen) != 0)
        return -errno;
    return at->ai_socktype == SOCK_STREAM && listen(fd, SOMAXCONN) != 0 ? -errno : 0;
}

/* Tries each address of the name until one works. Returns a descriptor or an error. */
static int open_inet(const char *host, const char *port, int type, int (*begin)(int fd, const struct addrinfo *at))
{
    const struct addrinfo hints = { .ai_family = AF_UNSPEC, .ai_socktype = type };
    struct addrinfo *list;
    const int on = 1;
    int result = -EHOSTUNREACH;

    if (getaddrinfo(host, port, &hints, &list) != 0)
        return result;
    for (const struct addrinfo *at = list; at && result < 0; at = at->ai_next) {
        int fd = socket(at->ai_family, type | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
        result = fd < 0 ? -errno : begin(fd, at);
        if (result == 0)
            result = fd;
        else if (fd >= 0)
            (void)close(fd);
    }
    freeaddrinfo(list);
    if (result >= 0 && type == SOCK_STREAM)
        (void)setsockopt(result, IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
    return result;
}

int zg_channel_connect_tcp(struct zg_channel *channel, const char *host, const char *port)
{
    *channel = (struct zg_channel){ .kind = ZG_CHANNEL_TCP, .fd = -1, .listener = -1 };
    channel->fd = open_inet(host, port, SOCK_STREAM, connect_in_time);
    return channel->fd < 0 ? channel->fd : 0;
}

int zg_channel_connect_udp(struct zg_channel *channel, const char *host, const char *port)
{
    *channel = (struct zg_channel){ .kind = ZG_CHANNEL_UDP, .fd = -1, .listener = -1 };
    channel->fd = open_inet(host, port, SOCK_DGRAM, connect_in_time);
    if (channel->fd < 0)
        return channel->fd;
    (void)send(channel->fd, "", 0, 0); /* lets the other end know our address, if it is there */
    return 0;
}

int zg_channel_listen_tcp(struct zg_channel *channel, const char *host, const char *port)
{
    *channel = (struct zg_channel){ .kind = ZG_CHANNEL_TCP, .fd = -1, .listener = -1 };
    channel->listener = open_inet(host, port, SOCK_STREAM, bind_here);
    return channel->listener < 0 ? channel->listener : 0;
}

int zg_channel_listen_udp(struct zg_channel *channel, const char *host, const char *port)
{
    *channel = (struct zg_channel){ .kind = ZG_CHANNEL_UDP, .fd = -1, .listener = -1, .serves = true };
    channel->fd = open_inet(host, port, SOCK_DGRAM, bind_here);
    return channel->fd < 0 ? channel->fd : 0;
}
