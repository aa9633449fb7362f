/* SPDX-License-Identifier: MIT */
#include "wave_read.h"

#include <math.h>
#include <string.h>

#include "analysis/places.h"
#include "codec/describe.h"
#include "definition/words.h"
#include "wave/annotate.h"
#include "wave/text.h"
#include "wave/why.h"
#include "wave/write.h"

#define PS 1e12

/* A line of output, where those of several signals are put in order. */
struct line {
    int64_t at_ps;
    guint order;
    char *text;
};

/* A character with errors, and on which signal. */
struct flaw {
    struct zg_received character;
    guint signal;
};

struct reading {
    const struct cli_verb *verb;
    const struct zg_plan *plan;
    const struct cli_wave_read *options;
    const struct zg_recording *recording;
    struct zg_notes *notes; /* NULL: nothing is written */
    GArray *lines;          /* NULL: they are in order */
    GArray *flaws;          /* struct flaw: the first characters with errors */
};

static const char *name_of(const struct reading *reading, guint signal)
{
    return ((const struct zg_trace *)reading->recording->traces->pdata[signal])->name;
}

/* --- what passed */

static char *character_text(const struct reading *reading, const struct zg_survey_event *event)
{
    g_autofree char *errors = zg_wave_errors_text(event->character->errors);

    if (!reading->options->as_json)
        return g_strdup_printf("%14.9f  %-10s %02x%s%s", (double)event->from_ps / PS, name_of(reading, event->signal),
                               event->character->byte, *errors ? "  " : "", errors);
    struct zg_json json;
    char at[32];
    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    (void)g_snprintf(at, sizeof at, "%.9f", (double)event->from_ps / PS);
    zg_json_literal(&json, "at", at);
    zg_json_string(&json, "signal", name_of(reading, event->signal));
    zg_json_hex(&json, "character", &event->character->byte, 1);
    zg_wave_errors_to_json(event->character->errors, &json);
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}

static char *stretch_text(const struct reading *reading, const struct zg_survey_event *event)
{
    const double at_s = (double)event->from_ps / PS;

    if (reading->options->as_json) {
        GString *text = g_string_new(NULL);
        zg_stretch_append_json(reading->plan, event->stretch, at_s, NULL, name_of(reading, event->signal), text);
        return g_string_free(text, FALSE);
    }
    g_autofree char *line = zg_stretch_to_line(reading->plan, event->stretch);
    return g_strdup_printf("%14.9f  %-10s %s", at_s, name_of(reading, event->signal), line);
}

static void take(void *data, const struct zg_survey_event *event)
{
    struct reading *reading = data;
    const bool is_shown = event->stretch || reading->options->characters || !reading->plan;

    if (reading->notes)
        zg_notes_add(reading->notes, event);
    if (event->character && event->character->errors && (gint)reading->flaws->len < reading->options->errors) {
        const struct flaw flaw = { *event->character, event->signal };
        g_array_append_val(reading->flaws, flaw);
    }
    if (!is_shown)
        return;
    char *text = event->stretch ? stretch_text(reading, event) : character_text(reading, event);
    if (reading->lines) {
        const struct line line = { event->from_ps, reading->lines->len, text };
        g_array_append_val(reading->lines, line);
    } else {
        cli_print("%s\n", text);
        g_free(text);
    }
}

static int in_order(const void *a, const void *b)
{
    const struct line *left = a, *right = b;
    const int times = (left->at_ps > right->at_ps) - (left->at_ps < right->at_ps);
    return times != 0 ? times : (left->order > right->order) - (left->order < right->order);
}

static void clear_line(void *data)
{
    g_free(((struct line *)data)->text);
}

static void print_lines(GArray *lines)
{
    g_array_sort(lines, in_order);
    for (guint i = 0; i < lines->len; i++)
        cli_print("%s\n", g_array_index(lines, struct line, i).text);
}

/* --- what the signals are like */

