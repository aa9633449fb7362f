/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "definition/checks.h"
#include "link/wire_kind.h"
#include "zeugma/link.h"

enum { FLUSH_NS = 200000000 }; /* between writes of the capture */

static const struct zg_wire_kind *kind_of(const struct zg_wire *wire)
{
    static const struct zg_wire_kind *const kinds[] = {
        [ZG_ADDRESS_SERIAL] = &zg_wire_serial, [ZG_ADDRESS_RFC2217] = &zg_wire_rfc2217,
        [ZG_ADDRESS_PTY] = &zg_wire_pty,       [ZG_ADDRESS_UNIX] = &zg_wire_unix,
        [ZG_ADDRESS_TCP] = &zg_wire_tcp,       [ZG_ADDRESS_UDP] = &zg_wire_udp,
        [ZG_ADDRESS_FILE] = &zg_wire_replay,   [ZG_ADDRESS_SIM] = NULL,
    };
    const struct zg_wire_kind *kind = kinds[wire->address.kind];
    return kind ? kind : wire->settings.simulated;
}

/* Records what the capture's reader must know about the line. */
static bool begin_capture(struct zg_wire *wire, GError **error)
{
    const struct zg_definition *definition = wire->settings.plan->definition;
    const uint64_t now_ns = zg_wire_time_of_day(wire, 0);
    const char *const *names = wire->settings.place.names;
    bool good = true;

    if (!wire->settings.capture)
        return true;
    if (!wire->common->capture) {
        wire->common->capture = zg_capture_create(wire->settings.capture, error);
        if (!wire->common->capture)
            return false;
        for (unsigned i = 0; names && names[i] && good; i++)
            good = zg_capture_add(wire->common->capture, ZG_CAPTURE_DEVICE, (uint8_t)i, now_ns, 0,
                                  (const uint8_t *)names[i], strlen(names[i]), error);
    }
    g_autofree char *remark = g_strdup_printf("%s %u.%u on %s", definition->protocol, definition->major,
                                              definition->minor, wire->address.text);
    return good &&
           zg_capture_add(wire->common->capture, ZG_CAPTURE_REMARK, zg_wire_number(wire), now_ns, 0,
                          (const uint8_t *)remark, strlen(remark), error) &&
           zg_capture_flush(wire->common->capture, error);
}

/* Whether the link keeps packets apart, if the framing leaves that to it. */
static bool keeps_apart(const struct zg_wire *wire, GError **error)
{
    const enum zg_address_kind kind = wire->address.kind;

    if (!wire->settings.plan->packets || kind == ZG_ADDRESS_UDP || kind == ZG_ADDRESS_SIM || kind == ZG_ADDRESS_FILE)
        return true;
    g_set_error(error, ZG_WIRE_ERROR, ZG_WIRE_ERROR_USE,
                "%s is a stream of bytes, which does not keep packets apart, as the framing packet needs; expected "
                "udp:HOST:PORT or sim:, or another framing",
                wire->address.text);
    return false;
}

static bool open_kind(struct zg_wire *wire, GError **error)
{
    if (!wire->kind) {
        g_set_error(error, ZG_WIRE_ERROR, ZG_WIRE_ERROR_USE, "%s cannot be opened here", wire->address.text);
        return false;
    }
    if (!keeps_apart(wire, error)) {
        wire->kind = NULL;
        return false;
    }
    if (wire->settings.serves && wire->kind->cannot_serve) {
        g_set_error(error, ZG_WIRE_ERROR, ZG_WIRE_ERROR_USE,
                    "nobody can connect to %s; put the device on pty:PATH, unix:PATH, tcp:HOST:PORT, udp:HOST:PORT or "
                    "a serial: port",
                    wire->address.text);
        wire->kind = NULL;
        return false;
    }
    return wire->kind->open(wire, error);
}

static void hold_common(struct zg_wire *wire)
{
    if (wire->settings.place.beside) {
        wire->common = wire->settings.place.beside->common;
    } else {
        wire->common = g_new0(struct zg_wire_common, 1);
        wire->common->opened_ns = zg_channel_now_ns();
        wire->common->real_us = g_get_real_time();
        wire->common->first_ns = UINT64_MAX;
    }
    wire->common->wires++;
}

static bool release_common(struct zg_wire *wire, GError **error)
{
    struct zg_wire_common *common = wire->common;

    if (--common->wires > 0)
        return true;
    const bool good = !common->capture || zg_capture_close(common->capture, error);
    g_free(common);
    return good;
}

struct zg_wire *zg_wire_open(const struct zg_address *address, const struct zg_wire_settings *settings, GError **error)
{
    struct zg_wire *wire = g_new0(struct zg_wire, 1);

    wire->address = *address;
    wire->address.text = g_strdup(address->text);
    wire->address.path = g_strdup(address->path);
    wire->address.port = g_strdup(address->port);
    wire->settings = *settings;
    wire->channel.fd = wire->channel.listener = -1;
    wire->unwritten = g_byte_array_new();
    hold_common(wire);
    wire->kind = kind_of(wire);
    if (open_kind(wire, error) && begin_capture(wire, error))
        return wire;
    (void)zg_wire_close(wire, NULL);
    return NULL;
}

