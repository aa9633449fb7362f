/* SPDX-License-Identifier: MIT */
#include "wave/survey.h"

#include <math.h>

#include "wave/why.h"

#define PS 1e12

/* A frame, for what depends on its neighbours. */
struct passed {
    int64_t from_ps, to_ps;
    bool asks, answers;
    enum zg_side from;
};

struct surveying {
    const struct zg_survey_settings *settings;
    GArray *passed; /* struct passed */
    guint signal;
    void (*event)(void *data, const struct zg_survey_event *event);
    void *data;
};

static void note_frame(GArray *passed, const struct zg_stretch *stretch, int64_t from_ps, int64_t to_ps)
{
    const struct zg_message *message = stretch->kind == ZG_STRETCH_FRAME ? stretch->message->message : NULL;
    const struct passed frame = { from_ps, to_ps, message && zg_message_is_request(message),
                                  message && (message->is_reply || message->follows),
                                  message ? message->from : ZG_SIDE_BOTH };

    if (stretch->kind == ZG_STRETCH_FRAME)
        g_array_append_val(passed, frame);
}

static void take_stretch(void *data, const struct zg_stretch *stretch, int64_t from_ps, int64_t to_ps)
{
    struct surveying *surveying = data;
    const struct zg_survey_event event = { surveying->signal, stretch, NULL, from_ps, to_ps };

    note_frame(surveying->passed, stretch, from_ps, to_ps);
    if (surveying->event)
        surveying->event(surveying->data, &event);
}

static void take_character(void *data, const struct zg_received *received)
{
    const struct surveying *surveying = data;
    const struct zg_survey_event event = { surveying->signal, NULL, received, received->from_ps, received->to_ps };

    if (surveying->event)
        surveying->event(surveying->data, &event);
}

static struct zg_uart_format format_of(const struct zg_survey_settings *settings, bool idle_low)
{
    static const struct zg_uart_format usual = { .data_bits = 8, .parity = 'N', .half_stops = 2 };
    struct zg_uart_format format = settings->has_format ? settings->format
                                   : settings->plan     ? zg_line_format(&settings->plan->definition->line)
                                                        : usual;

    if (!settings->plan)
        format.idle_low = idle_low;
    else if (settings->has_format)
        format.idle_low = settings->plan->definition->line.idle_low;
    return format;
}

/* The rate to read at: the one that is measured, unless it is far from the one that it should be. */
static double rate_of(const struct zg_measured *measured, double nominal_bd)
{
    if (!measured->has_rate)
        return nominal_bd > 0 ? nominal_bd : 9600;
    return nominal_bd > 0 && fabs(measured->rate_bd / nominal_bd - 1) > 0.04 ? nominal_bd : measured->rate_bd;
}

static struct zg_surveyed survey_signal(struct surveying *surveying, const struct zg_recording *recording,
                                        const struct zg_trace *trace, const struct zg_trace *clock)
{
    const struct zg_survey_settings *settings = surveying->settings;
    const struct zg_line *line = settings->plan ? &settings->plan->definition->line : NULL;
    const double nominal_bd = settings->baud > 0 ? settings->baud : line ? (double)line->baud : 0;
    struct zg_surveyed surveyed = { .trace = trace };
    const struct zg_received_calls calls = { take_character, take_stretch, surveying };

    surveyed.receiving.format = format_of(settings, false);
    surveyed.measured = zg_measure(trace, zg_uart_before_stop(&surveyed.receiving.format), nominal_bd);
    surveyed.receiving.format = format_of(settings, surveyed.measured.idle_low);
    surveyed.receiving.baud = settings->baud > 0 ? settings->baud : rate_of(&surveyed.measured, nominal_bd);
    surveyed.receiving.is_whole = recording->complete;
    surveyed.receiving.clock = clock;
    surveyed.receiving.pair = clock && line ? &line->pair : NULL;
    surveyed.low_rate = (double)recording->sample_ps * 6 > PS / surveyed.receiving.baud;
    surveyed.counts = zg_receive_frames(trace, &surveyed.receiving, settings->plan, &calls);
    return surveyed;
}

