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
    return zg_channel_now_ns() - wire->opened_ns;
}

uint64_t zg_wire_time_of_day(const struct zg_wire *wire, uint64_t at_ns)
{
    return (uint64_t)wire->real_us * 1000 + at_ns;
}

void zg_wire_notice(const struct zg_wire *wire, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    if (wire->settings.notice)
        wire->settings.notice(text, wire->settings.data);
    if (wire->capture)
        (void)zg_capture_add(wire->capture, ZG_CAPTURE_REMARK, zg_wire_time_of_day(wire, zg_wire_elapsed(wire)), 0,
                             (const uint8_t *)text, strlen(text), NULL);
}

bool zg_wire_settings_fit(const struct zg_wire *wire, const struct zg_serial_settings *settings, GError **error)
{
    return settings->data_bits <= 8 ||
           zg_wire_trouble(error, "%s: no serial port of a PC has %u data bits; give another number with ?format=",
                           wire->address.text, settings->data_bits);
}
