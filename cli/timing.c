/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include <math.h>
#include <string.h>

#include "analysis/budget.h"
#include "analysis/places.h"
#include "analysis/timing.h"
#include "analysis/waits.h"
#include "codec/describe.h"
#include "definition/words.h"

enum { CLOCKS_MOST = 16, DIVIDERS_MOST = 8 };

/* What was asked for. */
struct asked {
    const struct cli_definition *loaded;
    double clocks[CLOCKS_MOST];
    unsigned clock_count;
    struct zg_divider dividers[DIVIDERS_MOST];
    unsigned divider_count;
    gint divisor_bits, fifo;
    double host_baud; /* without its tolerance */
    double edges_s, away_s;
    gboolean find;
};

static const struct zg_line *line_of(const struct asked *asked)
{
    return &asked->loaded->definition->line;
}

static char *clock_text(double hertz)
{
    return hertz >= 1e6   ? g_strdup_printf("%.9g MHz", hertz / 1e6)
           : hertz >= 1e3 ? g_strdup_printf("%.9g kHz", hertz / 1e3)
                          : g_strdup_printf("%.9g Hz", hertz);
}

static char *divider_text(struct zg_divider divider)
{
    return divider.fraction_bits > 0 ? g_strdup_printf("%u+%u", divider.samples, divider.fraction_bits)
                                     : g_strdup_printf("%u", divider.samples);
}

static const char *verdict_of(double margin)
{
    return margin < 0 ? "does not read" : margin < ZG_TIMING_MARGINAL ? "marginal" : "reads";
}

static const char *limit_text(enum zg_limit limit)
{
    static const char *const texts[] = { "the stop bit is sampled too early", "the last bit is sampled too late",
                                         "the next start bit comes too early" };
    return texts[limit];
}

static struct zg_uart_ends ends_of(const struct asked *asked, double clock, struct zg_divider divider)
{
    return (struct zg_uart_ends){ .device_hz = clock,
                                  .host_baud = asked->host_baud,
                                  .divider = divider,
                                  .divisor_bits = (unsigned)asked->divisor_bits,
                                  .edges_late = asked->edges_s * (double)line_of(asked)->baud };
}

/* --- clocks */

/* What makes two ends read each other that do not, or barely. NULL: nothing that is tried. Free with g_free(). */
static char *cure_of(const struct asked *asked, const struct zg_uart_ends *ends)
{
    struct zg_divider divider;

    switch (zg_timing_cure(line_of(asked), ends, &divider)) {
    case ZG_CURE_STOP: return g_strdup("a second stop bit");
    case ZG_CURE_PAUSE: return g_strdup("a pause of one bit between characters");
    case ZG_CURE_DIVIDER: {
        g_autofree char *name = divider_text(divider);
        return g_strdup_printf("a divider of %s", name);
    }
    default: return NULL;
    }
}

static void print_reading(const char *who, const struct zg_reading *reading)
{
    g_autofree char *low = g_strdup_printf("%+.2f", 100 * reading->low);
    g_autofree char *high = g_strdup_printf("%+.2f", 100 * reading->high);
    g_autofree char *rate = strcmp(low, high) == 0 ? g_strdup_printf("a sender that is %s %% off", low)
                                                   : g_strdup_printf("a sender that is %s to %s %% off", low, high);

    cli_print("  %-16s %-40s %6.2f bits left  %s%s%s\n", who, rate, reading->margin.bits,
              verdict_of(reading->margin.bits), reading->margin.bits < ZG_TIMING_MARGINAL ? ": " : "",
              reading->margin.bits < ZG_TIMING_MARGINAL ? limit_text(reading->margin.limit) : "");
}

static void print_clock(const struct asked *asked, const struct zg_uart_ends *ends, const struct zg_timing *timing)
{
    g_autofree char *clock = clock_text(ends->device_hz), *divider = divider_text(ends->divider);
    const bool weak = zg_timing_least(timing) < ZG_TIMING_MARGINAL;
    g_autofree char *cure = weak ? cure_of(asked, ends) : NULL;

    cli_print("\nclock %s, divider %s: divisor %.9g, %.7g Bd, %+.3g %%\n", clock, divider, timing->made.divisor,
              timing->made.baud, 100 * timing->made.error);
    print_reading("the device reads", &timing->by_device);
    print_reading("the host reads", &timing->by_host);
    if (weak)
        cli_print("  %s%s\n",
                  cure ? "it would read with " : "none of a second stop bit, a pause and other dividers helps",
                  cure ? cure : "");
}

