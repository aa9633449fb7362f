/* SPDX-License-Identifier: MIT */
/* rfc2217: a serial port of another machine, behind a server of that standard. */
#include <errno.h>
#include <string.h>

#include "link/com_port.h"
#include "link/wire_kind.h"

enum { STEP_NS = 20000000 };
#define OPEN_NS 5000000000U

struct remote {
    struct zg_com_port port;
    GByteArray *data; /* received, not handed out yet */
    /* how many reports of modem lines the user has seen */
    unsigned modem_reports;
    uint8_t modem;
};

static const char *on_or_off(uint8_t modem, uint8_t line)
{
    return modem & line ? "on" : "off";
}

/* Reports lines that went on or off. CTS, if it controls the flow, is not worth a report. */
static void report_modem(struct zg_wire *wire)
{
    struct remote *remote = wire->own;
    const uint8_t modem = remote->port.modem;
    const unsigned quiet = wire->address.flow ? ZG_MODEM_CTS : 0;
    const unsigned news = (unsigned)(modem ^ remote->modem) & ~quiet;

    if (remote->port.modem_reports == remote->modem_reports)
        return;
    if (remote->modem_reports > 0 && news)
        zg_wire_notice(wire, "%s: modem lines changed: CTS %s, DSR %s, CD %s, RI %s", wire->address.text,
                       on_or_off(modem, ZG_MODEM_CTS), on_or_off(modem, ZG_MODEM_DSR), on_or_off(modem, ZG_MODEM_CD),
                       on_or_off(modem, ZG_MODEM_RI));
    remote->modem_reports = remote->port.modem_reports;
    remote->modem = modem;
}

/* Sends what is waiting, unless the server takes nothing at present. */
static long write_on(struct zg_wire *wire)
{
    const struct remote *remote = wire->own;
    GByteArray *replies = remote->port.replies;

    g_byte_array_append(wire->unwritten, replies->data, replies->len);
    g_byte_array_set_size(replies, 0);
    return remote->port.is_held ? 0 : zg_wire_channel_write_on(wire);
}

static long read_on(struct zg_wire *wire, struct zg_passage *passage)
{
    struct remote *remote = wire->own;
    const long reason = zg_wire_channel_read(wire, passage);

    if (reason)
        return reason;
    g_byte_array_set_size(remote->data, 0);
    zg_com_port_take(&remote->port, passage->bytes, passage->count, remote->data);
    passage->bytes = remote->data->data;
    passage->count = remote->data->len;
    report_modem(wire);
    return write_on(wire);
}

static struct zg_channel_wanted remote_wanted(const struct zg_wire *wire, uint64_t ns)
{
    const struct remote *remote = wire->own;
    const bool to_write = wire->unwritten->len > 0 && !remote->port.is_held;

    return zg_channel_wanted(&wire->channel, to_write, ns);
}

static bool has_agreed(const struct zg_com_port *port)
{
    return port->control != ZG_AGREEMENT_OPEN && port->binary_in != ZG_AGREEMENT_OPEN &&
           port->binary_out != ZG_AGREEMENT_OPEN;
}

static bool has_answered(const struct zg_com_port *port)
{
    return port->answered == ZG_COM_ALL;
}

static void wait_for(const struct zg_wire *wire)
{
    const struct zg_channel_wanted wanted = remote_wanted(wire, STEP_NS);

    zg_channels_wait(&wanted, 1, -1);
}

/* Waits until `is_so` holds. Data that comes meanwhile is dropped: it was received with other settings. False: the time
 * is over, or the connection. */
static bool await(struct zg_wire *wire, bool (*is_so)(const struct zg_com_port *port), GError **error)
{
    const struct remote *remote = wire->own;
    const uint64_t until_ns = zg_wire_elapsed(wire) + OPEN_NS;
    struct zg_passage passage;

    while (!is_so(&remote->port) && zg_wire_elapsed(wire) < until_ns) {
        const long reason = read_on(wire, &passage);
        if (reason)
            return zg_wire_channel_lost(wire, reason, error);
        if (!is_so(&remote->port))
            wait_for(wire);
    }
    return true;
}

