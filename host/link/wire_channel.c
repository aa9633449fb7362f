/* SPDX-License-Identifier: MIT */
/* The kinds of LINK that are channels of the operating system, and what all kinds over a channel share. */
#include <errno.h>
#include <string.h>

#include "link/wire_kind.h"

enum { UNWRITTEN_MOST = 1 << 20 }; /* bytes; with more, the other side has stalled for good */

bool zg_wire_explain_channel(const struct zg_wire *wire, int reason, GError **error)
{
    const struct zg_address *address = &wire->address;

    if (reason == EEXIST && address->kind == ZG_ADDRESS_PTY && g_file_test(address->path, G_FILE_TEST_IS_SYMLINK))
        return zg_wire_trouble(error, "%s is in use: it leads to the terminal of a running program; give another path",
                               address->path);
    if (reason == EEXIST)
        return zg_wire_trouble(error, "%s exists and is something else; remove it or give another path", address->path);
    if (reason == EADDRINUSE)
        return zg_wire_trouble(error, "%s is in use; is another program serving there?", address->text);
    if (reason == ENOENT && !wire->settings.serves)
        return zg_wire_trouble(error, "%s: nobody serves there: no such socket", address->text);
    if (reason == ECONNREFUSED)
        return zg_wire_trouble(error, "%s: nobody serves there: connection refused", address->text);
    if (reason == EHOSTUNREACH)
        return zg_wire_trouble(error, "%s: the name cannot be resolved, or the host cannot be reached", address->text);
    return zg_wire_trouble(error, "%s: %s", address->text, g_strerror(reason));
}

void zg_wire_channel_close(struct zg_wire *wire)
{
    zg_channel_close(&wire->channel);
}

bool zg_wire_channel_lost(const struct zg_wire *wire, long reason, GError **error)
{
    return zg_wire_trouble(error, "%s: %s", wire->address.text,
                           reason == -ECONNRESET ? "the other side closed the connection" : g_strerror((int)-reason));
}

bool zg_wire_channel_has_room(const struct zg_wire *wire, GError **error)
{
    return wire->unwritten->len <= UNWRITTEN_MOST ||
           zg_wire_trouble(error, "%s: the other side no longer takes bytes", wire->address.text);
}

long zg_wire_channel_write_on(struct zg_wire *wire)
{
    if (wire->unwritten->len == 0)
        return 0;
    long count = zg_channel_write(&wire->channel, wire->unwritten->data, wire->unwritten->len);
    if (count < 0)
        return count;
    g_byte_array_remove_range(wire->unwritten, 0, (guint)count);
    return 0;
}

long zg_wire_channel_read(struct zg_wire *wire, struct zg_passage *passage)
{
    long count = zg_channel_read(&wire->channel, wire->bytes, sizeof wire->bytes);
    if (count < 0)
        return count;
    passage->at_ns = zg_wire_elapsed(wire);
    passage->bytes = wire->bytes;
    passage->count = (size_t)count;
    return 0;
}

struct zg_channel_wanted zg_wire_channel_wanted(const struct zg_wire *wire, uint64_t ns)
{
    return zg_channel_wanted(&wire->channel, wire->unwritten->len > 0, ns);
}

bool zg_wire_channel_is_up(struct zg_wire *wire)
{
    return zg_channel_is_open(&wire->channel);
}

static bool explain(const struct zg_wire *wire, int reason, GError **error)
{
    return reason == 0 || zg_wire_explain_channel(wire, -reason, error);
}

static bool open_pty(struct zg_wire *wire, GError **error)
{
    return explain(wire, zg_channel_open_pty(&wire->channel, wire->address.path), error);
}

static bool open_unix(struct zg_wire *wire, GError **error)
{
    return explain(
        wire,
        (wire->settings.serves ? zg_channel_listen_unix : zg_channel_connect_unix)(&wire->channel, wire->address.path),
        error);
}

static bool open_tcp(struct zg_wire *wire, GError **error)
{
    return explain(wire,
                   (wire->settings.serves ? zg_channel_listen_tcp : zg_channel_connect_tcp)(
                       &wire->channel, wire->address.path, wire->address.port),
                   error);
}

static bool open_udp(struct zg_wire *wire, GError **error)
{
    return explain(wire,
                   (wire->settings.serves ? zg_channel_listen_udp : zg_channel_connect_udp)(
                       &wire->channel, wire->address.path, wire->address.port),
                   error);
}

static bool read_channel(struct zg_wire *wire, struct zg_passage *passage, GError **error)
{
    long reason = zg_wire_channel_write_on(wire);

    if (!reason)
        reason = zg_wire_channel_read(wire, passage);
    return reason == 0 || zg_wire_channel_lost(wire, reason, error);
}

static bool write_channel(struct zg_wire *wire, const uint8_t *bytes, size_t count, GError **error)
{
    g_byte_array_append(wire->unwritten, bytes, (guint)count);
    if (!zg_wire_channel_has_room(wire, error))
        return false;
    const long reason = zg_wire_channel_write_on(wire);
    return reason == 0 || zg_wire_channel_lost(wire, reason, error);
}

#define CHANNEL_KIND(begin)                                                                                            \
    {                                                                                                                  \
        .open = begin, .close = zg_wire_channel_close, .read = read_channel, .write = write_channel,                   \
        .wanted = zg_wire_channel_wanted, .is_up = zg_wire_channel_is_up                                               \
    }

const struct zg_wire_kind zg_wire_pty = CHANNEL_KIND(open_pty);
const struct zg_wire_kind zg_wire_unix = CHANNEL_KIND(open_unix);
const struct zg_wire_kind zg_wire_tcp = CHANNEL_KIND(open_tcp);
const struct zg_wire_kind zg_wire_udp = CHANNEL_KIND(open_udp);