/* All clocks with all dividers. The status: whether each clock reads with each divider. */
static int print_clocks(const struct asked *asked)
{
    int status = CLI_YES;
    double best = -HUGE_VAL;
    struct zg_uart_ends best_ends = { 0 };

    for (unsigned i = 0; i < asked->clock_count; i++)
        for (unsigned k = 0; k < asked->divider_count; k++) {
            const struct zg_uart_ends ends = ends_of(asked, asked->clocks[i], asked->dividers[k]);
            const struct zg_timing timing = zg_timing_of(line_of(asked), &ends);
            print_clock(asked, &ends, &timing);
            if (zg_timing_least(&timing) < 0)
                status = CLI_NO;
            if (zg_timing_least(&timing) > best) {
                best = zg_timing_least(&timing);
                best_ends = ends;
            }
        }
    if (asked->clock_count * asked->divider_count > 1) {
        g_autofree char *clock = clock_text(best_ends.device_hz), *divider = divider_text(best_ends.divider);
        cli_print("\nmost is left with %s and divider %s: %.2f bits\n", clock, divider, best);
    }
    return status;
}

/* --- other rates and clocks */

static const struct zg_other_timing *other_at(const GArray *found, guint index)
{
    return &g_array_index(found, struct zg_other_timing, index);
}

static void print_other(const char *name, const struct zg_other_timing *other)
{
    cli_print("  %-12s  %+7.3f %%  %5.2f bits left%s\n", name, 100 * other->error, other->margin,
              other->margin < ZG_TIMING_MARGINAL ? "  marginal" : "");
}

/* With the first divider. */
static void print_found(const struct asked *asked)
{
    const struct zg_line *line = line_of(asked);
    g_autofree char *divider = divider_text(asked->dividers[0]);

    for (unsigned i = 0; i < asked->clock_count; i++) {
        const struct zg_uart_ends ends = ends_of(asked, asked->clocks[i], asked->dividers[0]);
        g_autoptr(GArray) rates = zg_timing_rates(line, &ends);
        g_autofree char *clock = clock_text(ends.device_hz);
        cli_print("\nusual rates that %s makes with divider %s\n", clock, divider);
        for (guint k = 0; k < rates->len; k++) {
            g_autofree char *name = g_strdup_printf("%8.0f", other_at(rates, k)->baud);
            print_other(name, other_at(rates, k));
        }
        if (rates->len > 0)
            cli_print("  the highest at which both read at their worst: %.0f\n", other_at(rates, rates->len - 1)->baud);
        else
            cli_print("  none\n");
    }
    const struct zg_uart_ends ends = ends_of(asked, 0, asked->dividers[0]);
    g_autoptr(GArray) crystals = zg_timing_crystals(line, &ends);
    cli_print("\nusual crystals that make %" G_GUINT64_FORMAT " with divider %s\n", line->baud, divider);
    for (guint k = 0; k < crystals->len; k++) {
        g_autofree char *clock = clock_text(other_at(crystals, k)->clock_hz);
        print_other(clock, other_at(crystals, k));
    }
}

/* --- times */

static void print_times(const struct asked *asked)
{
    const struct zg_plan *plan = asked->loaded->plan;
    const struct zg_line *line = line_of(asked);
    unsigned ring;
    g_autofree char *late = zg_time_text(asked->fifo * zg_budget_seconds(line, 1));
    g_autofree char *away = zg_time_text(asked->away_s);
    const unsigned bytes = zg_budget_away(line, asked->away_s, &ring);

    cli_print("\n%-26s %-12s %-26s %s\n", "message", "frame", "behind one of each other", "request and answer");
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        const double trip = zg_budget_round_trip(plan, item);
        g_autofree char *frame = zg_time_text(zg_budget_seconds(line, item->frame_most));
        g_autofree char *wait = zg_time_text(zg_budget_behind(plan, item)), *takes = zg_time_text(trip);
        cli_print("  %-24s %-12s %-26s %s\n", item->message->name, frame, zg_budget_behind(plan, item) > 0 ? wait : "-",
                  trip > 0 ? takes : "-");
    }
    cli_print("\nload: device %.2f %%, host %.2f %%\n", 100 * zg_budget_side_load(plan, ZG_SIDE_DEVICE),
              100 * zg_budget_side_load(plan, ZG_SIDE_HOST));
    cli_print("with a FIFO of %d the interrupt may be up to %s late\n", asked->fifo, late);
    cli_print("a loop that is away for %s needs room for %u bytes: a ring of %u\n", away, bytes, ring);
    g_autoptr(GPtrArray) notes = zg_waits_judged(plan);
    for (unsigned i = 0; i < notes->len; i++)
        cli_print("  %s\n", (const char *)g_ptr_array_index(notes, i));
}