bool zg_wire_close(struct zg_wire *wire, GError **error)
{
    if (!wire)
        return true;
    if (wire->kind)
        wire->kind->close(wire);
    const bool good = release_common(wire, error);
    g_byte_array_unref(wire->unwritten);
    g_free(wire->turned);
    zg_address_clear(&wire->address);
    g_free(wire);
    return good;
}

/* --- into the capture */

/* The line errors counted since the last record. A port that came back counts from 0. */
static uint8_t new_line_errors(struct zg_wire *wire)
{
    struct zg_serial_errors now;
    const struct zg_serial_errors *before = &wire->captured;
    uint8_t flags = 0;

    if (!zg_wire_errors(wire, &now))
        return 0;
    flags |= now.framing > before->framing ? ZG_LINE_FRAMING : 0;
    flags |= now.parity > before->parity ? ZG_LINE_PARITY : 0;
    flags |= now.overrun > before->overrun ? ZG_LINE_OVERRUN : 0;
    flags |= now.breaks > before->breaks ? ZG_LINE_BREAK : 0;
    wire->captured = now;
    return flags;
}

static bool record(struct zg_wire *wire, const struct zg_passage *passage, GError **error)
{
    if (!wire->common->capture || wire->kind->is_replay)
        return true;
    const uint64_t now_ns = zg_wire_elapsed(wire);
    const bool to_device = passage->out != wire->settings.serves;
    if (passage->count > 0 &&
        !zg_capture_add(wire->common->capture, to_device ? ZG_CAPTURE_OUT : ZG_CAPTURE_IN, zg_wire_number(wire),
                        zg_wire_time_of_day(wire, passage->at_ns), passage->out ? 0 : new_line_errors(wire),
                        passage->bytes, passage->count, error))
        return false;
    if (now_ns - wire->flushed_ns < FLUSH_NS)
        return true;
    wire->flushed_ns = now_ns;
    return zg_capture_flush(wire->common->capture, error);
}

/* --- bytes */

static const uint8_t *turn(uint8_t *turned, const uint8_t *bytes, size_t count)
{
    for (size_t i = 0; i < count; i++)
        turned[i] = (uint8_t)zg_bits_reversed(bytes[i], 8);
    return turned;
}

bool zg_wire_read(struct zg_wire *wire, struct zg_passage *passage, GError **error)
{
    *passage = (struct zg_passage){ .bytes = wire->bytes };
    if (!wire->kind->read(wire, passage, error))
        return false;
    if (wire->turned)
        passage->bytes = turn(wire->turned, passage->bytes, passage->count);
    return record(wire, passage, error);
}

bool zg_wire_write(struct zg_wire *wire, const uint8_t *bytes, size_t count, GError **error)
{
    const struct zg_passage passage = { zg_wire_elapsed(wire), true, bytes, count };

    if (wire->gone)
        return true;
    if (!record(wire, &passage, error))
        return false;
    for (size_t done = 0; wire->turned && done < count; done += ZG_WIRE_PIECE) {
        const size_t piece = MIN(count - done, (size_t)ZG_WIRE_PIECE);
        if (!wire->kind->write(wire, turn(wire->turned, bytes + done, piece), piece, error))
            return false;
    }
    return wire->turned || wire->kind->write(wire, bytes, count, error);
}

size_t zg_wire_unwritten(const struct zg_wire *wire)
{
    return wire->unwritten->len;
}

void zg_wires_wait(struct zg_wire *const *wires, unsigned count, int extra, uint64_t ns)
{
    struct zg_channel_wanted wanted[ZG_WIRES_MOST];

    for (unsigned i = 0; i < count; i++)
        wanted[i] = wires[i]->kind->wanted(wires[i], ns);
    zg_channels_wait(wanted, count, extra);
}

void zg_wire_wait(struct zg_wire *wire, int extra, uint64_t ns)
{
    zg_wires_wait(&wire, 1, extra, ns);
}

uint64_t zg_wire_now_ns(const struct zg_wire *wire)
{
    return wire->address.own_time ? zg_wire_elapsed(wire) : zg_wire_event_ns(wire);
}

uint64_t zg_wire_event_ns(const struct zg_wire *wire)
{
    return wire->kind->event_ns ? wire->kind->event_ns(wire) : zg_wire_elapsed(wire);
}

bool zg_wire_has_ended(const struct zg_wire *wire)
{
    return wire->ended;
}

bool zg_wire_is_replay(const struct zg_wire *wire)
{
    return wire->kind->is_replay;
}

bool zg_wire_reads_ahead(const struct zg_wire *wire)
{
    return wire->kind->is_replay && !wire->address.own_time;
}

bool zg_wire_is_up(struct zg_wire *wire)
{
    return !wire->gone && (!wire->kind->is_up || wire->kind->is_up(wire));
}

bool zg_wire_errors(const struct zg_wire *wire, struct zg_serial_errors *errors)
{
    return wire->kind->errors && wire->kind->errors(wire, errors);
}

unsigned long zg_wire_baud(const struct zg_wire *wire)
{
    return wire->baud;
}

bool zg_wire_set_baud(struct zg_wire *wire, unsigned long baud)
{
    if (!wire->kind->set_baud || !wire->kind->set_baud(wire, baud))
        return false;
    wire->baud = baud;
    return true;
}

unsigned long zg_wire_host_baud(const struct zg_wire *wire)
{
    return wire->channel.fd >= 0 ? zg_channel_pty_baud(&wire->channel) : 0;
}
