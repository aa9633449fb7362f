/* SPDX-License-Identifier: MIT */
/* What the system knows of its serial ports: sysfs, /dev, and the open files of processes. */
#include <ctype.h>
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <grp.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "posix/serial.h"

/* The first line of a small file, or "". */
static void read_line(const char *folder, const char *file, char *text, size_t size)
{
    char path[ZG_CHANNEL_PATH];

    text[0] = '\0';
    if ((size_t)snprintf(path, sizeof path, "%s/%s", folder, file) >= sizeof path)
        return;
    int fd = open(path, O_RDONLY | O_CLOEXEC);
    ssize_t count = fd < 0 ? 0 : read(fd, text, size - 1);
    if (fd >= 0)
        (void)close(fd);
    text[count > 0 ? count : 0] = '\0';
    text[strcspn(text, "\r\n")] = '\0';
}

/* The name of a symbolic link's target, or "". */
static void read_target_name(const char *path, char *text, size_t size)
{
    char target[ZG_CHANNEL_PATH];
    ssize_t count = readlink(path, target, sizeof target - 1);

    text[0] = '\0';
    if (count <= 0)
        return;
    target[count] = '\0';
    const char *slash = strrchr(target, '/');
    (void)snprintf(text, size, "%.*s", (int)size - 1, slash ? slash + 1 : target);
}

/* The USB device is a few folders above the port's. */
static void describe_usb(const char *device, struct zg_serial_port *port)
{
    char folder[ZG_CHANNEL_PATH], vendor[8], product[8];

    if (!realpath(device, folder))
        return;
    for (unsigned up = 0; up < 6; up++) {
        read_line(folder, "idVendor", vendor, sizeof vendor);
        if (vendor[0] != '\0') {
            read_line(folder, "idProduct", product, sizeof product);
            (void)snprintf(port->ids, sizeof port->ids, "%.4s:%.4s", vendor, product);
            read_line(folder, "manufacturer", port->maker, sizeof port->maker);
            read_line(folder, "product", port->product, sizeof port->product);
            read_line(folder, "serial", port->serial, sizeof port->serial);
            return;
        }
        char *slash = strrchr(folder, '/');
        if (!slash || slash == folder)
            return;
        *slash = '\0';
    }
}

static void find_stable_name(const char *root, const char *name, struct zg_serial_port *port)
{
    char folder[ZG_CHANNEL_PATH], path[2 * ZG_CHANNEL_PATH], target[ZG_CHANNEL_PATH];

    if ((size_t)snprintf(folder, sizeof folder, "%s/dev/serial/by-id", root) >= sizeof folder)
        return;
    DIR *entries = opendir(folder);
    for (const struct dirent *entry; entries && (entry = readdir(entries));) {
        (void)snprintf(path, sizeof path, "%s/%s", folder, entry->d_name);
        read_target_name(path, target, sizeof target);
        if (strcmp(target, name) == 0)
            (void)snprintf(port->stable, sizeof port->stable, "%.*s", (int)sizeof port->stable - 1, path);
    }
    if (entries)
        (void)closedir(entries);
}

void zg_serial_describe(const char *root, const char *name, struct zg_serial_port *port)
{
    char path[ZG_CHANNEL_PATH];
    struct stat what;

    memset(port, 0, sizeof *port);
    (void)snprintf(port->path, sizeof port->path, "%s/dev/%s", root, name);
    (void)snprintf(path, sizeof path, "%s/sys/class/tty/%s/device/driver", root, name);
    read_target_name(path, port->driver, sizeof port->driver);
    (void)snprintf(path, sizeof path, "%s/sys/class/tty/%s/device", root, name);
    describe_usb(path, port);
    find_stable_name(root, name, port);
    port->may_open = access(port->path, R_OK | W_OK) == 0;
    if (stat(port->path, &what) == 0) {
        const struct group *group = getgrgid(what.st_gid);
        if (group)
            (void)snprintf(port->group, sizeof port->group, "%s", group->gr_name);
    }
}

/* A port of the old kind is listed even without a chip; its type is 0 then. */
static bool has_hardware(const char *root, const char *name)
{
    char path[ZG_CHANNEL_PATH], type[8];
    struct stat what;

    (void)snprintf(path, sizeof path, "%s/sys/class/tty/%s/device", root, name);
    if (stat(path, &what) != 0)
        return false;
    (void)snprintf(path, sizeof path, "%s/sys/class/tty/%s", root, name);
    read_line(path, "type", type, sizeof type);
    return strcmp(type, "0") != 0;
}

static int by_name(const struct dirent **a, const struct dirent **b)
{
    return strverscmp((*a)->d_name, (*b)->d_name);
}

int zg_serial_list(const char *root, void (*each)(const struct zg_serial_port *port, void *data), void *data)
{
    char folder[ZG_CHANNEL_PATH];
    struct dirent **entries;
    struct zg_serial_port port;
    int listed = 0;

    (void)snprintf(folder, sizeof folder, "%s/sys/class/tty", root);
    int count = scandir(folder, &entries, NULL, by_name);
    if (count < 0)
        return errno == ENOENT ? 0 : -errno;
    for (int i = 0; i < count; i++) {
        const char *name = entries[i]->d_name;
        if (name[0] != '.' && has_hardware(root, name)) {
            zg_serial_describe(root, name, &port);
            each(&port, data);
            listed++;
        }
        free(entries[i]);
    }
    free(entries);
    return listed;
}

/* Whether one of a process's open files is this device. */
static bool has_open(const char *process, dev_t device)
{
    char folder[64], path[512];
    struct stat what;
    bool found = false;

    (void)snprintf(folder, sizeof folder, "/proc/%.20s/fd", process);
    DIR *files = opendir(folder);
    for (const struct dirent *entry; files && !found && (entry = readdir(files));) {
        (void)snprintf(path, sizeof path, "%s/%s", folder, entry->d_name);
        found = stat(path, &what) == 0 && S_ISCHR(what.st_mode) && what.st_rdev == device;
    }
    if (files)
        (void)closedir(files);
    return found;
}

long zg_serial_holder(const char *path, char *name, size_t size)
{
    struct stat what;
    char folder[64];
    long holder = 0;

    name[0] = '\0';
    if (stat(path, &what) != 0)
        return 0;
    DIR *processes = opendir("/proc");
    for (const struct dirent *entry; processes && holder == 0 && (entry = readdir(processes));) {
        if (!isdigit((unsigned char)entry->d_name[0]) || atol(entry->d_name) == getpid() ||
            !has_open(entry->d_name, what.st_rdev))
            continue;
        holder = atol(entry->d_name);
        (void)snprintf(folder, sizeof folder, "/proc/%ld", holder);
        read_line(folder, "comm", name, size);
    }
    if (processes)
        (void)closedir(processes);
    return holder;
}
