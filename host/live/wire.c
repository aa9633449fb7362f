/* SPDX-License-Identifier: MIT */
#include "live/wire.h"

#include <errno.h>
#include <string.h>

#include "zeugma/link.h"

enum {
    PIECE = 65536,             /* bytes at once: the largest datagram */
    LOOK_AGAIN_NS = 200000000, /* for a port that is gone */
    FLUSH_NS = 200000000,      /* of the capture */
    STEP_NS = 1000000,         /* of a simulated device */
    UNWRITTEN_MOST = 1 << 20   /* bytes; beyond it the other side has stalled for good */
};

struct zg_wire {
    struct zg_address address;
    struct zg_wire_settings settings;
    struct zg_channel channel;
    bool has_channel;
    bool gone;          /* the serial port is, for now */
    uint64_t look_ns;   /* when it is looked for again */
    uint64_t opened_ns; /* of the system's clock that only goes forward */
    int64_t real_us;    /* the time of day then */
    unsigned long baud; /* that was set, of a serial port */
    struct zg_serial_errors errors_before;
    GByteArray *unwritten;
    /* into a capture */
    struct zg_capture_writer *capture;
    uint64_t flushed_ns;
    struct zg_serial_errors captured;
    /* from a capture */
    struct zg_capture_reader *replay;
    struct zg_record_read record;
    bool has_record, ended;
    uint64_t first_ns, last_ns;
    /* the simulated device */
    struct zg_simulated *simulated;
    GByteArray *arrived; /* from it */
    uint8_t bytes[PIECE];
};

static bool trouble(GError **error, const char *format, ...) G_GNUC_PRINTF(2, 3);

static bool trouble(GError **error, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    if (error && !*error)
        *error = g_error_new_valist(ZG_WIRE_ERROR, ZG_WIRE_ERROR_TROUBLE, format, arguments);
    va_end(arguments);
    return false;
}

static void notice(const struct zg_wire *wire, const char *format, ...) G_GNUC_PRINTF(2, 3);

static uint64_t elapsed(const struct zg_wire *wire)
{
    return zg_channel_now_ns() - wire->opened_ns;
}

static uint64_t time_of_day(const struct zg_wire *wire, uint64_t at_ns)
{
    return (uint64_t)wire->real_us * 1000 + at_ns;
}

/* Tells the user, and whoever reads the capture later. */
static void notice(const struct zg_wire *wire, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    if (wire->settings.notice)
        wire->settings.notice(text, wire->settings.data);
    if (wire->capture)
        (void)zg_capture_add(wire->capture, ZG_CAPTURE_REMARK, time_of_day(wire, elapsed(wire)), 0,
                             (const uint8_t *)text, strlen(text), NULL);
}

/* --- opening */

/* Why a port cannot be opened, and the way out. */
static bool explain_port(const struct zg_address *address, enum zg_serial_fault fault, int reason, unsigned long wanted,
                         unsigned long made, GError **error)
{
    struct zg_serial_port port;
    char holder[64];
    const char *name = strrchr(address->path, '/');

    if (fault == ZG_SERIAL_HELD) {
        long id = zg_serial_holder(address->path, holder, sizeof holder);
        return id > 0 ? trouble(error, "%s is in use by %s (process %ld); end that first", address->path, holder, id)
                      : trouble(error, "%s is in use by another program, one of another user's perhaps; end that first",
                                address->path);
    }
    if (fault == ZG_SERIAL_BAUD)
        return trouble(error,
                       "%s makes %lu baud where %lu are wanted; take a speed that its chip can make, "
                       "with ?baud= and on the device, too",
                       address->path, made, wanted);
    if (fault == ZG_SERIAL_SETTINGS)
        return trouble(error, "%s does not take these settings (%s); see the format and flow of the LINK",
                       address->path, g_strerror(reason));
    if (reason == ENOENT || reason == ENODEV || reason == ENXIO)
        return trouble(error, "%s: there is no such port; is it plugged in? zeugma ports lists those that there are",
                       address->path);
    if (reason == ENOTTY)
        return trouble(error, "%s is no serial port; zeugma ports lists those that there are", address->path);
    zg_serial_describe("", name ? name + 1 : address->path, &port);
    if ((reason == EACCES || reason == EPERM) && port.group[0] != '\0')
        return trouble(error,
                       "%s: you may not open it; it is for the group %s: sudo usermod -aG %s $USER, then log "
                       "out and in again",
                       address->path, port.group, port.group);
    return trouble(error, "%s: %s", address->path, g_strerror(reason));
}

