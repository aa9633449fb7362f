/* SPDX-License-Identifier: MIT */
#include <unistd.h>

#include "device/simulated.h"
#include "live.h"
#include "soak/faults.h"

enum { STALLED_MOST = 262144 }; /* bytes that wait for a reader; more are lost, as on a line */

struct options {
    char *on, *faults, *restart, *duration, *capture;
    gint64 seed, baud;
    gint address;
    gboolean busy, as_json;
};

static bool read_settings(const struct cli_verb *verb, const struct options *options, struct zg_faults *faults,
                          struct zg_simulated_settings *sim, uint64_t *duration_ns)
{
    g_autoptr(GError) error = NULL;

    *sim = (struct zg_simulated_settings){ .seed = (uint64_t)options->seed,
                                           .baud = (uint64_t)options->baud,
                                           .address = (zg_header_number)options->address,
                                           .busy = options->busy };
    if (options->baud < 0 || options->baud > 100000000) {
        cli_error(verb, "--baud: expected a number from 1 to 100000000, found %" G_GINT64_FORMAT, options->baud);
        return false;
    }
    if (options->faults && !zg_faults_parse(options->faults, faults, &error)) {
        cli_error(verb, "--faults: %s", error->message);
        return false;
    }
    if (!zg_faults_possible(faults, ZG_FAULTS_AT_DEVICE)) {
        g_autofree char *good = zg_faults_names(ZG_FAULTS_AT_DEVICE, true),
                        *others = zg_faults_names(ZG_FAULTS_AT_DEVICE, false);
        cli_error(verb, "--faults: a simulated device can make %s; %s are for zeugma soak sim:", good, others);
        return false;
    }
    sim->out = faults->way[0].line;
    sim->in = faults->way[1].line;
    sim->restarts = (struct zg_spell){ .rate = faults->way[1].restart };
    sim->blackouts = faults->way[1].blackout;
    sim->masks = faults->way[1].mask;
    sim->fifo = (unsigned)faults->way[1].fifo;
    return cli_time(verb, "restart", options->restart, &sim->restart_ns) &&
           cli_time(verb, "for", options->duration, duration_ns);
}

/* Whether the faults are of this kind of link. */
static bool suit(const struct cli_verb *verb, const struct zg_faults *faults, bool packets)
{
    g_autofree char *unfit = zg_faults_unfit(faults, packets);

    if (unfit)
        cli_error(verb,
                  packets ? "--faults: not for this link, which keeps packets apart: %s"
                          : "--faults: not for this link, which is a stream of bytes: %s",
                  unfit);
    return !unfit;
}

static int pass(const struct cli_verb *verb, struct zg_wire *wire, struct zg_simulated *device, GByteArray *left)
{
    g_autoptr(GError) error = NULL;
    struct zg_passage passage;

    if (!zg_wire_read(wire, &passage, &error))
        return cli_trouble(verb, error);
    const uint64_t now_ns = zg_wire_now_ns(wire);
    zg_simulated_set_host_baud(device, zg_wire_host_baud(wire));
    if (passage.count > 0)
        zg_simulated_give(device, now_ns, passage.bytes, passage.count);
    g_byte_array_set_size(left, 0);
    zg_simulated_run(device, now_ns, left);
    if (left->len > 0 && zg_wire_unwritten(wire) < STALLED_MOST && !zg_wire_write(wire, left->data, left->len, &error))
        return cli_trouble(verb, error);
    return CLI_YES;
}

static void print_totals(const struct zg_simulated *device, double seconds, bool as_json)
{
    const struct zg_simulated_totals totals = zg_simulated_totals(device);

    cli_print(as_json ? "{\"seconds\":%.3f,\"frames_out\":%" G_GUINT64_FORMAT ",\"frames_in\":%" G_GUINT64_FORMAT
                        ",\"bytes_out\":%" G_GUINT64_FORMAT ",\"bytes_in\":%" G_GUINT64_FORMAT
                        ",\"restarts\":%" G_GUINT64_FORMAT "}\n"
                      : "ran %.1f s: %" G_GUINT64_FORMAT " frames out, %" G_GUINT64_FORMAT " in; %" G_GUINT64_FORMAT
                        " bytes out, %" G_GUINT64_FORMAT " in; %" G_GUINT64_FORMAT " restarts\n",
              seconds, totals.frames_out, totals.frames_in, totals.bytes_out, totals.bytes_in, totals.restarts);
}