/* Whether more was wrong on it than right. */
static bool is_doubtful(const struct zg_surveyed *surveyed, const struct zg_plan *plan)
{
    const struct zg_received_counts *counts = &surveyed->counts;

    if (plan && counts->frames == 0)
        return surveyed->measured.edges > 0;
    return 10 * (counts->characters - counts->sound) > counts->characters || (plan && counts->skips > counts->frames);
}

static int by_beginning(const void *a, const void *b)
{
    const struct passed *left = a, *right = b;
    return (left->from_ps > right->from_ps) - (left->from_ps < right->from_ps);
}

/* From each request to the answer that is the next frame of all. */
static struct zg_turn_round turn_round(const GArray *passed)
{
    struct zg_turn_round turn = { 0 };
    double sum_s = 0;

    for (guint i = 0; i + 1 < passed->len; i++) {
        const struct passed *frame = &g_array_index(passed, struct passed, i), *next = frame + 1;
        const double took_s = (double)(next->from_ps - frame->to_ps) / PS;
        if (!frame->asks || !next->answers)
            continue;
        turn.least_s = turn.count == 0 ? took_s : fmin(turn.least_s, took_s);
        turn.greatest_s = turn.count == 0 ? took_s : fmax(turn.greatest_s, took_s);
        turn.count++;
        sum_s += took_s;
    }
    turn.mean_s = turn.count > 0 ? sum_s / (double)turn.count : 0;
    return turn;
}

struct zg_survey *zg_survey_run(const struct zg_recording *recording, const struct zg_survey_settings *settings,
                                void (*event)(void *data, const struct zg_survey_event *event), void *data)
{
    struct zg_survey *survey = g_new0(struct zg_survey, 1);
    struct surveying surveying = { .settings = settings, .event = event, .data = data };
    const bool is_pair = settings->plan && settings->plan->definition->line.is_clocked;

    survey->signals = g_array_new(FALSE, FALSE, sizeof(struct zg_surveyed));
    surveying.passed = g_array_new(FALSE, FALSE, sizeof(struct passed));
    for (guint i = is_pair ? 1 : 0; i < recording->traces->len; i++) {
        const struct zg_trace *trace = recording->traces->pdata[i], *clock = recording->traces->pdata[0];
        surveying.signal = i;
        const struct zg_surveyed surveyed = survey_signal(&surveying, recording, trace, is_pair ? clock : NULL);
        g_array_append_val(survey->signals, surveyed);
        if (!survey->why && is_doubtful(&surveyed, settings->plan)) {
            survey->why = zg_explain_wire(trace, &surveyed.receiving, &surveyed.measured, settings->plan);
            survey->why_of = survey->signals->len - 1;
        }
    }
    g_array_sort(surveying.passed, by_beginning);
    survey->turn_round = turn_round(surveying.passed);
    g_array_unref(surveying.passed);
    if (!survey->why)
        survey->why = g_array_new(FALSE, FALSE, sizeof(struct zg_explanation));
    return survey;
}

void zg_survey_free(struct zg_survey *survey)
{
    if (!survey)
        return;
    g_array_unref(survey->signals);
    g_array_unref(survey->why);
    g_free(survey);
}

/* --- before and after */

/* Changes to one level. */
static bool next_to(struct zg_trace_reader *reader, enum zg_trace_level to, int64_t *at_ps)
{
    enum zg_trace_level level;

    while (zg_trace_next(reader, at_ps, &level))
        if (level == to)
            return true;
    return false;
}

/* Each change belongs to the first one behind it that comes before the next of its own kind. */
static void match(const struct zg_trace *before, const struct zg_trace *after, enum zg_trace_level to, uint64_t *count,
                  double *delay_s, uint64_t *lost)
{
    struct zg_trace_reader sent = zg_trace_read(before), seen = zg_trace_read(after);
    int64_t sent_ps = 0, next_ps = 0, seen_ps = 0;
    bool more = next_to(&sent, to, &sent_ps), has_seen = next_to(&seen, to, &seen_ps);
    double sum_ps = 0;

    while (more) {
        const bool has_next = next_to(&sent, to, &next_ps);
        while (has_seen && seen_ps < sent_ps)
            has_seen = next_to(&seen, to, &seen_ps);
        if (has_seen && (!has_next || seen_ps < next_ps)) {
            sum_ps += (double)(seen_ps - sent_ps);
            (*count)++;
            has_seen = next_to(&seen, to, &seen_ps);
        } else
            (*lost)++;
        more = has_next;
        sent_ps = next_ps;
    }
    *delay_s = *count > 0 ? sum_ps / (double)*count / PS : 0;
}