static void print_signal(const struct reading *reading, const struct zg_surveyed *surveyed)
{
    const struct zg_measured *measured = &surveyed->measured;
    const struct zg_received_counts *counts = &surveyed->counts;
    g_autofree char *shortest = zg_time_text(measured->shortest_pulse_s), *jitter = zg_time_text(measured->jitter_s);

    cli_print("%s: idle %s, %" G_GUINT64_FORMAT " edges, shortest pulse %s\n", surveyed->trace->name,
              measured->idle_low ? "low" : "high", measured->edges, shortest);
    if (measured->has_rate && !surveyed->receiving.pair)
        cli_print("  %.7g Bd, known to %.2g ppm: %+.0f ppm off the usual %.0f; jitter %s; rising edges %+.3g us later; "
                  "drift %+.0f ppm\n",
                  measured->rate_bd, measured->rate_error_ppm,
                  1e6 * (measured->rate_bd / measured->nearest_usual_bd - 1), measured->nearest_usual_bd, jitter,
                  1e6 * measured->rise_late_s, measured->drift_ppm);
    if (surveyed->low_rate)
        cli_print("  under 6 samples a bit: characters may be misread; record with a higher rate\n");
    cli_print("  %" G_GUINT64_FORMAT " character%s: %" G_GUINT64_FORMAT " with framing errors, %" G_GUINT64_FORMAT
              " parity, %" G_GUINT64_FORMAT " break\n",
              counts->characters, counts->characters == 1 ? "" : "s", counts->framing, counts->parity, counts->breaks);
    if (reading->plan)
        cli_print("  %" G_GUINT64_FORMAT " frame%s, %" G_GUINT64_FORMAT " bytes skipped\n", counts->frames,
                  counts->frames == 1 ? "" : "s", counts->skipped_bytes);
}

static void print_why(const struct zg_survey *survey, bool has_plan)
{
    const struct zg_surveyed *surveyed = &g_array_index(survey->signals, struct zg_surveyed, survey->why_of);
    const struct zg_received_counts *counts = &surveyed->counts;

    cli_print("\nwhat would explain %s, of its first edges\n", surveyed->trace->name);
    for (guint i = 0; i < survey->why->len; i++) {
        const struct zg_explanation *explanation = &g_array_index(survey->why, struct zg_explanation, i);
        if (has_plan)
            cli_print("  %s: %" G_GUINT64_FORMAT " frame%s; ", explanation->as, explanation->frames,
                      explanation->frames == 1 ? "" : "s");
        else
            cli_print("  %s: ", explanation->as);
        cli_print("%" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT " characters without error\n", explanation->sound,
                  explanation->characters);
    }
    if (has_plan)
        cli_print("  as defined: %" G_GUINT64_FORMAT " frame%s\n", counts->frames, counts->frames == 1 ? "" : "s");
}

static const struct zg_surveyed *surveyed_of(const struct zg_survey *survey, const struct zg_trace *trace)
{
    guint i = 0;

    while (g_array_index(survey->signals, struct zg_surveyed, i).trace != trace)
        i++;
    return &g_array_index(survey->signals, struct zg_surveyed, i);
}

static void print_flaws(const struct reading *reading, const struct zg_survey *survey)
{
    static const struct zg_line line = { .baud = 1 };

    for (guint i = 0; i < reading->flaws->len; i++) {
        const struct flaw *flaw = &g_array_index(reading->flaws, struct flaw, i);
        const struct zg_surveyed *surveyed = surveyed_of(survey, reading->recording->traces->pdata[flaw->signal]);
        struct zg_wave *wave = zg_wave_of_trace(&line, surveyed->trace, &surveyed->receiving, &flaw->character);
        g_autofree char *text = zg_wave_text(wave, 100, g_get_charset(NULL));
        cli_print("\nat %.9f s\n%s", (double)flaw->character.from_ps / PS, text);
        zg_wave_free(wave);
    }
}

/* What is between two signals, if that is asked for. */
struct between {
    bool has_delays, has_enable;
    struct zg_medium_delays delays;
    struct zg_enable enable;
};

