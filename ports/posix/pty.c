/* SPDX-License-Identifier: MIT */
/* Channels that are the master side of a pseudo-terminal. */
#include <asm/termbits.h>
#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <unistd.h>

#include "posix/channel.h"

/* Distinguishes our terminals from others in the file system: a mode bit that has no meaning for a device. */
enum { MODE = S_IRUSR | S_IWUSR | S_IWGRP | S_ISVTX };

/* Whether a link is older than the terminal that it leads to: then that terminal only has the number of an earlier one.
 */
static bool is_before(const struct stat *link, const struct stat *terminal)
{
    return link->st_mtim.tv_sec < terminal->st_ctim.tv_sec ||
           (link->st_mtim.tv_sec == terminal->st_ctim.tv_sec && link->st_mtim.tv_nsec < terminal->st_ctim.tv_nsec);
}

/* Removes a symbolic link that a killed process left. It leads nowhere, or to a terminal of another program that was
 * given the same number. Call it before a terminal of ours can be given that number. */
static void remove_left_over(const char *path)
{
    char target[64];
    struct stat what, own;
    ssize_t length = readlink(path, target, sizeof target - 1);

    if (length <= 0)
        return;
    target[length] = '\0';
    if (strncmp(target, "/dev/pts/", 9) != 0)
        return;
    if (stat(path, &what) == 0 && ((what.st_mode & S_ISVTX) != 0 || lstat(path, &own) != 0 || !is_before(&own, &what)))
        return; /* it is in use */
    (void)unlink(path);
}

/* Sets the terminal to pass all bytes unchanged. Opening and closing it also makes known that nobody has it open. */
static int make_raw(const char *name)
{
    struct termios2 settings;
    int fd = open(name, O_RDWR | O_NOCTTY | O_CLOEXEC);

    if (fd < 0)
        return -errno;
    int result = ioctl(fd, TCGETS2, &settings);
    settings.c_iflag = settings.c_oflag = settings.c_lflag = 0;
    settings.c_cflag = (settings.c_cflag & ~(unsigned)(CSIZE | PARENB)) | CS8 | CREAD | CLOCAL;
    settings.c_cc[VMIN] = 1;
    settings.c_cc[VTIME] = 0;
    if (result == 0)
        result = ioctl(fd, TCSETS2, &settings);
    int error = result == 0 ? 0 : -errno;
    (void)close(fd);
    return error;
}

int zg_channel_open_pty(struct zg_channel *channel, const char *path)
{
    char name[64];

    *channel = (struct zg_channel){ .kind = ZG_CHANNEL_PTY, .fd = -1, .listener = -1 };
    if (strlen(path) >= sizeof channel->path)
        return -ENAMETOOLONG;
    remove_left_over(path);
    channel->fd = posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
    if (channel->fd < 0)
        return -errno;
    int error =
        grantpt(channel->fd) == 0 && unlockpt(channel->fd) == 0 && ptsname_r(channel->fd, name, 64) == 0 ? 0 : -errno;
    error = error ? error : make_raw(name);
    if (!error)
        (void)chmod(name, MODE);
    if (!error && symlink(name, path) != 0)
        error = -errno;
    if (error)
        zg_channel_close(channel);
    else
        zg_channel_own_path(channel, path);
    return error;
}

unsigned long zg_channel_pty_baud(const struct zg_channel *channel)
{
    struct termios2 settings;

    if (channel->kind != ZG_CHANNEL_PTY || ioctl(channel->fd, TCGETS2, &settings) != 0)
        return 0;
    return settings.c_ospeed == 38400 ? 0 : settings.c_ospeed;
}
