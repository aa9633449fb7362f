/* SPDX-License-Identifier: MIT */
#include "link/com_port.h"

#include <string.h>

/* Telnet's commands and options (RFC 854, 856, 858, 2217). */
enum { SE = 240, SB = 250, WILL, WONT, DO, DONT, IAC };
enum { BINARY = 0, GO_AHEAD_LESS = 3, COM_PORT = 44 };

/* COM port control, as sent by the client; the server's codes are greater by 100. */
enum {
    SET_BAUD = 1,
    SET_DATA_SIZE,
    SET_PARITY,
    SET_STOP_SIZE,
    SET_CONTROL,
    NOTIFY_LINE,
    NOTIFY_MODEM,
    SUSPEND,
    RESUME,
    SET_LINE_MASK,
    SET_MODEM_MASK,
    FROM_SERVER = 100
};

/* Values of SET_CONTROL. */
enum { FLOW_NONE = 1, FLOW_HARDWARE = 3, DTR_ON = 8, DTR_OFF, RTS_ON = 11, RTS_OFF };

/* Bits of NOTIFY_LINE. */
enum { LINE_OVERRUN = 2, LINE_PARITY = 4, LINE_FRAMING = 8, LINE_BREAK = 16 };

enum state { IN_DATA, AFTER_IAC, AFTER_VERB, IN_COMMAND, AFTER_IAC_IN_COMMAND };

static const char parities[] = " NOEMS"; /* at their codes */
static const uint8_t half_stops[] = { 0, 2, 4, 3 };

static void append(GByteArray *to, const uint8_t *bytes, size_t count)
{
    g_byte_array_append(to, bytes, (guint)count);
}

/* --- to the server */

static void agree(struct zg_com_port *port, uint8_t verb, uint8_t option)
{
    append(port->replies, (const uint8_t[]){ IAC, verb, option }, 3);
}

static void command(struct zg_com_port *port, uint8_t number, const uint8_t *value, size_t size)
{
    append(port->replies, (const uint8_t[]){ IAC, SB, COM_PORT, number }, 4);
    zg_com_port_give(value, size, port->replies);
    append(port->replies, (const uint8_t[]){ IAC, SE }, 2);
}

static void command_byte(struct zg_com_port *port, uint8_t number, uint8_t value)
{
    command(port, number, &value, 1);
}

void zg_com_port_give(const uint8_t *bytes, size_t count, GByteArray *sent)
{
    for (size_t i = 0; i < count; i++) {
        append(sent, &bytes[i], 1);
        if (bytes[i] == IAC)
            append(sent, &bytes[i], 1);
    }
}

void zg_com_port_begin(struct zg_com_port *port)
{
    *port = (struct zg_com_port){ .replies = g_byte_array_new() };
    agree(port, WILL, COM_PORT);
    agree(port, WILL, BINARY);
    agree(port, DO, BINARY);
    agree(port, WILL, GO_AHEAD_LESS);
    agree(port, DO, GO_AHEAD_LESS);
}

void zg_com_port_clear(struct zg_com_port *port)
{
    g_byte_array_unref(port->replies);
    *port = (struct zg_com_port){ 0 };
}

void zg_com_port_set_baud(struct zg_com_port *port, unsigned long baud)
{
    const uint8_t value[] = { (uint8_t)(baud >> 24), (uint8_t)(baud >> 16), (uint8_t)(baud >> 8), (uint8_t)baud };
    command(port, SET_BAUD, value, sizeof value);
}

static void set_level(struct zg_com_port *port, enum zg_level level, uint8_t on, uint8_t off)
{
    if (level != ZG_LEVEL_LEFT)
        command_byte(port, SET_CONTROL, level == ZG_LEVEL_ON ? on : off);
}

void zg_com_port_set(struct zg_com_port *port, const struct zg_serial_settings *settings)
{
    const char *parity = strchr(parities, settings->parity);
    const uint8_t *stops = memchr(half_stops, (int)settings->half_stops, sizeof half_stops);

    port->answered = 0;
    command_byte(port, SET_LINE_MASK, LINE_OVERRUN | LINE_PARITY | LINE_FRAMING | LINE_BREAK);
    command_byte(port, SET_MODEM_MASK, ZG_MODEM_CTS | ZG_MODEM_DSR | ZG_MODEM_RI | ZG_MODEM_CD);
    zg_com_port_set_baud(port, settings->baud);
    command_byte(port, SET_DATA_SIZE, (uint8_t)settings->data_bits);
    command_byte(port, SET_PARITY, (uint8_t)(parity - parities));
    command_byte(port, SET_STOP_SIZE, (uint8_t)(stops - half_stops));
    command_byte(port, SET_CONTROL, settings->flow ? FLOW_HARDWARE : FLOW_NONE);
    set_level(port, settings->dtr, DTR_ON, DTR_OFF);
    set_level(port, settings->rts, RTS_ON, RTS_OFF);
}

/* --- from the server */