static void print_between(const struct between *between)
{
    const struct zg_medium_delays *delays = &between->delays;

    if (between->has_delays)
        cli_print("\nrising edges %.4g us later, falling ones %.4g us, on average of %" G_GUINT64_FORMAT
                  " and %" G_GUINT64_FORMAT "; %" G_GUINT64_FORMAT " pulses lost\n",
                  1e6 * delays->rise_s, 1e6 * delays->fall_s, delays->rises, delays->falls, delays->lost);
    if (between->has_enable)
        cli_print("\nthe driver was on too late for %" G_GUINT64_FORMAT " frames, off too early for %" G_GUINT64_FORMAT
                  ", and on during %" G_GUINT64_FORMAT " of the other side\n",
                  between->enable.late, between->enable.early, between->enable.both);
}

static void print_summary(const struct reading *reading, const struct zg_survey *survey, const struct between *between)
{
    const struct zg_turn_round *turn = &survey->turn_round;
    const struct zg_recording *recording = reading->recording;
    g_autofree char *length = zg_time_text((double)recording->end_ps / PS);

    print_flaws(reading, survey);
    cli_print("\n%s%s%s%s\n", length, recording->start ? ", begun " : "", recording->start ? recording->start : "",
              recording->complete ? "" : "; the file is cut off, and was read as far as whole lines go");
    for (guint i = 0; i < survey->signals->len; i++)
        print_signal(reading, &g_array_index(survey->signals, struct zg_surveyed, i));
    if (turn->count > 0)
        cli_print("\nfrom the end of a request to its answer: %.4g to %.4g ms, %.4g on average of %" G_GUINT64_FORMAT
                  "\n",
                  1e3 * turn->least_s, 1e3 * turn->greatest_s, 1e3 * turn->mean_s, turn->count);
    print_between(between);
    if (survey->why->len > 0)
        print_why(survey, reading->plan != NULL);
}

/* --- JSON */

static void signal_to_json(const struct zg_surveyed *surveyed, struct zg_json *json)
{
    const struct zg_measured *measured = &surveyed->measured;
    const struct zg_received_counts *counts = &surveyed->counts;

    zg_json_open(json, surveyed->trace->name, '{');
    zg_json_string(json, "idle", measured->idle_low ? "low" : "high");
    zg_json_double(json, "shortest_pulse_s", measured->shortest_pulse_s);
    if (measured->has_rate) {
        zg_json_double(json, "rate_bd", measured->rate_bd);
        zg_json_double(json, "rate_error_ppm", measured->rate_error_ppm);
        zg_json_double(json, "jitter_s", measured->jitter_s);
        zg_json_double(json, "rise_late_s", measured->rise_late_s);
        zg_json_double(json, "drift_ppm", measured->drift_ppm);
        zg_json_double(json, "nearest_usual_bd", measured->nearest_usual_bd);
    }
    zg_json_unsigned(json, "edges", measured->edges);
    zg_json_unsigned(json, "characters", counts->characters);
    zg_json_unsigned(json, "framing", counts->framing);
    zg_json_unsigned(json, "parity", counts->parity);
    zg_json_unsigned(json, "break", counts->breaks);
    zg_json_unsigned(json, "frames", counts->frames);
    zg_json_unsigned(json, "skipped_bytes", counts->skipped_bytes);
    zg_json_double(json, "from_s", 0);
    zg_json_double(json, "to_s", (double)surveyed->trace->end_ps / PS);
    zg_json_close(json, '}');
}

static void between_to_json(const struct between *between, struct zg_json *json)
{
    if (between->has_delays) {
        zg_json_open(json, "delay_s", '{');
        zg_json_double(json, "rise", between->delays.rise_s);
        zg_json_double(json, "fall", between->delays.fall_s);
        zg_json_unsigned(json, "lost", between->delays.lost);
        zg_json_close(json, '}');
    }
    if (between->has_enable) {
        zg_json_open(json, "enable", '{');
        zg_json_unsigned(json, "late", between->enable.late);
        zg_json_unsigned(json, "early", between->enable.early);
        zg_json_unsigned(json, "both", between->enable.both);
        zg_json_close(json, '}');
    }
}

