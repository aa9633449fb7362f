/* SPDX-License-Identifier: MIT */
#include "live.h"

#include <signal.h>
#include <stdio.h>

#include "definition/words.h"
#include "device/simulated_wire.h"

static volatile sig_atomic_t stopped, poked;

static void note(int number)
{
    if (number == SIGUSR1)
        poked = 1;
    else
        stopped = 1;
}

void cli_catch_signals(void)
{
    struct sigaction action = { .sa_handler = note };

    (void)sigaction(SIGINT, &action, NULL);
    (void)sigaction(SIGTERM, &action, NULL);
    (void)sigaction(SIGHUP, &action, NULL); /* the terminal was closed: what was measured may be kept */
    (void)sigaction(SIGUSR1, &action, NULL);
    (void)signal(SIGPIPE, SIG_IGN); /* cli_finish() reports a closed output */
}

bool cli_stopped(void)
{
    return stopped != 0;
}

bool cli_was_poked(void)
{
    const bool was = poked != 0;
    poked = 0;
    return was;
}

bool cli_time(const struct cli_verb *verb, const char *option, const char *text, uint64_t *ns)
{
    if (!text || (zg_parse_time(text, ns) && *ns > 0))
        return true;
    cli_error(verb, "--%s: expected a time with its unit, such as 500us, 20ms, 10s, 10min or 24h, found \"%s\"", option,
              text);
    return false;
}

static void print_notice(const char *text, void *data)
{
    cli_error(data, "%s", text);
}

int cli_open(const struct cli_verb *verb, const char *link, struct zg_wire_settings *settings, struct zg_wire **wire)
{
    struct zg_address address;
    g_autoptr(GError) error = NULL;

    *wire = NULL;
    if (!zg_address_parse(link, &address, &error)) {
        cli_error(verb, "%s", error->message);
        return CLI_USAGE;
    }
    if (!settings->notice) {
        settings->notice = print_notice;
        settings->data = (void *)verb;
    }
    settings->simulated = &zg_simulated_wire;
    *wire = zg_wire_open(&address, settings, &error);
    zg_address_clear(&address);
    return *wire ? CLI_YES : cli_trouble(verb, error);
}

int cli_close(const struct cli_verb *verb, struct zg_wire *wire, int status)
{
    g_autoptr(GError) error = NULL;

    if (zg_wire_close(wire, &error) || status == CLI_TROUBLE)
        return status;
    return cli_trouble(verb, error);
}

int cli_trouble(const struct cli_verb *verb, const GError *error)
{
    cli_error(verb, "%s", error->message);
    return error->domain == ZG_WIRE_ERROR && error->code == ZG_WIRE_ERROR_USE ? CLI_USAGE : CLI_TROUBLE;
}

char **cli_join_page(int *argc, char **argv)
{
    GPtrArray *joined = g_ptr_array_new();

    for (int i = 0; i < *argc; i++) {
        const bool bare = strcmp(argv[i], "--page") == 0;
        const bool takes =
            bare && i + 1 < *argc && /* a port alone too, of which it is then said what is missing */
            g_regex_match_simple("^(localhost|[0-9.]*|\\[[0-9a-fA-F:.]+\\]):?[0-9]+$", argv[i + 1], 0, 0);
        g_ptr_array_add(joined, bare ? g_strconcat("--page=", takes ? argv[i + 1] : "", NULL) : g_strdup(argv[i]));
        i += takes;
    }
    *argc = (int)joined->len;
    g_ptr_array_add(joined, NULL);
    return (char **)g_ptr_array_free(joined, FALSE);
}
