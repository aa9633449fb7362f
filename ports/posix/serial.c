/* SPDX-License-Identifier: MIT */
#include "posix/serial.h"

#include <asm/termbits.h>
#include <errno.h>
#include <fcntl.h>
#include <linux/serial.h>
#include <string.h>
#include <sys/file.h>
#include <sys/ioctl.h>
#include <unistd.h>

#ifndef CMSPAR
#define CMSPAR 010000000000
#endif

static unsigned control_flags(const struct zg_serial_settings *settings)
{
    static const unsigned sizes[] = { CS5, CS6, CS7, CS8 };
    unsigned flags = sizes[settings->data_bits - 5] | CREAD | CLOCAL | HUPCL | BOTHER;

    if (settings->half_stops > 2)
        flags |= CSTOPB;
    if (settings->parity != 'N')
        flags |= PARENB;
    if (settings->parity == 'O' || settings->parity == 'M')
        flags |= PARODD;
    if (settings->parity == 'M' || settings->parity == 'S')
        flags |= CMSPAR;
    if (settings->flow)
        flags |= CRTSCTS;
    return flags;
}

/* The speed that a PC's own UART runs at: its driver keeps the one asked for, and divides its clock by the nearest
 * whole number. Others, which may have finer divisors, say what they made of it. */
static unsigned long speed_of(int fd, unsigned long said)
{
    struct serial_struct serial;

    if (ioctl(fd, TIOCGSERIAL, &serial) != 0 || serial.io_type != SERIAL_IO_PORT || serial.port == 0 ||
        serial.baud_base <= 0 || said == 0)
        return said;
    const unsigned long base = (unsigned long)serial.baud_base, divisor = (base + said / 2) / said;
    return base / (divisor > 0 ? divisor : 1);
}

/* Bytes with parity or framing errors come in unchanged, as from a microcontroller's UART. */
static int apply(int fd, const struct zg_serial_settings *settings, unsigned long *made)
{
    struct termios2 wanted, got;

    if (ioctl(fd, TCGETS2, &wanted) != 0)
        return -errno;
    wanted.c_iflag = settings->parity == 'N' ? IGNBRK : IGNBRK | INPCK;
    wanted.c_oflag = wanted.c_lflag = 0;
    wanted.c_cflag = control_flags(settings);
    wanted.c_ospeed = wanted.c_ispeed = (unsigned)settings->baud;
    wanted.c_cc[VMIN] = 1; /* not blocking: EAGAIN means no bytes, 0 means the end */
    wanted.c_cc[VTIME] = 0;
    if (ioctl(fd, TCSETS2, &wanted) != 0 || ioctl(fd, TCGETS2, &got) != 0)
        return -errno;
    *made = speed_of(fd, got.c_ospeed);
    const unsigned kept = CSIZE | CSTOPB | PARENB | PARODD | CMSPAR | CRTSCTS;
    return (got.c_cflag & kept) == (wanted.c_cflag & kept) ? 0 : -EINVAL;
}

bool zg_serial_is_near(unsigned long made, unsigned long wanted)
{
    const unsigned long off = made > wanted ? made - wanted : wanted - made;
    return off <= wanted / 100 * 3 + wanted % 100 * 3 / 100;
}

/* A pseudo-terminal has no such lines, which is no failure. */
static void set_level(int fd, int line, enum zg_level level)
{
    if (level != ZG_LEVEL_LEFT)
        (void)ioctl(fd, level == ZG_LEVEL_ON ? TIOCMBIS : TIOCMBIC, &line);
}

/* Has the driver, if it can, pass bytes on as they come instead of in blocks. */
static void hurry(int fd)
{
    struct serial_struct serial;

    if (ioctl(fd, TIOCGSERIAL, &serial) == 0 && ((unsigned)serial.flags & (unsigned)ASYNC_LOW_LATENCY) == 0) {
        serial.flags = (int)((unsigned)serial.flags | (unsigned)ASYNC_LOW_LATENCY);
        (void)ioctl(fd, TIOCSSERIAL, &serial);
    }
}

static int lock(int fd)
{
    if (flock(fd, LOCK_EX | LOCK_NB) != 0)
        return -errno;
    return ioctl(fd, TIOCEXCL) == 0 ? 0 : -errno;
}

int zg_serial_open(struct zg_channel *channel, const char *path, const struct zg_serial_settings *settings,
                   enum zg_serial_fault *fault, unsigned long *made)
{
    *channel = (struct zg_channel){ .kind = ZG_CHANNEL_SERIAL, .fd = -1, .listener = -1 };
    *made = 0;
    *fault = ZG_SERIAL_OPEN;
    int fd = open(path, O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
    if (fd < 0) {
        *fault = errno == EBUSY ? ZG_SERIAL_HELD : ZG_SERIAL_OPEN;
        return -errno;
    }
    int error = isatty(fd) == 1 ? 0 : -ENOTTY;
    if (!error) {
        *fault = ZG_SERIAL_HELD;
        error = lock(fd);
    }
    if (!error) {
        *fault = ZG_SERIAL_SETTINGS;
        error = apply(fd, settings, made);
    }
    if (!error && !zg_serial_is_near(*made, settings->baud)) {
        *fault = ZG_SERIAL_BAUD;
        error = -EINVAL;
    }
    if (error) {
        (void)close(fd);
        return error;
    }
    set_level(fd, TIOCM_DTR, settings->dtr);
    set_level(fd, TIOCM_RTS, settings->rts);
    hurry(fd);
    (void)ioctl(fd, TCFLSH, TCIFLUSH); /* what came before the settings were made */
    channel->fd = fd;
    return 0;
}

int zg_serial_set_baud(struct zg_channel *channel, unsigned long baud)
{
    struct termios2 settings;

    if (ioctl(channel->fd, TCGETS2, &settings) != 0)
        return -errno;
    settings.c_cflag = (settings.c_cflag & ~(unsigned)CBAUD) | BOTHER;
    settings.c_ospeed = settings.c_ispeed = (unsigned)baud;
    return ioctl(channel->fd, TCSETS2, &settings) == 0 ? 0 : -errno;
}

bool zg_serial_errors(const struct zg_channel *channel, struct zg_serial_errors *errors)
{
    struct serial_icounter_struct counted = { 0 };

    if (channel->kind != ZG_CHANNEL_SERIAL || ioctl(channel->fd, TIOCGICOUNT, &counted) != 0)
        return false;
    *errors = (struct zg_serial_errors){ (uint32_t)counted.frame, (uint32_t)counted.parity, (uint32_t)counted.overrun,
                                         (uint32_t)counted.brk, (uint32_t)counted.buf_overrun };
    return true;
}