static bool open_serial(struct zg_wire *wire, GError **error)
{
    struct zg_serial_settings wanted = zg_address_settings(&wire->address, &wire->settings.plan->definition->line);
    enum zg_serial_fault fault;
    unsigned long made;

    if (wire->baud > 0)
        wanted.baud = wire->baud;
    if (wanted.data_bits > 8)
        return trouble(error,
                       "%s: no serial port of a PC has %u data bits; give another with ?format=", wire->address.path,
                       wanted.data_bits);
    int reason = zg_serial_open(&wire->channel, wire->address.path, &wanted, &fault, &made);
    if (reason)
        return explain_port(&wire->address, fault, -reason, wanted.baud, made, error);
    wire->baud = wanted.baud;
    (void)zg_serial_errors(&wire->channel, &wire->errors_before);
    wire->captured = wire->errors_before;
    return true;
}

static bool explain_channel(const struct zg_wire *wire, int reason, GError **error)
{
    const struct zg_address *address = &wire->address;

    if (reason == EEXIST && address->kind == ZG_ADDRESS_PTY && g_file_test(address->path, G_FILE_TEST_IS_SYMLINK))
        return trouble(error, "%s is in use: it leads to the terminal of a program that runs; give another path",
                       address->path);
    if (reason == EEXIST)
        return trouble(error, "%s exists and is something else; remove it or give another path", address->path);
    if (reason == EADDRINUSE)
        return trouble(error, "%s is in use; is another program serving there?", address->text);
    if (reason == ENOENT && !wire->settings.serves)
        return trouble(error, "%s: nobody serves there: no such socket", address->text);
    if (reason == ECONNREFUSED)
        return trouble(error, "%s: nobody serves there: connection refused", address->text);
    if (reason == EHOSTUNREACH)
        return trouble(error, "%s: the name cannot be resolved, or there is no way to that host", address->text);
    return trouble(error, "%s: %s", address->text, g_strerror(reason));
}

static bool open_channel(struct zg_wire *wire, GError **error)
{
    const struct zg_address *address = &wire->address;
    const bool serves = wire->settings.serves;
    int reason = 0;

    switch (address->kind) {
    case ZG_ADDRESS_SERIAL: return open_serial(wire, error);
    case ZG_ADDRESS_PTY: reason = zg_channel_open_pty(&wire->channel, address->path); break;
    case ZG_ADDRESS_UNIX:
        reason = (serves ? zg_channel_listen_unix : zg_channel_connect_unix)(&wire->channel, address->path);
        break;
    case ZG_ADDRESS_TCP:
        reason =
            (serves ? zg_channel_listen_tcp : zg_channel_connect_tcp)(&wire->channel, address->path, address->port);
        break;
    default:
        reason =
            (serves ? zg_channel_listen_udp : zg_channel_connect_udp)(&wire->channel, address->path, address->port);
        break;
    }
    return reason == 0 || explain_channel(wire, -reason, error);
}

static bool open_by_kind(struct zg_wire *wire, GError **error)
{
    const enum zg_address_kind kind = wire->address.kind;

    if (wire->settings.serves && (kind == ZG_ADDRESS_FILE || kind == ZG_ADDRESS_SIM)) {
        g_set_error(
            error, ZG_WIRE_ERROR, ZG_WIRE_ERROR_USE,
            "nobody can connect to %s; put the device on pty:PATH, unix:PATH, tcp:HOST:PORT, udp:HOST:PORT or a "
            "serial: port",
            wire->address.text);
        return false;
    }
    if (kind == ZG_ADDRESS_FILE) {
        wire->replay = zg_capture_open(wire->address.path, error);
        return wire->replay != NULL;
    }
    if (kind == ZG_ADDRESS_SIM) {
        wire->simulated = zg_simulated_new(wire->settings.plan, &wire->settings.simulated, 0);
        return true;
    }
    wire->has_channel = open_channel(wire, error);
    return wire->has_channel;
}

/* What the capture's reader must know of the line. */
static bool begin_capture(struct zg_wire *wire, GError **error)
{
    const struct zg_definition *definition = wire->settings.plan->definition;

    if (!wire->settings.capture)
        return true;
    wire->capture = zg_capture_create(wire->settings.capture, error);
    if (!wire->capture)
        return false;
    g_autofree char *remark = g_strdup_printf("%s %u.%u on %s", definition->protocol, definition->major,
                                              definition->minor, wire->address.text);
    return zg_capture_add(wire->capture, ZG_CAPTURE_REMARK, time_of_day(wire, 0), 0, (const uint8_t *)remark,
                          strlen(remark), error) &&
           zg_capture_flush(wire->capture, error);
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
    wire->arrived = g_byte_array_new();
    wire->opened_ns = zg_channel_now_ns();
    wire->real_us = g_get_real_time();
    if (open_by_kind(wire, error) && begin_capture(wire, error))
        return wire;
    (void)zg_wire_close(wire, NULL);
    return NULL;
}

