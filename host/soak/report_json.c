/* SPDX-License-Identifier: MIT */
#include "codec/describe.h"
#include "soak/report.h"
#include "soak/report_members.h"

static void faults_to_json(struct zg_json *json, const struct zg_way_faults *faults)
{
    g_autofree char *list = zg_faults_text(faults);

    zg_json_double(json, "ber", faults->line.bit_error_rate);
    zg_json_double(json, "drop", faults->line.drop);
    zg_json_double(json, "double", faults->line.twice);
    zg_json_double(json, "insert", faults->line.insert);
    zg_json_double(json, "latency_seconds", (double)faults->line.latency_ns * 1e-9);
    zg_json_double(json, "repeat", faults->repeat);
    zg_json_double(json, "swap", faults->swap);
    zg_json_double(json, "stray", faults->stray);
    zg_json_string(json, "all", list);
}

/* The members of an object. The planned length, which a run that goes on may change, is only there if it is asked for.
 */
static void settings_to_json(struct zg_json *json, const struct zg_plan *plan, const struct zg_soak_settings *settings,
                             bool with_length)
{
    const struct zg_faults *faults = &settings->faults;

    const char *link = settings->link ? settings->link->text : "sim:";
    zg_json_string(json, "link", link);
    if (settings->to > 0)
        zg_json_unsigned(json, "to", settings->to);
    if (with_length)
        zg_json_double(json, "seconds", (double)settings->duration_ns * 1e-9);
    zg_json_unsigned(json, "seed", settings->seed);
    zg_json_double(json, "load", settings->load);
    if (!settings->link)
        zg_json_double(json, "late_seconds", (double)settings->late_ns * 1e-9);
    zg_json_double(json, "slow_seconds", (double)settings->slow_ns * 1e-9);
    if (settings->bits)
        zg_json_string(json, "line", "bits");
    if (settings->own)
        zg_json_string(json, "traffic", "own");
    zg_json_unsigned(json, "baud", plan->definition->line.baud);
    zg_json_open(json, "faults", '{');
    if (zg_faults_are_even(faults)) {
        faults_to_json(json, &faults->way[0]);
    } else {
        for (unsigned i = 2; i-- > 0;) {
            zg_json_open(json, i == 0 ? "back" : "out", '{');
            faults_to_json(json, &faults->way[i]);
            zg_json_close(json, '}');
        }
    }
    zg_json_close(json, '}');
}

char *zg_soak_settings_json(const struct zg_plan *plan, const struct zg_soak_settings *settings)
{
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    settings_to_json(&json, plan, settings, false);
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}

static void arrived_to_json(struct zg_json *json, const struct zg_soak_result *result)
{
    static const char *const keys[2] = { "device", "host" };

    zg_json_open(json, "arrived", '{');
    for (unsigned end = 0; end < 2; end++) {
        zg_json_open(json, keys[end], '{');
        for (unsigned i = 0; i < ZG_CLASSES; i++)
            if (zg_class_is_of_arrivals((enum zg_class)i))
                zg_json_unsigned(json, zg_class_key((enum zg_class)i), result->sums.arrivals[end][i]);
        zg_json_close(json, '}');
    }
    zg_json_close(json, '}');
}