static int print_text(const struct asked *asked)
{
    const struct zg_definition *definition = asked->loaded->definition;
    const struct zg_line *line = line_of(asked);
    g_autofree char *character = zg_time_text(zg_budget_seconds(line, 1)), *format = zg_line_text(line);
    int status = CLI_YES;

    cli_print("%s %u.%u at %" G_GUINT64_FORMAT " baud, %s; a %s takes %s\n", definition->protocol, definition->major,
              definition->minor, line->baud, format, line->is_clocked ? "byte" : "character", character);
    if (line->is_clocked)
        cli_print("the clock goes with the data, so that the ends' rates need not agree\n");
    else if (asked->clock_count == 0)
        cli_print(
            "no clock is known: give one with --clock, or in the definition, line: { clock: { device: 16 MHz } }\n");
    else
        status = print_clocks(asked);
    if (asked->find && !line->is_clocked)
        print_found(asked);
    print_times(asked);
    return status;
}

/* --- JSON */

static void reading_to_json(struct zg_json *json, const char *who, const struct zg_reading *reading)
{
    static const char *const limits[] = { "stop_bit", "last_bit", "next_start_bit" };

    zg_json_open(json, who, '{');
    zg_json_double(json, "least_excess_percent", 100 * reading->low);
    zg_json_double(json, "greatest_excess_percent", 100 * reading->high);
    zg_json_double(json, "margin_bits", reading->margin.bits);
    zg_json_string(json, "limit", limits[reading->margin.limit]);
    zg_json_string(json, "verdict", verdict_of(reading->margin.bits));
    zg_json_close(json, '}');
}

static void others_to_json(struct zg_json *json, const GArray *found)
{
    for (guint i = 0; i < found->len; i++) {
        const struct zg_other_timing *other = other_at(found, i);
        zg_json_open(json, NULL, '{');
        zg_json_double(json, "clock_hz", other->clock_hz);
        zg_json_double(json, "baud", other->baud);
        zg_json_double(json, "error_percent", 100 * other->error);
        zg_json_double(json, "margin_bits", other->margin);
        zg_json_close(json, '}');
    }
}

/* What --find looks for, with the first divider. */
static void found_to_json(struct zg_json *json, const struct asked *asked)
{
    const struct zg_line *line = line_of(asked);
    const struct zg_uart_ends any = ends_of(asked, 0, asked->dividers[0]);
    g_autoptr(GArray) crystals = zg_timing_crystals(line, &any);
    g_autofree char *divider = divider_text(asked->dividers[0]);

    zg_json_open(json, "found", '{');
    zg_json_string(json, "divider", divider);
    zg_json_open(json, "rates", '[');
    for (unsigned i = 0; i < asked->clock_count; i++) {
        const struct zg_uart_ends ends = ends_of(asked, asked->clocks[i], asked->dividers[0]);
        g_autoptr(GArray) rates = zg_timing_rates(line, &ends);
        others_to_json(json, rates);
    }
    zg_json_close(json, ']');
    zg_json_open(json, "crystals", '[');
    others_to_json(json, crystals);
    zg_json_close(json, ']');
    zg_json_close(json, '}');
}

