/* SPDX-License-Identifier: MIT */
#include "soak/report_members.h"

const char *const zgi_verdict_words[] = { "met", "failed", "not shown" };

void zgi_members_sent(struct zg_json *json, const struct zg_soak_result *result)
{
    static const char *const keys[ZG_FLOWS] = { "echo_out", "echo_back", "stream_out", "stream_back" };

    zg_json_open(json, "sent", '{');
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        zg_json_open(json, keys[flow], '{');
        zg_json_unsigned(json, "sent", result->sums.sent[flow]);
        for (unsigned i = 0; i < ZG_CLASSES && zg_class_is_of_entries((enum zg_class)i); i++)
            zg_json_unsigned(json, zg_class_key((enum zg_class)i), result->sums.entries[flow][i]);
        zg_json_close(json, '}');
    }
    zg_json_close(json, '}');
}

static void rate_to_json(struct zg_json *json, const char *key, const struct zg_soak_rate *rate)
{
    zg_json_open(json, key, '{');
    zg_json_unsigned(json, "count", rate->errors);
    zg_json_unsigned(json, "of", rate->trials);
    zg_json_double(json, "low", rate->low);
    zg_json_double(json, "high", rate->high);
    if (rate->cluster.clustered) {
        zg_json_open(json, "clustered", '{');
        zg_json_double(json, "low", rate->wide_low);
        zg_json_double(json, "high", rate->wide_high);
        zg_json_double(json, "dispersion", rate->cluster.dispersion);
        zg_json_unsigned(json, "blocks", rate->cluster.blocks);
        zg_json_unsigned(json, "block_seconds", rate->cluster.block_s);
        zg_json_unsigned(json, "disturbances", rate->cluster.disturbances);
        zg_json_close(json, '}');
    }
    zg_json_close(json, '}');
}

void zgi_members_rates(struct zg_json *json, const struct zg_soak_result *result)
{
    struct zg_soak_rate rate;

    zg_json_open(json, "rates", '{');
    for (unsigned i = 0; zg_soak_rate_at(result, i, &rate); i++)
        if (rate.on != ZG_SOAK_ON_SIM || !result->real)
            rate_to_json(json, rate.key, &rate);
    zg_json_close(json, '}');
}

void zgi_members_verdicts(struct zg_json *json, const struct zg_soak_result *result,
                          const struct zg_soak_requirement *requirements, unsigned count)
{
    zg_json_open(json, "requirements", '[');
    for (unsigned i = 0; i < count; i++) {
        struct zg_soak_rate rate;
        const enum zg_soak_verdict verdict = zg_soak_judge(result, &requirements[i], &rate);
        zg_json_open(json, NULL, '{');
        zg_json_string(json, "rate", rate.key);
        zg_json_double(json, "limit", requirements[i].limit);
        zg_json_double(json, "confidence", requirements[i].confidence);
        zg_json_string(json, "verdict", zgi_verdict_words[verdict]);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
}
