/* SPDX-License-Identifier: MIT */
#include "link/address.h"

#include <string.h>
#include <sys/stat.h>

#include "definition/words.h"

static const struct kind {
    const char *word;
    const char *form;
    bool has_port; /* HOST:PORT follows the word */
} kinds[] = {
    [ZG_ADDRESS_SERIAL] = { "serial", "serial:/dev/ttyUSB0", false },
    [ZG_ADDRESS_RFC2217] = { "rfc2217", "rfc2217:HOST:PORT", true },
    [ZG_ADDRESS_PTY] = { "pty", "pty:PATH", false },
    [ZG_ADDRESS_UNIX] = { "unix", "unix:PATH", false },
    [ZG_ADDRESS_TCP] = { "tcp", "tcp:HOST:PORT", true },
    [ZG_ADDRESS_UDP] = { "udp", "udp:HOST:PORT", true },
    [ZG_ADDRESS_FILE] = { "file", "file:CAPTURE", false },
    [ZG_ADDRESS_SIM] = { "sim", "sim:", false },
};

const char *zg_address_word(enum zg_address_kind kind)
{
    return kinds[kind].word;
}

static bool fail(GError **error, const char *format, ...) G_GNUC_PRINTF(2, 3);

static bool fail(GError **error, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    if (error)
        *error = g_error_new_valist(ZG_ADDRESS_ERROR, 0, format, arguments);
    va_end(arguments);
    return false;
}

static bool read_format(const char *value, struct zg_address *address)
{
    return value[0] >= '5' && value[0] <= '8' &&
           zg_parse_format(value, &address->data_bits, &address->parity, &address->half_stops);
}

static bool read_baud(const char *value, struct zg_address *address)
{
    uint64_t baud;

    if (!zgi_parse_unsigned(value, &baud) || baud < 1 || baud > 100000000)
        return false;
    address->baud = (unsigned long)baud;
    return true;
}

static bool read_flow(const char *value, struct zg_address *address)
{
    address->flow = strcmp(value, "rts_cts") == 0;
    return address->flow || strcmp(value, "none") == 0;
}

static bool read_level(const char *value, enum zg_level *level)
{
    *level = strcmp(value, "on") == 0 ? ZG_LEVEL_ON : ZG_LEVEL_OFF;
    return *level == ZG_LEVEL_ON || strcmp(value, "off") == 0;
}

static bool read_dtr(const char *value, struct zg_address *address)
{
    return read_level(value, &address->dtr);
}

static bool read_rts(const char *value, struct zg_address *address)
{
    return read_level(value, &address->rts);
}

static bool read_pace(const char *value, struct zg_address *address)
{
    address->own_time = strcmp(value, "own") == 0;
    return address->own_time || strcmp(value, "full") == 0;
}

/* Which kinds have an option, one bit for each. */
enum { UART = 1 << ZG_ADDRESS_SERIAL | 1 << ZG_ADDRESS_RFC2217, CAPTURE = 1 << ZG_ADDRESS_FILE };

static const struct option {
    unsigned kinds;
    const char *name;
    bool (*read)(const char *value, struct zg_address *address);
    const char *expected;
} options[] = {
    { UART, "baud", read_baud, "a number from 1 to 100000000" },
    { UART, "format", read_format, "5 to 8 data bits, parity N, E, O, M or S, 1, 1.5 or 2 stop bits: 8N1" },
    { UART, "flow", read_flow, "rts_cts or none" },
    { UART, "dtr", read_dtr, "on or off" },
    { UART, "rts", read_rts, "on or off" },
    { CAPTURE, "pace", read_pace, "own or full" },
};

/* option = name "=" value */
static bool read_option(char *text, struct zg_address *address, GError **error)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();
    char *value = strchr(text, '=');

    if (value)
        *value++ = '\0';
    for (size_t i = 0; i < G_N_ELEMENTS(options); i++) {
        if ((options[i].kinds >> address->kind & 1) == 0)
            continue;
        g_ptr_array_add(names, (gpointer)options[i].name);
        if (strcmp(options[i].name, text) != 0)
            continue;
        return (value && options[i].read(value, address)) ||
               fail(error, "%s: %s: expected %s, found \"%s\"", address->text, text, options[i].expected,
                    value ? value : "");
    }
    if (names->len == 0)
        return fail(error, "%s: this kind of link has no options, found \"%s\"", address->text, text);
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(text, (const char *const *)names->pdata);
    return fail(error, "%s: unknown option \"%s\"%s", address->text, text, hint);
}