static int print_json(const struct asked *asked)
{
    const struct zg_plan *plan = asked->loaded->plan;
    const struct zg_line *line = line_of(asked);
    g_autofree char *format = zg_line_text(line);
    struct zg_json json;
    unsigned ring;
    const unsigned bytes = zg_budget_away(line, asked->away_s, &ring);
    int status = CLI_YES;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_protocol_to_json(asked->loaded->definition, &json);
    zg_json_unsigned(&json, "baud", line->baud);
    zg_json_string(&json, "format", format);
    zg_json_double(&json, "character_seconds", zg_budget_seconds(line, 1));
    zg_json_open(&json, "clocks", '[');
    for (unsigned i = 0; !line->is_clocked && i < asked->clock_count * asked->divider_count; i++) {
        const struct zg_uart_ends ends =
            ends_of(asked, asked->clocks[i / asked->divider_count], asked->dividers[i % asked->divider_count]);
        const struct zg_timing timing = zg_timing_of(line, &ends);
        g_autofree char *divider = divider_text(ends.divider), *cure = NULL;
        if (zg_timing_least(&timing) < ZG_TIMING_MARGINAL)
            cure = cure_of(asked, &ends);
        status = zg_timing_least(&timing) < 0 ? CLI_NO : status;
        zg_json_open(&json, NULL, '{');
        zg_json_double(&json, "clock_hz", ends.device_hz);
        zg_json_string(&json, "divider", divider);
        zg_json_double(&json, "divisor", timing.made.divisor);
        zg_json_double(&json, "baud", timing.made.baud);
        zg_json_double(&json, "error_percent", 100 * timing.made.error);
        reading_to_json(&json, "device_reads", &timing.by_device);
        reading_to_json(&json, "host_reads", &timing.by_host);
        if (cure)
            zg_json_string(&json, "cure", cure);
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, ']');
    zg_json_open(&json, "messages", '[');
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        zg_json_open(&json, NULL, '{');
        zg_json_string(&json, "message", item->message->name);
        zg_json_double(&json, "frame_seconds", zg_budget_seconds(line, item->frame_most));
        zg_json_double(&json, "behind_others_seconds", zg_budget_behind(plan, item));
        if (zg_budget_round_trip(plan, item) > 0)
            zg_json_double(&json, "round_trip_seconds", zg_budget_round_trip(plan, item));
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, ']');
    zg_json_double(&json, "device_load", zg_budget_side_load(plan, ZG_SIDE_DEVICE));
    zg_json_double(&json, "host_load", zg_budget_side_load(plan, ZG_SIDE_HOST));
    zg_json_double(&json, "interrupt_late_seconds", asked->fifo * zg_budget_seconds(line, 1));
    zg_json_double(&json, "away_seconds", asked->away_s);
    zg_json_unsigned(&json, "away_bytes", bytes);
    zg_json_unsigned(&json, "away_ring_bytes", ring);
    zg_json_open(&json, "notes", '[');
    g_autoptr(GPtrArray) notes = zg_waits_judged(plan);
    for (unsigned i = 0; i < notes->len; i++)
        zg_json_string(&json, NULL, g_ptr_array_index(notes, i));
    zg_json_close(&json, ']');
    if (asked->find && !line->is_clocked)
        found_to_json(&json, asked);
    zg_json_close(&json, '}');
    cli_print_json(&json);
    return status;
}

/* --- options */

static bool read_clocks(const struct cli_verb *verb, const char *text, struct asked *asked)
{
    g_auto(GStrv) words = g_strsplit(text ? text : "", ",", -1);

    for (unsigned i = 0; words[i]; i++)
        if (asked->clock_count == CLOCKS_MOST || !zg_parse_frequency(g_strstrip(words[i]), &asked->clocks[i])) {
            cli_error(verb, "--clock: expected up to %d frequencies such as 16MHz,14.7456MHz, found \"%s\"",
                      CLOCKS_MOST, words[i]);
            return false;
        } else {
            asked->clock_count++;
        }
    if (asked->clock_count == 0 && line_of(asked)->clock.device_hz > 0)
        asked->clocks[asked->clock_count++] = line_of(asked)->clock.device_hz;
    return true;
}

static bool read_dividers(const struct cli_verb *verb, const char *text, struct asked *asked)
{
    g_auto(GStrv) words = g_strsplit(text ? text : "", ",", -1);

    for (unsigned i = 0; words[i]; i++)
        if (asked->divider_count == DIVIDERS_MOST || !zg_parse_divider(words[i], &asked->dividers[i])) {
            cli_error(verb,
                      "--divider: expected 16 or 8 samples a bit, with fraction bits as in 16+4, up to %d of them, "
                      "found \"%s\"",
                      DIVIDERS_MOST, words[i]);
            return false;
        } else {
            asked->divider_count++;
        }
    if (asked->divider_count == 0)
        asked->dividers[asked->divider_count++] = line_of(asked)->clock.divider;
    return true;
}