bool zg_wire_close(struct zg_wire *wire, GError **error)
{
    bool good = true;

    if (!wire)
        return true;
    zg_channel_close(&wire->channel);
    if (wire->capture)
        good = zg_capture_close(wire->capture, error);
    zg_capture_reader_free(wire->replay);
    zg_simulated_free(wire->simulated);
    g_byte_array_unref(wire->unwritten);
    g_byte_array_unref(wire->arrived);
    zg_address_clear(&wire->address);
    g_free(wire);
    return good;
}

/* --- into the capture */

/* The line errors that the system has counted since the last record. */
static uint8_t new_line_errors(struct zg_wire *wire)
{
    struct zg_serial_errors now;
    const struct zg_serial_errors *before = &wire->captured;
    uint8_t flags = 0;

    if (wire->address.kind != ZG_ADDRESS_SERIAL || !zg_serial_errors(&wire->channel, &now))
        return 0;
    flags |= now.framing != before->framing ? ZG_LINE_FRAMING : 0;
    flags |= now.parity != before->parity ? ZG_LINE_PARITY : 0;
    flags |= now.overrun != before->overrun ? ZG_LINE_OVERRUN : 0;
    flags |= now.breaks != before->breaks ? ZG_LINE_BREAK : 0;
    wire->captured = now;
    return flags;
}

static bool record(struct zg_wire *wire, const struct zg_passage *passage, GError **error)
{
    if (!wire->capture)
        return true;
    const uint64_t now_ns = elapsed(wire);
    const bool to_device = passage->out != wire->settings.serves;
    if (passage->count > 0 &&
        !zg_capture_add(wire->capture, to_device ? ZG_CAPTURE_OUT : ZG_CAPTURE_IN, time_of_day(wire, passage->at_ns),
                        passage->out ? 0 : new_line_errors(wire), passage->bytes, passage->count, error))
        return false;
    if (now_ns - wire->flushed_ns < FLUSH_NS)
        return true;
    wire->flushed_ns = now_ns;
    return zg_capture_flush(wire->capture, error);
}

/* --- bytes */

/* The port vanished, or the other side closed. */
static bool lose(struct zg_wire *wire, long reason, GError **error)
{
    if (wire->address.kind != ZG_ADDRESS_SERIAL)
        return trouble(error, "%s: %s", wire->address.text,
                       reason == -ECONNRESET ? "the other side closed the connection" : g_strerror((int)-reason));
    zg_channel_close(&wire->channel);
    wire->gone = true;
    wire->look_ns = elapsed(wire) + LOOK_AGAIN_NS;
    g_byte_array_set_size(wire->unwritten, 0);
    notice(wire, "%s is gone; waiting for it to come back", wire->address.path);
    return true;
}

static bool look_again(struct zg_wire *wire)
{
    g_autoptr(GError) ignored = NULL;

    if (!wire->gone)
        return true;
    if (elapsed(wire) < wire->look_ns)
        return false;
    wire->look_ns = elapsed(wire) + LOOK_AGAIN_NS;
    if (!open_serial(wire, &ignored))
        return false;
    wire->gone = false;
    notice(wire, "%s is back", wire->address.path);
    return true;
}

static bool write_on(struct zg_wire *wire, GError **error)
{
    if (wire->unwritten->len == 0 || !wire->has_channel || wire->gone)
        return true;
    long count = zg_channel_write(&wire->channel, wire->unwritten->data, wire->unwritten->len);
    if (count < 0)
        return lose(wire, count, error);
    g_byte_array_remove_range(wire->unwritten, 0, (guint)count);
    return true;
}

static bool read_channel(struct zg_wire *wire, struct zg_passage *passage, GError **error)
{
    if (!look_again(wire))
        return true;
    if (!write_on(wire, error))
        return false;
    if (wire->gone)
        return true;
    long count = zg_channel_read(&wire->channel, wire->bytes, sizeof wire->bytes);
    if (count < 0)
        return lose(wire, count, error);
    passage->at_ns = elapsed(wire);
    passage->count = (size_t)count;
    return true;
}

static void read_simulated(struct zg_wire *wire, struct zg_passage *passage)
{
    g_byte_array_set_size(wire->arrived, 0);
    passage->at_ns = elapsed(wire);
    zg_simulated_run(wire->simulated, passage->at_ns, wire->arrived);
    passage->bytes = wire->arrived->data;
    passage->count = wire->arrived->len;
}

/* Whether the time of the record at hand has come. */
static bool is_time(const struct zg_wire *wire)
{
    return !wire->address.own_time || wire->record.at_ns - wire->first_ns <= elapsed(wire);
}

