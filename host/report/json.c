/* SPDX-License-Identifier: MIT */
/* A stored run as JSON. */
#include "codec/json.h"
#include "report/report.h"
#include "soak/availability.h"
#include "soak/report_members.h"

static void availability_to_json(struct zg_json *json, const char *key, const struct zg_availability *found)
{
    if (found->interval_s == 0)
        return;
    zg_json_open(json, key, '{');
    zg_json_unsigned(json, "interval_seconds", found->interval_s);
    zg_json_unsigned(json, "intervals", found->seconds);
    zg_json_unsigned(json, "available", found->available);
    zg_json_unsigned(json, "errored", found->errored);
    zg_json_unsigned(json, "severely_errored", found->severe);
    zg_json_unsigned(json, "background_frames", found->frames);
    zg_json_unsigned(json, "background_lost", found->bad);
    zg_json_unsigned(json, "outages", found->outages);
    zg_json_unsigned(json, "longest_outage", found->longest);
    zg_json_close(json, '}');
}

static void time_to_json(struct zg_json *json, const GArray *times)
{
    static const char *const keys[ZG_PATHS] = { "out", "back", "trip" };

    zg_json_open(json, "time", '{');
    for (unsigned path = 0; path < ZG_PATHS; path++) {
        const struct zg_availability found = zg_availability_of(times, (enum zg_path)path);
        availability_to_json(json, keys[path], &found);
    }
    const struct zg_availability all = zg_availability_of_all(times);
    zg_json_unsigned(json, "seconds", all.seconds);
    zg_json_unsigned(json, "available_seconds", all.available);
    zg_json_unsigned(json, "outages", all.outages);
    zg_json_unsigned(json, "longest_outage_seconds", all.longest);
    zg_json_unsigned(json, "not_measured_seconds", zg_seconds_held(times));
    zg_json_close(json, '}');
}

char *zg_report_json(const struct zg_stored *stored, const struct zg_against *against)
{
    struct zg_json json;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_json_signed(&json, "run", stored->run);
    zg_json_string(&json, "begun", stored->begun);
    zg_json_string(&json, "tool", stored->tool);
    zg_json_string(&json, "protocol", stored->protocol);
    zg_json_unsigned(&json, "fingerprint", stored->fingerprint);
    zg_json_string(&json, "link", stored->link);
    zg_json_literal(&json, "settings", stored->settings);
    zg_json_double(&json, "planned_seconds", stored->planned_s);
    zg_json_double(&json, "ran_seconds", stored->ran_s);
    zg_json_unsigned(&json, "parts", stored->parts);
    if (stored->ended)
        zg_json_string(&json, "ended", stored->ended);
    zgi_members_sent(&json, &stored->sums);
    zgi_members_rates(&json, &stored->sums);
    time_to_json(&json, stored->times);
    zg_json_open(&json, "damages", '{');
    for (unsigned way = 0; way < 2; way++) {
        zg_json_open(&json, way == 0 ? "out" : "back", '{');
        for (unsigned i = 0; i <= ZG_DAMAGE_NAMES; i++)
            zg_json_unsigned(&json, i < ZG_DAMAGE_NAMES ? zg_damage_key((enum zg_damage_name)i) : "unknown",
                             stored->damages[way][i]);
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, '}');
    zg_diagnosis_to_json(stored->diagnosis, &json);
    if (against)
        zg_comparison_to_json(&against->comparison, against->other, &json);
    zg_json_open(&json, "events", '[');
    for (guint i = 0; i < stored->events->len; i++) {
        const struct zg_event *event = &g_array_index(stored->events, struct zg_event, i);
        zg_json_open(&json, NULL, '{');
        zg_json_double(&json, "at_seconds", (double)event->at_ns * 1e-9);
        zg_json_string(&json, "kind", zg_event_name(event->kind));
        zg_json_string(&json, "text", event->text);
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, ']');
    zgi_members_verdicts(&json, &stored->sums,
                         (const struct zg_soak_requirement *)(const void *)stored->requirements->data,
                         stored->requirements->len);
    zg_json_bool(&json, "passed", zg_stored_passed(stored));
    zg_json_bool(&json, "at_any_time", stored->sums.any_time);
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}
