/* SPDX-License-Identifier: MIT */
/* serial: a port of this machine. If it disappears, the wire waits for it. */
#include <errno.h>
#include <string.h>

#include "link/wire_kind.h"

enum { LOOK_AGAIN_NS = 200000000 }; /* for a port that disappeared */

struct serial {
    uint64_t look_ns; /* when to look for it again */
    struct zg_serial_errors before;
};

/* Why a port cannot be opened, and what to do about it. */
static bool explain_port(const struct zg_address *address, enum zg_serial_fault fault, int reason, unsigned long wanted,
                         unsigned long made, GError **error)
{
    struct zg_serial_port port;
    char holder[64];
    const char *name = strrchr(address->path, '/');

    if (fault == ZG_SERIAL_HELD) {
        long id = zg_serial_holder(address->path, holder, sizeof holder);
        return id > 0
                   ? zg_wire_trouble(error, "%s is in use by %s (process %ld); end that first", address->path, holder,
                                     id)
                   : zg_wire_trouble(error, "%s is in use by another program, perhaps another user's; end that first",
                                     address->path);
    }
    if (fault == ZG_SERIAL_BAUD)
        return zg_wire_trouble(error,
                               "%s runs at %lu baud, not at the %lu wanted; choose a speed that its chip can produce, "
                               "with ?baud= and on the device as well",
                               address->path, made, wanted);
    if (fault == ZG_SERIAL_SETTINGS)
        return zg_wire_trouble(error, "%s does not support these settings (%s); see the format and flow of the LINK",
                               address->path, g_strerror(reason));
    if (reason == ENOENT || reason == ENODEV || reason == ENXIO)
        return zg_wire_trouble(error, "%s: there is no such port; is it plugged in? zeugma ports lists those present",
                               address->path);
    if (reason == ENOTTY)
        return zg_wire_trouble(error, "%s is no serial port; zeugma ports lists those present", address->path);
    zg_serial_describe("", name ? name + 1 : address->path, &port);
    if ((reason == EACCES || reason == EPERM) && port.group[0] != '\0')
        return zg_wire_trouble(
            error,
            "%s: you may not open it; it belongs to the group %s: sudo usermod -aG %s $USER, then log out and in again",
            address->path, port.group, port.group);
    return zg_wire_trouble(error, "%s: %s", address->path, g_strerror(reason));
}

static bool open_port(struct zg_wire *wire, GError **error)
{
    struct zg_serial_settings wanted = zg_address_settings(&wire->address, &wire->settings.plan->definition->line);
    struct serial *serial = wire->own;
    enum zg_serial_fault fault;
    unsigned long made;

    if (wire->baud > 0)
        wanted.baud = wire->baud;
    if (!zg_wire_settings_fit(wire, &wanted, error))
        return false;
    int reason = zg_serial_open(&wire->channel, wire->address.path, &wanted, &fault, &made);
    if (reason)
        return explain_port(&wire->address, fault, -reason, wanted.baud, made, error);
    wire->baud = wanted.baud;
    (void)zg_serial_errors(&wire->channel, &serial->before);
    return true;
}

static bool open_serial(struct zg_wire *wire, GError **error)
{
    wire->own = g_new0(struct serial, 1);
    return open_port(wire, error);
}

static void close_serial(struct zg_wire *wire)
{
    zg_wire_channel_close(wire);
    g_free(wire->own);
}

static void lose(struct zg_wire *wire)
{
    struct serial *serial = wire->own;

    zg_channel_close(&wire->channel);
    wire->gone = true;
    serial->look_ns = zg_wire_elapsed(wire) + LOOK_AGAIN_NS;
    g_byte_array_set_size(wire->unwritten, 0);
    zg_wire_notice(wire, "%s is gone; waiting for it to come back", wire->address.path);
}

/* Whether the port is back. */
static bool look_again(struct zg_wire *wire)
{
    struct serial *serial = wire->own;
    g_autoptr(GError) ignored = NULL;

    if (!wire->gone)
        return true;
    if (zg_wire_elapsed(wire) < serial->look_ns)
        return false;
    serial->look_ns = zg_wire_elapsed(wire) + LOOK_AGAIN_NS;
    if (!open_port(wire, &ignored))
        return false;
    wire->gone = false;
    zg_wire_notice(wire, "%s is back", wire->address.path);
    return true;
}

static bool read_serial(struct zg_wire *wire, struct zg_passage *passage, GError **error)
{
    (void)error;
    if (look_again(wire) && (zg_wire_channel_write_on(wire) != 0 || zg_wire_channel_read(wire, passage) != 0))
        lose(wire);
    return true;
}

static bool write_serial(struct zg_wire *wire, const uint8_t *bytes, size_t count, GError **error)
{
    g_byte_array_append(wire->unwritten, bytes, (guint)count);
    if (!zg_wire_channel_has_room(wire, error))
        return false;
    if (zg_wire_channel_write_on(wire) != 0)
        lose(wire);
    return true;
}

static struct zg_channel_wanted serial_wanted(const struct zg_wire *wire, uint64_t ns)
{
    return zg_wire_channel_wanted(wire, wire->gone ? MIN(ns, LOOK_AGAIN_NS) : ns);
}

static bool errors_of(const struct zg_wire *wire, struct zg_serial_errors *errors)
{
    const struct serial *serial = wire->own;
    const struct zg_serial_errors *before = &serial->before;
    struct zg_serial_errors now;

    if (wire->gone || !zg_serial_errors(&wire->channel, &now))
        return false;
    *errors = (struct zg_serial_errors){ now.framing - before->framing, now.parity - before->parity,
                                         now.overrun - before->overrun, now.breaks - before->breaks,
                                         now.dropped - before->dropped };
    return true;
}

static bool set_baud(struct zg_wire *wire, unsigned long baud)
{
    return !wire->gone && zg_serial_set_baud(&wire->channel, baud) == 0;
}

const struct zg_wire_kind zg_wire_serial = { .open = open_serial,
                                             .close = close_serial,
                                             .read = read_serial,
                                             .write = write_serial,
                                             .wanted = serial_wanted,
                                             .errors = errors_of,
                                             .set_baud = set_baud };