static int simulate(const struct cli_verb *verb, const struct zg_plan *plan, const struct options *options,
                    const struct zg_simulated_settings *sim, uint64_t duration_ns)
{
    struct zg_wire_settings settings = { .plan = plan, .serves = true, .capture = options->capture };
    struct zg_wire *wire;
    int status = cli_open(verb, options->on, &settings, &wire);

    if (status != CLI_YES)
        return status;
    struct zg_simulated *device = zg_simulated_new(plan, sim, zg_wire_now_ns(wire));
    g_autoptr(GByteArray) left = g_byte_array_new();
    cli_error(verb, "a device of %s %u.%u is on %s; Ctrl-C ends it, kill -USR1 %d restarts it",
              plan->definition->protocol, plan->definition->major, plan->definition->minor, options->on, (int)getpid());
    while (status == CLI_YES && !cli_stopped() && (duration_ns == 0 || zg_wire_now_ns(wire) < duration_ns)) {
        if (cli_was_poked())
            zg_simulated_restart(device);
        status = pass(verb, wire, device, left);
        zg_wire_wait(wire, -1, 1000000);
    }
    print_totals(device, (double)zg_wire_now_ns(wire) / 1e9, options->as_json);
    zg_simulated_free(device);
    return cli_close(verb, wire, status);
}

static int run_with(const struct cli_verb *verb, char **argv, const struct options *options)
{
    struct zg_faults faults = { 0 };
    struct zg_simulated_settings sim;
    struct cli_definition loaded;
    uint64_t duration_ns = 0;

    if (!options->on) {
        cli_error(verb, "--on LINK is missing; such as --on pty:/tmp/%s", "loom");
        return CLI_USAGE;
    }
    if (!read_settings(verb, options, &faults, &sim, &duration_ns))
        return CLI_USAGE;
    int status = cli_load(verb, argv[1], false, &loaded);
    if (status == CLI_YES && !suit(verb, &faults, loaded.plan->packets))
        status = CLI_USAGE;
    if (status == CLI_YES) {
        cli_catch_signals();
        status = simulate(verb, loaded.plan, options, &sim, duration_ns);
    }
    cli_definition_clear(&loaded);
    return status;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    struct options options = { .seed = 1 };
    GOptionEntry entries[] = {
        { "on", 0, 0, G_OPTION_ARG_STRING, &options.on,
          "Where the device is: pty:PATH, unix:PATH, tcp:, udp:, serial:, rfc2217:", "LINK" },
        { "baud", 0, 0, G_OPTION_ARG_INT64, &options.baud, "Speed of its UART; default: the definition's", "N" },
        { "faults", 0, 0, G_OPTION_ARG_STRING, &options.faults,
          "What goes wrong: ber=1e-5, drop, double, insert, burst, cut, ...; restart, blackout, mask", "LIST" },
        { "restart", 0, 0, G_OPTION_ARG_STRING, &options.restart, "Restart repeatedly after this time", "TIME" },
        { "busy", 0, 0, G_OPTION_ARG_NONE, &options.busy, "Send as fast as the line allows", NULL },
        { "address", 0, 0, G_OPTION_ARG_INT, &options.address, "Of the device on a shared line; default 1", "N" },
        { "seed", 0, 0, G_OPTION_ARG_INT64, &options.seed, "For values and faults; default 1", "N" },
        { "for", 0, 0, G_OPTION_ARG_STRING, &options.duration, "End after this time; default: with Ctrl-C", "TIME" },
        { "capture", 0, 0, G_OPTION_ARG_FILENAME, &options.capture, "Write everything that passes, with times",
          "FILE" },
        { "json", 0, 0, G_OPTION_ARG_NONE, &options.as_json, "Print one JSON document", NULL },
        G_OPTION_ENTRY_NULL
    };

    if (!cli_parse(verb, entries, &argc, &argv, 1, 1))
        return CLI_USAGE;
    int status = run_with(verb, argv, &options);
    g_free(options.on);
    g_free(options.faults);
    g_free(options.restart);
    g_free(options.duration);
    g_free(options.capture);
    return cli_finish(verb, status);
}

const struct cli_verb cli_sim = { "sim", "DEF", "Simulates a device that speaks the definition",
                                  "zeugma sim examples/loom/loom.yaml --on pty:/tmp/loom --for 2s", run };