static void print_summary_json(const struct reading *reading, const struct zg_survey *survey,
                               const struct between *between)
{
    bool low_rate = false;
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_open(&json, "signals", '{');
    for (guint i = 0; i < survey->signals->len; i++) {
        signal_to_json(&g_array_index(survey->signals, struct zg_surveyed, i), &json);
        low_rate = low_rate || g_array_index(survey->signals, struct zg_surveyed, i).low_rate;
    }
    zg_json_close(&json, '}');
    if (survey->turn_round.count > 0) {
        zg_json_open(&json, "turn_round_s", '{');
        zg_json_unsigned(&json, "count", survey->turn_round.count);
        zg_json_double(&json, "least", survey->turn_round.least_s);
        zg_json_double(&json, "mean", survey->turn_round.mean_s);
        zg_json_double(&json, "greatest", survey->turn_round.greatest_s);
        zg_json_close(&json, '}');
    }
    between_to_json(between, &json);
    zg_json_open(&json, "why", '[');
    for (guint i = 0; i < survey->why->len; i++) {
        const struct zg_explanation *explanation = &g_array_index(survey->why, struct zg_explanation, i);
        zg_json_open(&json, NULL, '{');
        zg_json_string(&json, "as", explanation->as);
        zg_json_unsigned(&json, "frames", explanation->frames);
        zg_json_unsigned(&json, "characters", explanation->characters);
        zg_json_unsigned(&json, "sound", explanation->sound);
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, ']');
    if (reading->recording->start)
        zg_json_string(&json, "start", reading->recording->start);
    zg_json_bool(&json, "complete", reading->recording->complete);
    zg_json_bool(&json, "low_rate", low_rate);
    zg_json_close(&json, '}');
    cli_print_json(&json);
}

/* --- options */

static bool read_threshold(const struct cli_verb *verb, const char *text, struct zg_recording_settings *settings)
{
    char *end = NULL;

    if (!text)
        return true;
    settings->has_threshold = true;
    settings->threshold = g_ascii_strtod(text, &end);
    bool good = end != text && isfinite(settings->threshold);
    if (good && *end == ',') {
        const char *width = end + 1;
        settings->hysteresis = g_ascii_strtod(width, &end);
        good = end != width && settings->hysteresis >= 0;
    }
    if (!good || *end != '\0')
        cli_error(verb, "--threshold: expected V or V,HYSTERESIS, such as 1.6,0.2, found \"%s\"", text);
    return good && *end == '\0';
}

static bool read_settings(const struct cli_verb *verb, const struct cli_wave_read *options,
                          struct zg_survey_settings *settings)
{
    if (options->format) {
        unsigned data_bits, half_stops;
        char parity;
        if (!zg_parse_format(options->format, &data_bits, &parity, &half_stops) || data_bits < 4 || data_bits > 8) {
            cli_error(verb,
                      "--format: expected 4 to 8 data bits, parity and stop bits, such as 8N1 or 7E1, found \"%s\"",
                      options->format);
            return false;
        }
        settings->has_format = true;
        settings->format = (struct zg_uart_format){ .data_bits = (uint8_t)data_bits,
                                                    .parity = parity,
                                                    .half_stops = (uint8_t)half_stops };
        if (settings->plan)
            settings->format.msb_first = settings->plan->definition->line.msb_first;
    }
    if (options->baud) {
        char *end = NULL;
        settings->baud = g_ascii_strtod(options->baud, &end);
        if (*end != '\0' || !(settings->baud >= 1 && settings->baud <= 1e9)) {
            cli_error(verb, "--baud: expected bits a second, up to 1e9, found \"%s\"", options->baud);
            return false;
        }
    }
    return true;
}

/* The signals that are needed, in the order of the options; NULL: those that there are. */
static char **signals_of(const struct cli_wave_read *options)
{
    GPtrArray *names = g_ptr_array_new();

    if (options->against) {
        g_auto(GStrv) pair = g_strsplit(options->against, ",", 2);
        for (char **name = pair; *name; name++)
            g_ptr_array_add(names, g_strdup(*name));
    }
    for (char **name = options->signals; name && *name; name++)
        g_ptr_array_add(names, g_strdup(*name));
    if (options->enable)
        g_ptr_array_add(names, g_strdup(options->enable));
    g_ptr_array_add(names, NULL);
    char **list = (char **)g_ptr_array_free(names, FALSE);
    if (list[0])
        return list;
    g_strfreev(list);
    return NULL;
}

