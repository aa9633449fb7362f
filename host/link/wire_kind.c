/* SPDX-License-Identifier: MIT */
#include "link/wire_kind.h"

#include <string.h>

bool zg_wire_trouble(GError **error, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    if (error && !*error)
        *error = g_error_new_valist(ZG_WIRE_ERROR, ZG_WIRE_ERROR_TROUBLE, format, arguments);
    va_end(arguments);
    return false;
}

uint64_t zg_wire_elapsed(const struct zg_wire *wire)
{
    return zg_channel_now_ns() - wire->common->opened_ns;
}

uint8_t zg_wire_number(const struct zg_wire *wire)
{
    return (uint8_t)wire->settings.place.number;
}

uint64_t zg_wire_time_of_day(const struct zg_wire *wire, uint64_t at_ns)
{
    return (uint64_t)wire->common->real_us * 1000 + at_ns;
}

void zg_wire_notice(const struct zg_wire *wire, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    if (wire->settings.notice)
        wire->settings.notice(text, wire->settings.data);
    if (wire->common->capture)
        (void)zg_capture_add(wire->common->capture, ZG_CAPTURE_REMARK, zg_wire_number(wire),
                             zg_wire_time_of_day(wire, zg_wire_elapsed(wire)), 0, (const uint8_t *)text, strlen(text),
                             NULL);
}

/* What of a line no UART of a PC does; NULL: nothing. */
static const char *beyond_uarts(const struct zg_line *line, unsigned data_bits)
{
    return line->is_clocked                    ? "a clocked line"
           : line->idle_low                    ? "a line that idles low"
           : line->stop_opposite               ? "stop bits at another level than the idle one"
           : line->carrier_hz > 0              ? "a carrier"
           : line->msb_first && data_bits != 8 ? "characters of fewer than 8 bits with the most significant first"
           : data_bits < 5                     ? "fewer than 5 data bits"
                                               : NULL;
}

bool zg_wire_settings_fit(struct zg_wire *wire, const struct zg_serial_settings *settings, GError **error)
{
    const struct zg_line *line = &wire->settings.plan->definition->line;
    const char *beyond = beyond_uarts(line, settings->data_bits);

    if (beyond)
        return zg_wire_trouble(error,
                               "%s: the definition's line has %s, which a serial port cannot; sim: and captures can, "
                               "and on a board ports/soft_uart and ports/clocked",
                               wire->address.text, beyond);
    if (line->msb_first && !wire->turned)
        wire->turned = g_malloc(ZG_WIRE_PIECE);
    return true;
}