static bool agree(struct zg_wire *wire, GError **error)
{
    const struct zg_com_port *port = &((const struct remote *)wire->own)->port;
    const char *text = wire->address.text, *host = strchr(text, ':') + 1;

    if (!await(wire, has_agreed, error))
        return false;
    if (port->control == ZG_AGREEMENT_OPEN && port->binary_in == ZG_AGREEMENT_OPEN &&
        port->binary_out == ZG_AGREEMENT_OPEN)
        return zg_wire_trouble(error,
                               "%s: the server there does not answer as a Telnet server within 5 s; if it passes bytes "
                               "on unchanged, use tcp:%s",
                               text, host);
    if (port->control != ZG_AGREEMENT_YES)
        return zg_wire_trouble(
            error, "%s: this Telnet server does not offer control of a port (RFC 2217); enable it in its configuration",
            text);
    if (port->binary_in != ZG_AGREEMENT_YES || port->binary_out != ZG_AGREEMENT_YES)
        return zg_wire_trouble(error,
                               "%s: this server does not pass all byte values (Telnet's option BINARY, RFC 856); "
                               "enable that in its configuration",
                               text);
    return true;
}

/* The settings as options of a LINK. */
static char *format_of(unsigned data_bits, char parity, unsigned half_stops, bool flow)
{
    static const char *const stops[] = { "?", "?", "1", "1.5", "2" };

    return g_strdup_printf("format=%u%c%s&flow=%s", data_bits, parity, stops[half_stops], flow ? "rts_cts" : "none");
}

/* Whether the server has set the port to what was wanted. */
static bool check_settings(const struct zg_wire *wire, const struct zg_serial_settings *wanted, GError **error)
{
    const struct zg_com_port *port = &((const struct remote *)wire->own)->port;
    const char *text = wire->address.text;

    if (port->answered != ZG_COM_ALL)
        return zg_wire_trouble(error, "%s: the server has not reported the port's settings within 5 s", text);
    if (!zg_serial_is_near(port->baud, wanted->baud))
        return zg_wire_trouble(error,
                               "%s runs at %lu baud, not at the %lu wanted; choose a speed that it can produce, with "
                               "?baud= and on the device as well",
                               text, port->baud, wanted->baud);
    if (port->data_bits == wanted->data_bits && port->parity == wanted->parity &&
        port->half_stops == wanted->half_stops && port->flow == wanted->flow)
        return true;
    g_autofree char *asked = format_of(wanted->data_bits, wanted->parity, wanted->half_stops, wanted->flow);
    g_autofree char *has = format_of(port->data_bits, port->parity, port->half_stops, port->flow);
    return zg_wire_trouble(error, "%s is set to %s, not to the %s wanted; give another format or flow with the LINK",
                           text, has, asked);
}

static bool open_remote(struct zg_wire *wire, GError **error)
{
    const struct zg_serial_settings wanted =
        zg_address_settings(&wire->address, &wire->settings.plan->definition->line);
    struct remote *remote = g_new0(struct remote, 1);

    wire->own = remote;
    remote->data = g_byte_array_new();
    zg_com_port_begin(&remote->port);
    if (!zg_wire_settings_fit(wire, &wanted, error))
        return false;
    const int reason = zg_channel_connect_tcp(&wire->channel, wire->address.path, wire->address.port);
    if (reason)
        return zg_wire_explain_channel(wire, -reason, error);
    if (!agree(wire, error))
        return false;
    zg_com_port_set(&remote->port, &wanted);
    wire->baud = wanted.baud;
    return await(wire, has_answered, error) && check_settings(wire, &wanted, error);
}

static void close_remote(struct zg_wire *wire)
{
    struct remote *remote = wire->own;

    zg_wire_channel_close(wire);
    zg_com_port_clear(&remote->port);
    g_byte_array_unref(remote->data);
    g_free(remote);
}

static bool read_remote(struct zg_wire *wire, struct zg_passage *passage, GError **error)
{
    const long reason = read_on(wire, passage);
    return reason == 0 || zg_wire_channel_lost(wire, reason, error);
}

static bool write_remote(struct zg_wire *wire, const uint8_t *bytes, size_t count, GError **error)
{
    zg_com_port_give(bytes, count, wire->unwritten);
    if (!zg_wire_channel_has_room(wire, error))
        return false;
    const long reason = write_on(wire);
    return reason == 0 || zg_wire_channel_lost(wire, reason, error);
}

static bool errors_of(const struct zg_wire *wire, struct zg_serial_errors *errors)
{
    const struct remote *remote = wire->own;

    *errors = remote->port.errors;
    return true;
}

static bool set_baud(struct zg_wire *wire, unsigned long baud)
{
    struct remote *remote = wire->own;

    zg_com_port_set_baud(&remote->port, baud);
    return write_on(wire) == 0; /* bytes read at the old speed may still be on their way */
}

const struct zg_wire_kind zg_wire_rfc2217 = { .open = open_remote,
                                              .close = close_remote,
                                              .read = read_remote,
                                              .write = write_remote,
                                              .wanted = remote_wanted,
                                              .is_up = zg_wire_channel_is_up,
                                              .errors = errors_of,
                                              .set_baud = set_baud };