static void read_replay(struct zg_wire *wire, struct zg_passage *passage)
{
    g_autofree char *damage = NULL;
    const bool is_first = !wire->has_record && wire->first_ns == 0;

    if (!wire->has_record)
        wire->has_record = zg_capture_read(wire->replay, &wire->record, &damage);
    if (damage)
        notice(wire, "%s", damage);
    if (!wire->has_record) {
        wire->ended = true;
        return;
    }
    if (is_first)
        wire->first_ns = wire->record.at_ns;
    if (!is_time(wire))
        return;
    wire->has_record = false;
    if (wire->record.at_ns > wire->first_ns + wire->last_ns) /* the time of day may have been set back */
        wire->last_ns = wire->record.at_ns - wire->first_ns;
    passage->at_ns = wire->last_ns;
    if (wire->record.kind == ZG_CAPTURE_REMARK) {
        g_autofree char *remark = g_utf8_make_valid((const char *)wire->record.bytes, (gssize)wire->record.count);
        notice(wire, "capture: %s", remark);
        return;
    }
    passage->out = wire->record.kind == ZG_CAPTURE_OUT;
    passage->bytes = wire->record.bytes;
    passage->count = wire->record.count;
}

bool zg_wire_read(struct zg_wire *wire, struct zg_passage *passage, GError **error)
{
    *passage = (struct zg_passage){ .bytes = wire->bytes };
    if (wire->replay) {
        read_replay(wire, passage);
        return true;
    }
    if (wire->simulated)
        read_simulated(wire, passage);
    else if (!read_channel(wire, passage, error))
        return false;
    return record(wire, passage, error);
}

bool zg_wire_write(struct zg_wire *wire, const uint8_t *bytes, size_t count, GError **error)
{
    const struct zg_passage passage = { elapsed(wire), true, bytes, count };

    if (wire->replay)
        return trouble(error, "%s: a capture can only be read", wire->address.text);
    if (wire->simulated) {
        zg_simulated_give(wire->simulated, passage.at_ns, bytes, count);
        return record(wire, &passage, error);
    }
    if (wire->gone)
        return true; /* lost, as at a loose plug */
    g_byte_array_append(wire->unwritten, bytes, (guint)count);
    if (wire->unwritten->len > UNWRITTEN_MOST)
        return trouble(error, "%s: the other side has stopped taking bytes", wire->address.text);
    return record(wire, &passage, error) && write_on(wire, error);
}

size_t zg_wire_unwritten(const struct zg_wire *wire)
{
    return wire->unwritten->len;
}

void zg_wire_wait(struct zg_wire *wire, int extra, uint64_t ns)
{
    const struct zg_channel nothing = { .fd = -1, .listener = -1 };
    uint64_t most = wire->simulated ? STEP_NS : wire->gone ? LOOK_AGAIN_NS : ns;

    if (wire->replay) {
        if (!wire->has_record || is_time(wire))
            return;
        most = wire->record.at_ns - wire->first_ns - elapsed(wire);
    }
    zg_channel_wait(wire->has_channel && !wire->gone ? &wire->channel : &nothing, wire->unwritten->len > 0, extra,
                    MIN(ns, most));
}

uint64_t zg_wire_now_ns(const struct zg_wire *wire)
{
    return wire->replay && !wire->address.own_time ? wire->last_ns : elapsed(wire);
}

bool zg_wire_has_ended(const struct zg_wire *wire)
{
    return wire->ended;
}

bool zg_wire_is_replay(const struct zg_wire *wire)
{
    return wire->replay != NULL;
}

bool zg_wire_is_up(struct zg_wire *wire)
{
    return !wire->gone && (!wire->has_channel || zg_channel_is_open(&wire->channel));
}

bool zg_wire_errors(const struct zg_wire *wire, struct zg_serial_errors *errors)
{
    const struct zg_serial_errors *before = &wire->errors_before;
    struct zg_serial_errors now;

    if (!wire->has_channel || wire->gone || !zg_serial_errors(&wire->channel, &now))
        return false;
    *errors = (struct zg_serial_errors){ now.framing - before->framing, now.parity - before->parity,
                                         now.overrun - before->overrun, now.breaks - before->breaks,
                                         now.dropped - before->dropped };
    return true;
}

unsigned long zg_wire_baud(const struct zg_wire *wire)
{
    return wire->baud;
}

bool zg_wire_set_baud(struct zg_wire *wire, unsigned long baud)
{
    if (wire->address.kind != ZG_ADDRESS_SERIAL || wire->gone || zg_serial_set_baud(&wire->channel, baud) != 0)
        return false;
    wire->baud = baud;
    return true;
}

unsigned long zg_wire_host_baud(const struct zg_wire *wire)
{
    return wire->has_channel ? zg_channel_pty_baud(&wire->channel) : 0;
}

struct zg_simulated *zg_wire_simulated(const struct zg_wire *wire)
{
    return wire->simulated;
}
