/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include <string.h>

#include "start/start.h"

static void print_next(const char *path, const char *host)
{
    g_autofree char *name = g_path_get_basename(path), *definition = g_strdup_printf("%s.yaml", name);
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

/* The help of an option: "QUESTION: c (C11), python (Python 3); default c". Free with g_free(). */
static char *help_of(const char *question, const struct zg_start_choice *choices, unsigned count)
{
    g_autoptr(GString) text = g_string_new(question);

    for (unsigned i = 0; i < count; i++)
        g_string_append_printf(text, "%s%s (%s)", i == 0 ? ": " : ", ", choices[i].name, choices[i].meaning);
    g_string_append_printf(text, "; default %s", choices[0].name);
    return g_string_free(g_steal_pointer(&text), FALSE);
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    g_autofree char *board = NULL, *host = NULL;
    g_autofree char *boards = help_of("How the device meets its UART", zg_start_boards, zg_start_boards_length),
                    *hosts = help_of("Language of the PC's program", zg_start_hosts, zg_start_hosts_length);
    g_autoptr(GError) error = NULL;
    GOptionEntry entries[] = { { "board", 0, 0, G_OPTION_ARG_STRING, &board, boards, "KIND" },
                               { "host", 0, 0, G_OPTION_ARG_STRING, &host, hosts, "LANGUAGE" },
                               G_OPTION_ENTRY_NULL };

    if (!cli_parse(verb, entries, &argc, &argv, 1, 1))
        return CLI_USAGE;
    const char *language = host ? host : zg_start_hosts[0].name;
    if (zg_start(argv[1], board ? board : zg_start_boards[0].name, language, &error)) {
        print_next(argv[1], language);
        return cli_finish(verb, CLI_YES);
    }
    cli_error(verb, "%s", error->message);
    return g_error_matches(error, ZG_START_ERROR, ZG_START_ERROR_CHOICE) ? CLI_USAGE : CLI_TROUBLE;
}

const struct cli_verb cli_start = { "start", "NAME", "Makes a project: a definition, a device and a host that talk",
                                    "zeugma start gauge --board loop --host python", run };