/* place = host ":" port; the host may be in brackets */
static bool read_place(char *rest, struct zg_address *address, GError **error)
{
    char *colon = strrchr(rest, ':');
    uint64_t port;

    if (!colon || colon == rest || !zgi_parse_unsigned(colon + 1, &port) || port < 1 || port > 65535)
        return fail(error, "%s: expected a host and a port from 1 to 65535, such as %s:localhost:4000", address->text,
                    kinds[address->kind].word);
    *colon = '\0';
    if (rest[0] == '[' && colon[-1] == ']') {
        colon[-1] = '\0';
        rest++;
    }
    address->path = g_strdup(rest);
    address->port = g_strdup(colon + 1);
    return true;
}

/* The kind of link that a bare path, or host and port, most probably is. NULL: none. */
static const char *kind_of_path(const char *text)
{
    const char *colon = strrchr(text, ':');
    struct stat status;

    if (g_str_has_prefix(text, "/dev/"))
        return "serial";
    if (text[0] != '\0' && stat(text, &status) == 0)
        return S_ISSOCK(status.st_mode)  ? "unix"
               : S_ISCHR(status.st_mode) ? "serial"
               : S_ISREG(status.st_mode) ? "file"
                                         : NULL;
    if (colon && colon > text && colon[1] != '\0' && strspn(colon + 1, "0123456789") == strlen(colon + 1) &&
        strchr(text, '.'))
        return "tcp";
    return NULL;
}

static bool fail_form(const char *text, GError **error)
{
    g_autoptr(GString) forms = g_string_new(NULL);

    for (size_t i = 0; i < G_N_ELEMENTS(kinds); i++)
        g_string_append_printf(forms, "%s%s",
                               i == 0                         ? ""
                               : i + 1 == G_N_ELEMENTS(kinds) ? " or "
                                                              : ", ",
                               kinds[i].form);
    const char *kind = kind_of_path(text);
    if (kind)
        return fail(error, "\"%s\" is no link; did you mean \"%s:%s\"?", text, kind, text);
    return fail(error, "\"%s\" is no link; expected %s", text, forms->str);
}

/* link = kind ":" [ place ] [ "?" option { "&" option } ] */
static bool parse(const char *text, struct zg_address *address, GError **error)
{
    const char *colon = strchr(text, ':');
    const char *query = strchr(text, '?');
    g_autofree char *word = g_strndup(text, colon ? (gsize)(colon - text) : 0);
    size_t kind = 0;

    while (kind < G_N_ELEMENTS(kinds) && strcmp(kinds[kind].word, word) != 0)
        kind++;
    if (!colon || kind == G_N_ELEMENTS(kinds))
        return fail_form(text, error);
    address->kind = (enum zg_address_kind)kind;
    address->text = query ? g_strndup(text, (gsize)(query - text)) : g_strdup(text);
    g_autofree char *rest = g_strdup(strchr(address->text, ':') + 1);
    if ((rest[0] == '\0') != (kind == ZG_ADDRESS_SIM))
        return fail_form(text, error);
    if (kinds[kind].has_port) {
        if (!read_place(rest, address, error))
            return false;
    } else {
        address->path = g_steal_pointer(&rest);
    }
    if (!query)
        return true;
    g_auto(GStrv) parts = g_strsplit(query + 1, "&", -1);
    for (char **part = parts; *part; part++)
        if (!read_option(*part, address, error))
            return false;
    return true;
}

bool zg_address_parse(const char *text, struct zg_address *address, GError **error)
{
    memset(address, 0, sizeof *address);
    if (parse(text, address, error))
        return true;
    zg_address_clear(address);
    return false;
}

void zg_address_clear(struct zg_address *address)
{
    g_free(address->text);
    g_free(address->path);
    g_free(address->port);
    memset(address, 0, sizeof *address);
}

struct zg_serial_settings zg_address_settings(const struct zg_address *address, const struct zg_line *line)
{
    const bool given = address->parity != 0;

    return (struct zg_serial_settings){ address->baud ? address->baud : (unsigned long)line->baud,
                                        given ? address->data_bits : line->data_bits,
                                        given ? address->parity : line->parity,
                                        given ? address->half_stops : line->half_stops,
                                        address->flow,
                                        address->dtr,
                                        address->rts };
}
