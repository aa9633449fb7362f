/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include "codec/json.h"
#include "posix/serial.h"

struct listing {
    struct zg_json json;
    bool as_json;
};

static void print_text(const struct zg_serial_port *port)
{
    char holder[64];
    long process = zg_serial_holder(port->path, holder, sizeof holder);

    cli_print("%-14s", port->path);
    if (port->product[0] != '\0' || port->maker[0] != '\0')
        cli_print("  %s%s%s", port->maker, port->maker[0] != '\0' && port->product[0] != '\0' ? " " : "",
                  port->product);
    if (port->ids[0] != '\0')
        cli_print("  [%s]", port->ids);
    if (port->serial[0] != '\0')
        cli_print("  no. %s", port->serial);
    if (port->driver[0] != '\0')
        cli_print("  (%s)", port->driver);
    cli_print("\n");
    if (port->stable[0] != '\0')
        cli_print("%16s%s\n", "", port->stable);
    if (process > 0)
        cli_print("%16sin use by %s (process %ld)\n", "", holder, process);
    if (!port->may_open)
        cli_print(
            "%16syou may not open it; it belongs to the group %s: sudo usermod -aG %s $USER, then log out and in\n", "",
            port->group, port->group);
}

static void add_text(struct zg_json *json, const char *key, const char *text)
{
    g_autofree char *valid = g_utf8_make_valid(text, -1);

    if (text[0] != '\0')
        zg_json_string(json, key, valid);
}

static void print_json(struct zg_json *json, const struct zg_serial_port *port)
{
    char holder[64];
    long process = zg_serial_holder(port->path, holder, sizeof holder);

    zg_json_open(json, NULL, '{');
    zg_json_string(json, "path", port->path);
    add_text(json, "maker", port->maker);
    add_text(json, "product", port->product);
    add_text(json, "usb_id", port->ids);
    add_text(json, "serial", port->serial);
    add_text(json, "driver", port->driver);
    add_text(json, "stable", port->stable);
    add_text(json, "group", port->group);
    zg_json_bool(json, "may_open", port->may_open);
    if (process > 0) {
        zg_json_string(json, "used_by", holder);
        zg_json_unsigned(json, "process", (uint64_t)process);
    }
    zg_json_close(json, '}');
}

static void list_port(const struct zg_serial_port *port, void *data)
{
    struct listing *listing = data;

    if (listing->as_json)
        print_json(&listing->json, port);
    else
        print_text(port);
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    gboolean as_json = FALSE;
    g_autofree char *root = NULL;
    GOptionEntry entries[] = { { "root", 0, G_OPTION_FLAG_HIDDEN, G_OPTION_ARG_FILENAME, &root,
                                 "Look below another folder, as if it were /", "FOLDER" },
                               { "json", 0, 0, G_OPTION_ARG_NONE, &as_json, "Print one JSON document", NULL },
                               G_OPTION_ENTRY_NULL };

    if (!cli_parse(verb, entries, &argc, &argv, 0, 0))
        return CLI_USAGE;
    struct listing listing = { .as_json = as_json };
    zg_json_begin(&listing.json, true);
    zg_json_open(&listing.json, NULL, '[');
    int count = zg_serial_list(root ? root : "", list_port, &listing);
    zg_json_close(&listing.json, ']');
    g_autofree char *text = zg_json_end(&listing.json);
    if (count < 0)
        cli_error(verb, "cannot list the ports: %s", g_strerror(-count));
    else if (as_json)
        cli_print("%s\n", text);
    else if (count == 0)
        cli_print("no serial port; is it plugged in? (sudo dmesg shows what the system found)\n");
    return cli_finish(verb, count < 0 ? CLI_TROUBLE : CLI_YES);
}

const struct cli_verb cli_ports = { "ports", "", "Lists serial ports and what is known about them", "zeugma ports",
                                    run };
