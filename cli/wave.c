/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "analysis/explain.h"
#include "analysis/places.h"
#include "codec/describe.h"
#include "codec/from_json.h"
#include "codec/hex.h"
#include "picture/picture.h"
#include "wave/output.h"
#include "wave/text.h"
#include "wave/write.h"
#include "wave_read.h"

struct options {
    char *header, *hex, *other, *svg, *png, *vcd, *csv;
    const char *values; /* of the message */
    gboolean as_json;
    struct cli_wave_read reading;
};

/* The bytes that are drawn, and what they are; NULL, with the error printed. */
static struct zg_wave *wave_of(const struct cli_verb *verb, const struct zg_plan *plan, char **argv,
                               const struct options *options, int *status)
{
    const struct zg_line *line = &plan->definition->line;
    g_autoptr(GError) error = NULL;

    *status = CLI_NO;
    if (options->hex) {
        g_autoptr(GByteArray) bytes = zg_bytes_from_hex(options->hex, &error);
        if (bytes && bytes->len > 0)
            return zg_wave_draw(line, bytes->data, bytes->len, NULL, NULL);
        cli_error(verb, "--hex: %s", bytes ? "expected at least one byte" : error->message);
        *status = CLI_USAGE;
        return NULL;
    }
    const struct zg_plan_message *message = cli_message(verb, plan, argv[2]);
    struct zg_given given;
    struct zg_wave *wave = NULL;
    if (!message)
        return NULL;
    if (zg_given_from_json(plan, message, options->values, options->header, &given, &error)) {
        g_autoptr(GPtrArray) explained = zg_explain_frame(plan, message, &given.header, given.values);
        g_autoptr(GByteArray) bytes = g_byte_array_new();
        for (guint i = 0; i < explained->len; i++)
            g_byte_array_append(bytes, &((const struct zg_explained *)g_ptr_array_index(explained, i))->wire, 1);
        wave = zg_wave_draw(line, bytes->data, bytes->len, message->message->name, explained);
    } else
        cli_error(verb, "%s", error->message);
    zg_given_clear(&given);
    return wave;
}

static bool write_file(const struct cli_verb *verb, const char *path, char *text)
{
    g_autofree char *owned = text;
    g_autoptr(GError) error = NULL;

    if (zg_output_text(path, owned, &error))
        return true;
    cli_error(verb, "%s", error->message);
    return false;
}

static bool write_picture(const struct cli_verb *verb, const struct zg_wave *wave, enum zg_picture_kind kind,
                          const char *path)
{
    g_autoptr(GError) error = NULL;

    if (!path || zg_picture_wave(wave, kind, path, &error))
        return true;
    cli_error(verb, "%s", error->message);
    return false;
}

static unsigned terminal_width(void)
{
    struct winsize size;
    return ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 0 ? size.ws_col : 100;
}

static void print_text(const struct zg_wave *wave)
{
    g_autofree char *format = zg_line_text(wave->line);
    g_autofree char *took = zg_time_text(wave->frame_to_s - wave->frame_from_s);
    g_autofree char *text = zg_wave_text(wave, terminal_width(), g_get_charset(NULL));

    cli_print("%s, %s at %" G_GUINT64_FORMAT " baud: %u character%s, %s\n", wave->name ? wave->name : "bytes", format,
              wave->line->baud, wave->characters->len, wave->characters->len == 1 ? "" : "s", took);
    if (wave->has_other)
        cli_print("sampled by an end whose clock is %+.6g ppm off: ^ as it was sent, x otherwise\n", wave->other_ppm);
    cli_print("\n%s", text);
}

static void print_json(const struct cli_definition *loaded, const struct zg_wave *wave)
{
    struct zg_json json;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_protocol_to_json(loaded->definition, &json);
    zg_wave_to_json(wave, &json);
    zg_json_close(&json, '}');
    cli_print_json(&json);
}

/* Whether a message, or bytes, are given, and what else is asked for can be. */
static bool is_sound(const struct cli_verb *verb, int argc, const struct zg_line *line, const struct options *options)
{
    if (options->hex ? argc > 2 : argc < 3)
        cli_error(verb, options->hex ? "--hex draws bytes; leave the message out"
                                     : "expected a message, or --hex with bytes");
    else if (options->other && line->is_clocked)
        cli_error(verb, "--other: the clock goes with the data, so that the other end has none");
    else
        return true;
    return false;
}

static int draw(const struct cli_verb *verb, const struct cli_definition *loaded, char **argv,
                const struct options *options)
{
    double ppm = 0;
    char *end = NULL;
    int status;

    if (options->other) {
        ppm = g_ascii_strtod(options->other, &end);
        if (end == options->other || *end != '\0' || !(ppm >= -500000 && ppm <= 500000)) {
            cli_error(verb, "--other: expected parts in a million, at most 500000, found \"%s\"", options->other);
            return CLI_USAGE;
        }
    }
    struct zg_wave *wave = wave_of(verb, loaded->plan, argv, options, &status);
    if (!wave)
        return status;
    if (options->other)
        zg_wave_add_other(wave, ppm);
    const bool good = write_picture(verb, wave, ZG_PICTURE_SVG, options->svg) &&
                      write_picture(verb, wave, ZG_PICTURE_PNG, options->png) &&
                      (!options->vcd || write_file(verb, options->vcd, zg_wave_vcd(wave))) &&
                      (!options->csv || write_file(verb, options->csv, zg_wave_csv(wave)));
    if (good && options->as_json)
        print_json(loaded, wave);
    else if (good && !options->svg && !options->png && !options->vcd && !options->csv)
        print_text(wave);
    zg_wave_free(wave);
    return good ? CLI_YES : CLI_TROUBLE;
}