struct zg_medium_delays zg_survey_delays(const struct zg_trace *before, const struct zg_trace *after)
{
    struct zg_medium_delays delays = { 0 };

    match(before, after, ZG_LEVEL_IS_HIGH, &delays.rises, &delays.rise_s, &delays.lost);
    match(before, after, ZG_LEVEL_IS_LOW, &delays.falls, &delays.fall_s, &delays.lost);
    delays.lost = (delays.lost + 1) / 2;
    return delays;
}

/* --- a driver enable */

static void note_passed(void *data, const struct zg_stretch *stretch, int64_t from_ps, int64_t to_ps)
{
    note_frame(data, stretch, from_ps, to_ps);
}

/* How a frame lies in the time in which the driver is on. */
struct lies {
    bool touches, begins_in, ends_in;
};

/* A stretch of the enable's level. */
struct enabled {
    struct zg_trace_reader reader;
    enum zg_trace_level now, next;
    int64_t from_ps, to_ps;
};

static void go_on(struct enabled *enabled)
{
    enabled->from_ps = enabled->to_ps;
    enabled->now = enabled->next;
    if (!zg_trace_next(&enabled->reader, &enabled->to_ps, &enabled->next))
        enabled->to_ps = INT64_MAX;
}

/* Frames do not go back. */
static struct lies lies_of(struct enabled *enabled, const struct passed *frame)
{
    struct lies lies = { 0 };

    while (enabled->to_ps <= frame->from_ps)
        go_on(enabled);
    for (struct enabled on = *enabled; on.from_ps < frame->to_ps; go_on(&on)) {
        const bool is_on = on.now == ZG_LEVEL_IS_HIGH;
        lies.touches = lies.touches || is_on;
        lies.begins_in = lies.begins_in || (is_on && on.from_ps <= frame->from_ps);
        lies.ends_in = lies.ends_in || (is_on && on.to_ps >= frame->to_ps);
        if (on.to_ps == INT64_MAX)
            break;
    }
    return lies;
}

static struct enabled enabled_of(const struct zg_trace *enable)
{
    struct enabled enabled = { .reader = zg_trace_read(enable), .next = enable->first };

    go_on(&enabled);
    return enabled;
}

struct zg_enable zg_survey_enable(const struct zg_trace *enable, const struct zg_trace *wire,
                                  const struct zg_receiving *receiving, const struct zg_plan *plan)
{
    GArray *passed = g_array_new(FALSE, FALSE, sizeof(struct passed));
    const struct zg_received_calls calls = { NULL, note_passed, passed };
    struct zg_enable result = { 0 };
    unsigned touched[ZG_SIDE_BOTH + 1] = { 0 };
    struct enabled enabled = enabled_of(enable);

    (void)zg_receive_frames(wire, receiving, plan, &calls);
    for (guint i = 0; i < passed->len; i++) {
        const struct passed *frame = &g_array_index(passed, struct passed, i);
        touched[frame->from] += lies_of(&enabled, frame).touches;
    }
    const enum zg_side own = touched[ZG_SIDE_HOST] > touched[ZG_SIDE_DEVICE] ? ZG_SIDE_HOST : ZG_SIDE_DEVICE;
    enabled = enabled_of(enable);
    for (guint i = 0; i < passed->len; i++) {
        const struct passed *frame = &g_array_index(passed, struct passed, i);
        const struct lies lies = lies_of(&enabled, frame);
        const bool is_other = frame->from != own && frame->from != ZG_SIDE_BOTH;
        result.late += !is_other && lies.touches && !lies.begins_in;
        result.early += !is_other && lies.touches && !lies.ends_in;
        result.both += is_other && lies.touches;
    }
    g_array_unref(passed);
    return result;
}