static void balances_to_json(struct zg_json *json, const struct zg_soak_result *result)
{
    zg_json_open(json, "balances", '[');
    for (unsigned i = 0; i < result->balances_count; i++) {
        zg_json_open(json, NULL, '{');
        zg_json_string(json, "left", result->balances[i].left_name);
        zg_json_unsigned(json, "left_count", result->balances[i].left);
        zg_json_string(json, "right", result->balances[i].right_name);
        zg_json_unsigned(json, "right_count", result->balances[i].right);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
}

static void counters_to_json(struct zg_json *json, const struct zg_soak_result *result)
{
    static const char *const keys[2] = { "device", "host" };

    zg_json_open(json, "counters", '{');
    for (unsigned end = 0; end < 2; end++) {
        zg_json_open(json, keys[end], '{');
        for (unsigned i = 0; i < ZG_COUNTERS; i++)
            zg_json_unsigned(json, zg_counter_names[i], zg_counters_get(&result->counters[end], i));
        zg_json_close(json, '}');
    }
    zg_json_close(json, '}');
}

static void line_to_json(struct zg_json *json, const struct zg_soak_result *result)
{
    static const char *const keys[2] = { "back", "out" };

    zg_json_open(json, "line", '{');
    for (unsigned end = 0; end < 2; end++) {
        const struct zg_sim_totals *totals = &result->line[end];
        zg_json_open(json, keys[end], '{');
        zg_json_unsigned(json, "bytes", totals->sent);
        zg_json_unsigned(json, "flipped_bits", totals->flipped_bits);
        zg_json_unsigned(json, "dropped", totals->dropped);
        zg_json_unsigned(json, "doubled", totals->doubled);
        zg_json_unsigned(json, "inserted", totals->inserted);
        zg_json_close(json, '}');
    }
    zg_json_close(json, '}');
}

/* What a real device reports about bytes, next to what this end counted. */
static void device_to_json(struct zg_json *json, const struct zg_soak_report *report)
{
    const struct zg_soak_result *result = report->result;

    if (!report->settings->link)
        return;
    zg_json_open(json, "device_bytes", '{');
    zg_json_unsigned(json, "written", result->written);
    zg_json_unsigned(json, "taken", result->device_took);
    zg_json_unsigned(json, "sent", result->device_sent);
    zg_json_unsigned(json, "read", result->read);
    zg_json_close(json, '}');
    zg_json_unsigned(json, "own_frames", result->own);
    zg_json_open(json, "traffic", '[');
    if (result->traffic & ZG_SOAK_ECHO)
        zg_json_string(json, NULL, "echo");
    if (result->traffic & ZG_SOAK_LISTEN)
        zg_json_string(json, NULL, "listen");
    if (result->traffic & ZG_SOAK_LOOPBACK)
        zg_json_string(json, NULL, "loopback");
    if (result->traffic & ZG_SOAK_OWN)
        zg_json_string(json, NULL, "own");
    for (unsigned end = 0; end < 2; end++)
        if (result->streams[end])
            zg_json_string(json, NULL, end == 0 ? "stream_back" : "stream_out");
    zg_json_close(json, ']');
    zg_json_unsigned(json, "refused", result->refused);
    zg_json_unsigned(json, "guessed", result->guessed);
    zg_json_unsigned(json, "own_echoes", result->own_echoes);
    zg_json_bool(json, "device_counted", result->device_counted);
    zg_json_open(json, "restarts_at", '[');
    for (unsigned i = 0; i < MIN(result->restarts, (unsigned)ZG_SOAK_RESTARTS); i++)
        zg_json_double(json, NULL, (double)result->restarted_ns[i] * 1e-9);
    zg_json_close(json, ']');
    if (result->fingerprint != 0) {
        zg_json_bool(json, "same_definition", result->same_definition);
        zg_json_string(json, "device_name", result->device);
        zg_json_open(json, "device_boots", '[');
        for (unsigned i = 0; i < ZG_SOAK_RESTARTS && result->boots[i] != 0; i++)
            zg_json_unsigned(json, NULL, result->boots[i]);
        zg_json_close(json, ']');
    }
    if (result->ended[0] != '\0')
        zg_json_string(json, "ended", result->ended);
    const uint64_t least_ns = zg_soak_least_trip_ns(report->plan);
    if (result->round_trip.count > 0)
        zg_json_bool(json, "keeps_rate", result->round_trip.least_ns >= least_ns);
}

static void spread_to_json(struct zg_json *json, const char *key, const struct zg_spread *spread)
{
    if (spread->count == 0)
        return;
    zg_json_open(json, key, '{');
    zg_json_unsigned(json, "count", spread->count);
    zg_json_double(json, "least", (double)spread->least_ns * 1e-9);
    zg_json_double(json, "p50", (double)zg_spread_at(spread, 0.5) * 1e-9);
    zg_json_double(json, "p99", (double)zg_spread_at(spread, 0.99) * 1e-9);
    zg_json_double(json, "most", (double)spread->most_ns * 1e-9);
    zg_json_close(json, '}');
}

static void proof_to_json(struct zg_json *json, const struct zg_soak_proof *proof)
{
    zg_json_open(json, "proof", '{');
    zg_json_unsigned(json, "sent", proof->sent);
    zg_json_unsigned(json, "hit", proof->hit);
    zg_json_unsigned(json, "seen", proof->seen);
    zg_json_unsigned(json, "harmless", proof->harmless);
    zg_json_unsigned(json, "missed", proof->missed);
    zg_json_unsigned(json, "hit_back", proof->hit_back);
    zg_json_unsigned(json, "damages", proof->damages);
    zg_json_bool(json, "holds", proof->holds);
    zg_json_close(json, '}');
}

char *zg_soak_report_json(const struct zg_soak_report *report)
{
    const struct zg_soak_result *result = report->result;
    const struct zg_definition *definition = report->plan->definition;
    struct zg_json json;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_protocol_to_json(definition, &json);
    zg_json_open(&json, "settings", '{');
    settings_to_json(&json, report->plan, report->settings, true);
    zg_json_close(&json, '}');
    zg_json_double(&json, "ran_seconds", (double)result->ran_ns * 1e-9);
    zg_json_double(&json, "poll_seconds", (double)result->poll_ns * 1e-9);
    zg_json_bool(&json, "stopped", result->stopped);
    if (report->settings->until)
        zg_json_bool(&json, "reached", result->reached);
    if (result->stopped_on > 0)
        zg_json_string(&json, "stopped_on", zg_soak_stop_name(result->stopped_on - 1));
    zgi_members_sent(&json, result);
    zg_json_unsigned(&json, "injected", result->injected);
    arrived_to_json(&json, result);
    zg_json_bool(&json, "adds_up", result->adds_up);
    if (result->proof.sent > 0)
        proof_to_json(&json, &result->proof);
    balances_to_json(&json, result);
    zgi_members_rates(&json, result);
    spread_to_json(&json, "round_trip_seconds", &result->round_trip);
    spread_to_json(&json, "round_trip_from_due_seconds", &result->from_due);
    zg_json_double(&json, "held_seconds", (double)result->held_ns * 1e-9);
    line_to_json(&json, result);
    device_to_json(&json, report);
    counters_to_json(&json, result);
    zgi_members_verdicts(&json, result, report->requirements, report->requirements_count);
    zg_json_bool(&json, "passed", zg_soak_passed(report));
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}