/* A span of time, in seconds; with a minus if it may have one. */
static bool read_span(const struct cli_verb *verb, const char *name, const char *text, double *seconds)
{
    uint64_t ns;
    const bool negative = text && *text == '-';

    if (!text)
        return true;
    if (!zg_parse_time(text + (negative ? 1 : 0), &ns)) {
        cli_error(verb, "%s: expected a time with its unit (2us, 10ms), found \"%s\"", name, text);
        return false;
    }
    *seconds = (negative ? -1 : 1) * (double)ns * 1e-9;
    return true;
}

static bool read_other(const struct cli_verb *verb, const char *ppm, const char *clock, struct asked *asked)
{
    const double baud = (double)line_of(asked)->baud;
    double hertz;
    char *end = NULL;
    const double error = ppm ? g_ascii_strtod(ppm, &end) : 0;

    asked->host_baud = baud * (1 + error * 1e-6);
    if (ppm && clock)
        cli_error(verb, "--other and --other-clock exclude each other; give one of them");
    else if (ppm && (*end != '\0' || end == ppm || !(fabs(error) <= 500000)))
        cli_error(verb, "--other: expected parts in a million, at most 500000, found \"%s\"", ppm);
    else if (clock && !zg_parse_frequency(clock, &hertz))
        cli_error(verb, "--other-clock: expected a frequency such as 48MHz, found \"%s\"", clock);
    else {
        if (clock)
            asked->host_baud = zg_timing_rate(hertz, (struct zg_divider){ 16, 0 }, 0, baud).baud;
        return true;
    }
    return false;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    g_autofree char *clocks = NULL, *dividers = NULL, *other = NULL, *other_clock = NULL, *edges = NULL, *away = NULL;
    gboolean as_json = FALSE;
    struct cli_definition loaded;
    struct asked asked = { .loaded = &loaded, .fifo = 1, .away_s = 1e-3 };
    GOptionEntry entries[] = {
        { "clock", 0, 0, G_OPTION_ARG_STRING, &clocks, "The device's clock; several to compare", "HZ[,HZ...]" },
        { "divider", 0, 0, G_OPTION_ARG_STRING, &dividers, "Samples a bit, and fraction bits: 16, 8, 16+4",
          "N[+F][,...]" },
        { "divider-bits", 0, 0, G_OPTION_ARG_INT, &asked.divisor_bits, "Bits of the divisor's whole part", "N" },
        { "other", 0, 0, G_OPTION_ARG_STRING, &other, "How far the host's rate is off, in parts in a million", "PPM" },
        { "other-clock", 0, 0, G_OPTION_ARG_STRING, &other_clock, "The clock from which the host makes its rate",
          "HZ" },
        { "edges", 0, 0, G_OPTION_ARG_STRING, &edges, "How much later rising edges are than falling ones", "TIME" },
        { "find", 0, 0, G_OPTION_ARG_NONE, &asked.find, "Which usual rates and crystals read, too", NULL },
        { "fifo", 0, 0, G_OPTION_ARG_INT, &asked.fifo, "Characters that the UART keeps; default 1", "N" },
        { "away", 0, 0, G_OPTION_ARG_STRING, &away, "How long a loop may be away; default 1ms", "TIME" },
        { "json", 0, 0, G_OPTION_ARG_NONE, &as_json, "Print one JSON document", NULL },
        G_OPTION_ENTRY_NULL
    };

    if (!cli_parse(verb, entries, &argc, &argv, 1, 1))
        return CLI_USAGE;
    if (asked.divisor_bits < 0 || asked.divisor_bits > 32 || asked.fifo < 1 || asked.fifo > 100000) {
        cli_error(verb, "expected --divider-bits from 1 to 32 and --fifo from 1 to 100000");
        return CLI_USAGE;
    }
    int status = cli_load(verb, argv[1], false, &loaded);
    if (status == CLI_YES &&
        (!read_clocks(verb, clocks, &asked) || !read_dividers(verb, dividers, &asked) ||
         !read_other(verb, other, other_clock, &asked) || !read_span(verb, "--edges", edges, &asked.edges_s) ||
         !read_span(verb, "--away", away, &asked.away_s)))
        status = CLI_USAGE;
    if (status == CLI_YES)
        status = (as_json ? print_json : print_text)(&asked);
    cli_definition_clear(&loaded);
    return cli_finish(verb, status);
}

const struct cli_verb cli_timing = { "timing", "DEF",
                                     "Shows whether two ends' clocks read each other, and how long things take",
                                     "zeugma timing examples/loom/loom.yaml --clock 16MHz,12MHz --divider 16,8", run };