static int survey(struct reading *reading, struct zg_recording *recording, struct zg_survey_settings *settings)
{
    const struct cli_wave_read *options = reading->options;
    struct between between = { .has_delays = options->against != NULL, .has_enable = options->enable != NULL };
    struct zg_trace *enable = NULL;
    g_autoptr(GError) error = NULL;
    uint64_t wrong = 0;

    if (between.has_enable) /* it is no wire with characters */
        enable = g_ptr_array_steal_index(recording->traces, recording->traces->len - 1);
    struct zg_survey *survey = zg_survey_run(recording, settings, take, reading);
    const struct zg_surveyed *first = &g_array_index(survey->signals, struct zg_surveyed, 0);
    if (between.has_delays)
        between.delays = zg_survey_delays(recording->traces->pdata[0], recording->traces->pdata[1]);
    if (enable)
        between.enable = zg_survey_enable(enable, first->trace, &first->receiving, reading->plan);
    if (reading->lines)
        print_lines(reading->lines);
    (options->as_json ? print_summary_json : print_summary)(reading, survey, &between);
    for (guint i = 0; i < survey->signals->len; i++) {
        const struct zg_received_counts *counts = &g_array_index(survey->signals, struct zg_surveyed, i).counts;
        wrong += counts->characters - counts->sound + counts->skips;
    }
    zg_survey_free(survey);
    zg_trace_free(enable);
    if (reading->notes && !zg_notes_write(reading->notes, recording, options->vcd, &error)) {
        cli_error(reading->verb, "%s", error->message);
        return CLI_TROUBLE;
    }
    return wrong > 0 ? CLI_NO : CLI_YES;
}

/* How many signals a recording may have that are taken without being named. */
static unsigned most_of(const struct zg_plan *plan)
{
    return plan ? 2 : 1;
}

int cli_wave_read(const struct cli_verb *verb, const struct zg_plan *plan, const struct cli_wave_read *options)
{
    g_auto(GStrv) signals = signals_of(options);
    struct zg_recording_settings how = { .signals = signals, .most = most_of(plan) };
    struct zg_survey_settings settings = { .plan = plan };
    g_autoptr(GError) error = NULL;

    if (!read_threshold(verb, options->threshold, &how) || !read_settings(verb, options, &settings))
        return CLI_USAGE;
    if (options->enable && !plan) {
        cli_error(verb, "--enable: needs a definition, which says what a frame is");
        return CLI_USAGE;
    }
    if (options->enable && !options->signals && !options->against) {
        cli_error(verb, "--enable: say which wire it is beside, with --signal NAME");
        return CLI_USAGE;
    }
    struct zg_recording *recording = zg_recording_read(options->read, &how, &error);
    if (!recording) {
        cli_error(verb, "%s", error->message);
        return error->code == ZG_RECORDING_ERROR_SIGNAL ? CLI_USAGE : CLI_TROUBLE;
    }
    const bool is_pair = plan && plan->definition->line.is_clocked;
    const guint wires = recording->traces->len - (options->enable ? 1 : 0);
    int status = CLI_USAGE;
    if (options->against && wires < 2)
        cli_error(verb, "--against: expected two signals, A,B, found \"%s\"", options->against);
    else if (is_pair && wires < 2)
        cli_error(verb, "a clocked line has two wires: --signal CLOCK --signal DATA");
    else {
        struct reading reading = { .verb = verb,
                                   .plan = plan,
                                   .options = options,
                                   .recording = recording,
                                   .notes = options->vcd ? zg_notes_new() : NULL,
                                   .lines = recording->traces->len > 1 ? g_array_new(FALSE, FALSE, sizeof(struct line))
                                                                       : NULL,
                                   .flaws = g_array_new(FALSE, FALSE, sizeof(struct flaw)) };
        if (reading.lines)
            g_array_set_clear_func(reading.lines, clear_line);
        status = survey(&reading, recording, &settings);
        if (reading.lines)
            g_array_unref(reading.lines);
        zg_notes_free(reading.notes);
        g_array_unref(reading.flaws);
    }
    zg_recording_free(recording);
    return status;
}