/* What is drawn, and what is read, have options of their own. */
static bool fit_together(const struct cli_verb *verb, int argc, const struct options *options)
{
    const struct cli_wave_read *reading = &options->reading;

    if (reading->read &&
        (argc > 2 || options->hex || options->header || options->other || options->svg || options->png || options->csv))
        cli_error(verb, "--read reads a recording by a definition; leave the message, --hex, --header, --other, --svg, "
                        "--png and --csv out");
    else if (!reading->read && argc < 2)
        cli_error(verb, "expected DEF and a message; or --read FILE");
    else if (!reading->read && (reading->signals || reading->threshold || reading->format || reading->baud ||
                                reading->characters || reading->against || reading->enable))
        cli_error(verb,
                  "--signal, --threshold, --format, --baud, --characters, --against and --enable belong to --read");
    else
        return true;
    return false;
}

static int run_loaded(const struct cli_verb *verb, int argc, char **argv, struct options *options)
{
    struct cli_definition loaded = { 0 };
    int status = argc > 1 ? cli_load(verb, argv[1], false, &loaded) : CLI_YES;

    if (status == CLI_YES && options->reading.read)
        status = cli_wave_read(verb, loaded.plan, &options->reading);
    else if (status == CLI_YES)
        status =
            is_sound(verb, argc, &loaded.definition->line, options) ? draw(verb, &loaded, argv, options) : CLI_USAGE;
    if (argc > 1)
        cli_definition_clear(&loaded);
    return status;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    struct options options = { .reading = { .errors = 5 } };
    struct cli_wave_read *reading = &options.reading;
    GOptionEntry entries[] = {
        { "hex", 0, 0, G_OPTION_ARG_STRING, &options.hex, "Draws these bytes instead of a message: '55 AA'", "BYTES" },
        { "header", 0, 0, G_OPTION_ARG_STRING, &options.header, "Roles of the header and tickets, {\"sequence\": 12}",
          "JSON" },
        { "other", 0, 0, G_OPTION_ARG_STRING, &options.other,
          "What a receiver samples whose clock is so much too fast, in parts in a million", "PPM" },
        { "svg", 0, 0, G_OPTION_ARG_FILENAME, &options.svg, "Writes a picture", "FILE" },
        { "png", 0, 0, G_OPTION_ARG_FILENAME, &options.png, "Writes a picture", "FILE" },
        { "vcd", 0, 0, G_OPTION_ARG_FILENAME, &options.vcd,
          "Writes a value change dump, for viewers of waveforms; with --read: with what was read beside the wires",
          "FILE" },
        { "csv", 0, 0, G_OPTION_ARG_FILENAME, &options.csv, "Writes edges: seconds,level", "FILE" },
        { "read", 0, 0, G_OPTION_ARG_FILENAME, &reading->read,
          "Reads a recording instead: a value change dump, or a table of times and levels", "FILE" },
        { "signal", 0, 0, G_OPTION_ARG_STRING_ARRAY, &reading->signals,
          "Which signal of it: its name, its full path, one bit of a vector, bus[3]; repeatable", "NAME" },
        { "threshold", 0, 0, G_OPTION_ARG_STRING, &reading->threshold,
          "Between low and high, and its hysteresis; default half of the range, and a tenth", "V[,V]" },
        { "format", 0, 0, G_OPTION_ARG_STRING, &reading->format, "Read as this format: 8N1, 7E1", "FORMAT" },
        { "baud", 0, 0, G_OPTION_ARG_STRING, &reading->baud, "Read at this rate, instead of the one that is measured",
          "N" },
        { "characters", 0, 0, G_OPTION_ARG_NONE, &reading->characters, "Show each character, too", NULL },
        { "errors", 0, 0, G_OPTION_ARG_INT, &reading->errors, "How many characters with errors are drawn; default 5",
          "N" },
        { "against", 0, 0, G_OPTION_ARG_STRING, &reading->against,
          "One signal before and after a medium: delays of its edges, pulses lost", "A,B" },
        { "enable", 0, 0, G_OPTION_ARG_STRING, &reading->enable,
          "The driver enable beside a wire, active high: on too late, off too early", "NAME" },
        { "json", 0, 0, G_OPTION_ARG_NONE, &options.as_json,
          "Print one JSON document; with --read one object on each line", NULL },
        G_OPTION_ENTRY_NULL
    };

    if (!cli_parse(verb, entries, &argc, &argv, 0, 3))
        return CLI_USAGE;
    options.values = argc > 3 ? argv[3] : "{}";
    reading->as_json = options.as_json;
    reading->vcd = options.vcd;
    int status = fit_together(verb, argc, &options) ? run_loaded(verb, argc, argv, &options) : CLI_USAGE;
    g_free(options.hex);
    g_free(options.header);
    g_free(options.other);
    g_free(options.svg);
    g_free(options.png);
    g_free(options.vcd);
    g_free(options.csv);
    g_free(reading->read);
    g_free(reading->threshold);
    g_free(reading->format);
    g_free(reading->baud);
    g_free(reading->against);
    g_free(reading->enable);
    g_strfreev(reading->signals);
    return cli_finish(verb, status);
}

const struct cli_verb cli_wave = { "wave", "DEF [MESSAGE [JSON]]",
                                   "Draws a frame as a scope shows it; reads what a scope recorded",
                                   "zeugma wave examples/loom/loom.yaml load_row '{\"row\": 7, \"lift\": 21845}'",
                                   run };