static enum zg_agreement yes(bool agreed)
{
    return agreed ? ZG_AGREEMENT_YES : ZG_AGREEMENT_NO;
}

/* The server does, or does not do, what was asked for. Anything else that it offers is declined each time, which ends
 * the negotiation (RFC 854). */
static void take_agreement(struct zg_com_port *port, uint8_t option)
{
    const bool it_does = port->verb == WILL || port->verb == WONT;
    const bool agreed = port->verb == WILL || port->verb == DO;

    if (option == BINARY)
        *(it_does ? &port->binary_in : &port->binary_out) = yes(agreed);
    else if (option == COM_PORT && !it_does)
        port->control = yes(agreed);
    else if (option == COM_PORT && agreed)
        agree(port, DO, COM_PORT);
    else if (option != GO_AHEAD_LESS && agreed)
        agree(port, it_does ? DONT : WONT, option);
}

static void count_errors(struct zg_serial_errors *errors, uint8_t line)
{
    errors->overrun += (line & LINE_OVERRUN) != 0;
    errors->parity += (line & LINE_PARITY) != 0;
    errors->framing += (line & LINE_FRAMING) != 0;
    errors->breaks += (line & LINE_BREAK) != 0;
}

/* COM_PORT, a command's code, its value. Commands that are too short are ignored. */
static void take_command(struct zg_com_port *port)
{
    const uint8_t *value = port->command + 2;
    const unsigned number = port->command_size >= 2 && port->command[0] == COM_PORT ? port->command[1] : 0;
    const unsigned size = number ? port->command_size - 2 : 0;

    if (number == FROM_SERVER + SUSPEND || number == FROM_SERVER + RESUME)
        port->is_held = number == FROM_SERVER + SUSPEND;
    if (size < (number == FROM_SERVER + SET_BAUD ? 4U : 1U))
        return;
    switch (number) {
    case FROM_SERVER + SET_BAUD:
        port->baud = ((unsigned long)value[0] << 24) + ((unsigned long)value[1] << 16) +
                     ((unsigned long)value[2] << 8) + value[3];
        port->answered |= ZG_COM_BAUD;
        break;
    case FROM_SERVER + SET_DATA_SIZE:
        port->data_bits = value[0];
        port->answered |= ZG_COM_DATA_BITS;
        break;
    case FROM_SERVER + SET_PARITY:
        port->parity = value[0] < sizeof parities - 1 ? parities[value[0]] : ' ';
        port->answered |= ZG_COM_PARITY;
        break;
    case FROM_SERVER + SET_STOP_SIZE:
        port->half_stops = value[0] < sizeof half_stops ? half_stops[value[0]] : 0;
        port->answered |= ZG_COM_STOPS;
        break;
    case FROM_SERVER + SET_CONTROL:
        if (value[0] <= FLOW_HARDWARE) {
            port->flow = value[0] == FLOW_HARDWARE;
            port->answered |= ZG_COM_FLOW;
        }
        break;
    case FROM_SERVER + NOTIFY_LINE: count_errors(&port->errors, value[0]); break;
    case FROM_SERVER + NOTIFY_MODEM:
        port->modem = value[0] & (ZG_MODEM_CTS | ZG_MODEM_DSR | ZG_MODEM_RI | ZG_MODEM_CD);
        port->modem_reports++;
        break;
    default: break;
    }
}

/* After IAC in data. */
static enum state take_verb(struct zg_com_port *port, uint8_t byte, GByteArray *data)
{
    if (byte == IAC)
        append(data, &byte, 1);
    port->verb = byte;
    port->command_size = 0;
    return byte == SB ? IN_COMMAND : byte >= WILL && byte <= DONT ? AFTER_VERB : IN_DATA;
}

/* The rest of a command longer than any known one is dropped. */
static void gather(struct zg_com_port *port, uint8_t byte)
{
    if (port->command_size < sizeof port->command)
        port->command[port->command_size++] = byte;
}

static enum state take(struct zg_com_port *port, uint8_t byte, GByteArray *data)
{
    switch ((enum state)port->state) {
    case AFTER_IAC: return take_verb(port, byte, data);
    case AFTER_VERB: take_agreement(port, byte); return IN_DATA;
    case IN_COMMAND:
        if (byte == IAC)
            return AFTER_IAC_IN_COMMAND;
        gather(port, byte);
        return IN_COMMAND;
    case AFTER_IAC_IN_COMMAND:
        if (byte == IAC) {
            gather(port, byte);
            return IN_COMMAND;
        }
        if (byte == SE) {
            take_command(port);
            return IN_DATA;
        }
        return take_verb(port, byte, data); /* the end of the command is missing */
    default: break;
    }
    if (byte == IAC)
        return AFTER_IAC;
    append(data, &byte, 1);
    return IN_DATA;
}

void zg_com_port_take(struct zg_com_port *port, const uint8_t *bytes, size_t count, GByteArray *data)
{
    for (size_t i = 0; i < count; i++)
        port->state = take(port, bytes[i], data);
}
