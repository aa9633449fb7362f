/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include <string.h>

#include "start/start.h"

static void print_next(const char *path, const char *host)
{
    g_autofree char *name = g_path_get_basename(path);

    g_autofree char *definition = g_strdup_printf("%s.yaml", name);
    g_autofree char *program = g_strdup_printf("host/host.%s", strcmp(host, "python") == 0 ? "py" : host);

    const int width = (int)MAX(strlen(definition), strlen("device/device.c")) + 2;

    cli_print("%s has a definition, a device and a host that talk. Next:\n\n"
              "  cd %s && make run\n"
              "      both on this PC, for ten seconds\n\n"
              "  %-*sthe messages: change them, then make run again\n"
              "  %-*swhat the device does\n"
              "  %-*syour board's clock and UART: fill in what is marked FILL IN\n"
              "  %-*swhat the PC does\n\n"
              "With a board on a port: zeugma watch %s serial:/dev/ttyUSB0\n",
              path, path, width, definition, width, "device/device.c", width, "device/board.c", width, program,
              definition);
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    g_autofree char *board = NULL, *host = NULL;
    g_autoptr(GError) error = NULL;
    GOptionEntry entries[] = {
        { "board", 0, 0, G_OPTION_ARG_STRING, &board,
          "How the device meets its UART: interrupt, loop (asks it for bytes) or dma; default interrupt", "KIND" },
        { "host", 0, 0, G_OPTION_ARG_STRING, &host, "Language of the PC's program: c or python; default c",
          "LANGUAGE" },
        G_OPTION_ENTRY_NULL
    };

    if (!cli_parse(verb, entries, &argc, &argv, 1, 1))
        return CLI_USAGE;
    if (zg_start(argv[1], board ? board : "interrupt", host ? host : "c", &error)) {
        print_next(argv[1], host ? host : "c");
        return cli_finish(verb, CLI_YES);
    }
    cli_error(verb, "%s", error->message);
    return g_error_matches(error, ZG_START_ERROR, ZG_START_ERROR_CHOICE) ? CLI_USAGE : CLI_TROUBLE;
}

const struct cli_verb cli_start = { "start", "NAME", "Makes a project: a definition, a device and a host that talk",
                                    "zeugma start gauge --board loop --host python", run };
