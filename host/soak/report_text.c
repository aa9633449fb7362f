/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "plan/fingerprint.h"
#include "soak/report.h"

enum { NAME_WIDTH = 24, COLUMN = 13 };

static char *time_text(uint64_t ns)
{
    if (ns == 0)
        return g_strdup("0");
    if (ns >= UINT64_C(10000000000))
        return g_strdup_printf("%" G_GUINT64_FORMAT " s", (ns + 500000000) / 1000000000);
    if (ns >= 10000000)
        return g_strdup_printf("%" G_GUINT64_FORMAT " ms", (ns + 500000) / 1000000);
    return g_strdup_printf("%.3f ms", (double)ns / 1e6);
}

static void row_start(GString *text, const char *name)
{
    g_string_append_printf(text, "  %-*s", NAME_WIDTH, name);
}

static void cell(GString *text, uint64_t count)
{
    if (count > 0)
        g_string_append_printf(text, "%*" G_GUINT64_FORMAT, COLUMN, count);
    else
        g_string_append_printf(text, "%*s", COLUMN, "-");
}

/* What was sent on a real link. */
static void append_traffic(GString *text, const struct zg_soak_result *result)
{
    const bool echo = result->traffic & ZG_SOAK_ECHO, out = result->streams[1], back = result->streams[0];

    if (result->traffic & ZG_SOAK_LISTEN) {
        g_string_append(
            text, "traffic: listen, this end sends nothing; what is lost is told by the numbers in the headers, and\n"
                  "unknown before the first and after the last frame that came\n");
        if (result->guessed > 0)
            g_string_append_printf(text,
                                   "%" G_GUINT64_FORMAT
                                   " of the lost are known only by the sender's usual rate: so long "
                                   "nothing came that its numbers went round\n",
                                   result->guessed);
        return;
    }
    g_string_append_printf(text, "traffic: %s%s%s%s%s\n", echo ? "echo" : "", echo && (out || back) ? " and " : "",
                           out || back ? "stream" : "", out != back ? out ? " out" : " back" : "",
                           echo && (out || back) ? ", each with half of the load" : "");
}

static void append_faults(GString *text, const char *way, const struct zg_way_faults *faults, bool is_real)
{
    g_autofree char *latency = time_text(faults->line.latency_ns);

    g_string_append_printf(text, "faults %s%s: bit errors %g, bytes dropped %g, doubled %g, inserted %g",
                           is_real ? "at this end, " : "", way, faults->line.bit_error_rate, faults->line.drop,
                           faults->line.twice, faults->line.insert);
    if (!is_real)
        g_string_append_printf(text, ", latency %s; frames repeated %g, swapped %g, stray %g", latency, faults->repeat,
                               faults->swap, faults->stray);
    g_string_append_c(text, '\n');
}

static void append_settings(GString *text, const struct zg_soak_report *report)
{
    const struct zg_definition *definition = report->plan->definition;
    const struct zg_soak_settings *settings = report->settings;
    const struct zg_faults *faults = &settings->faults;
    g_autofree char *ran = time_text(report->result->ran_ns);
    g_autofree char *late = time_text(settings->late_ns);
    g_autofree char *slow = time_text(settings->slow_ns);
    g_autofree char *poll = time_text(report->result->poll_ns);

    g_autofree char *device = settings->to > 0 ? g_strdup_printf(", device %u", settings->to) : g_strdup("");
    const char *link = settings->link ? settings->link->text : "sim:";
    g_string_append_printf(text,
                           "soak of %s %u.%u on %s%s, %s%s at %" G_GUINT64_FORMAT
                           " baud, load %.0f %% each way, seed %" G_GUINT64_FORMAT "\n",
                           definition->protocol, definition->major, definition->minor, link, device, ran,
                           settings->link ? "" : " of virtual time", definition->line.baud, 100 * settings->load,
                           settings->seed);
    for (unsigned i = zg_faults_are_even(faults) ? 1 : 2; i-- > 0;)
        append_faults(text,
                      zg_faults_are_even(faults) ? "each way"
                      : i == 0                   ? "back"
                                                 : "out",
                      &faults->way[i], settings->link != NULL);
    if (!settings->link)
        g_string_append_printf(text, "a frame is late after %s one way, ", late);
    if (report->result->traffic & ZG_SOAK_LISTEN)
        g_string_append_printf(text, "this end's loop runs every %s%s\n", poll,
                               report->result->stopped ? "; stopped early" : "");
    else
        g_string_append_printf(text, "%s slow after %s there and back; %s every %s%s%s\n",
                               settings->link ? "an answer is" : "an answer", slow,
                               settings->link ? "this end's loop runs" : "both ends' loops run", poll,
                               report->result->echo ? "" : "; stream traffic only, because the header has no id",
                               report->result->stopped ? "; stopped early" : "");
    if (settings->link)
        append_traffic(text, report->result);
}

/* Whether a class is shown: those that are possible only on real links, if they occurred; late ones on the simulated
 * line, because a real one does not show a single way. */
static bool is_shown(const struct zg_soak_result *result, enum zg_class class_)
{
    bool occurred =
        class_ == ZG_CLASS_LATE ? !result->real : class_ < ZG_CLASS_LOST_EITHER || class_ > ZG_CLASS_CUT_OFF;

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        occurred = occurred || result->sums.entries[flow][class_] > 0;
    return occurred;
}

/* What happened to a real link during the run, with times. */
static void append_events(GString *text, const struct zg_soak_report *report)
{
    const struct zg_soak_result *result = report->result;

    if (result->fingerprint != 0 && !result->same_definition)
        g_string_append_printf(text,
                               "the device was built from another definition (its fingerprint is %08x, here it is "
                               "%08x): one of the two is outdated; zeugma compare shows what differs\n",
                               result->fingerprint, zg_fingerprint(report->plan));
    for (unsigned i = 0; i < MIN(result->restarts, (unsigned)ZG_SOAK_RESTARTS); i++) {
        g_autofree char *at = time_text(result->restarted_ns[i]);
        g_string_append_printf(text,
                               !result->restart_said[i] ? "the device restarted before %s, and did not say so\n"
                               : result->device_counted
                                   ? "the device restarted at %s; its counters are those since then\n"
                                   : "the device restarted at %s\n",
                               at);
    }
    if (result->restarts > ZG_SOAK_RESTARTS)
        g_string_append_printf(text, "... and %u times more\n", result->restarts - ZG_SOAK_RESTARTS);
    if (result->ended[0] != '\0')
        g_string_append_printf(text, "ended early: %s\n", result->ended);
}

static void append_sent(GString *text, const struct zg_soak_result *result)
{
    uint64_t total = 0;

    g_string_append_printf(text, "\n  %-*s", NAME_WIDTH, "frames sent");
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        g_string_append_printf(text, "%*s", COLUMN, zg_flow_name((enum zg_flow)flow));
    g_string_append_printf(text, "%*s\n", COLUMN, "all");
    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        uint64_t all = 0;
        if (!zg_class_is_of_entries((enum zg_class)i) || !is_shown(result, (enum zg_class)i))
            continue;
        row_start(text, zg_class_name((enum zg_class)i));
        for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
            cell(text, result->sums.entries[flow][i]);
            all += result->sums.entries[flow][i];
        }
        cell(text, all);
        g_string_append_c(text, '\n');
    }
    row_start(text, "sent");
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        cell(text, result->sums.sent[flow]);
        total += result->sums.sent[flow];
    }
    cell(text, total);
    g_string_append_c(text, '\n');
}

static void append_arrived(GString *text, const struct zg_soak_result *result)
{
    uint64_t sums[2] = { 0, 0 };

    g_string_append_printf(text, "\n  %-*s%*s%*s%*s\n", NAME_WIDTH, "arrived", COLUMN, "at device", COLUMN, "at host",
                           COLUMN, "all");
    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        if (!zg_class_is_of_arrivals((enum zg_class)i) || !is_shown(result, (enum zg_class)i))
            continue;
        row_start(text, zg_class_name((enum zg_class)i));
        for (unsigned end = 0; end < 2; end++) {
            cell(text, result->sums.arrivals[end][i]);
            sums[end] += result->sums.arrivals[end][i];
        }
        cell(text, result->sums.arrivals[0][i] + result->sums.arrivals[1][i]);
        g_string_append_c(text, '\n');
    }
    row_start(text, "arrived");
    cell(text, sums[0]);
    cell(text, sums[1]);
    cell(text, sums[0] + sums[1]);
    g_string_append_c(text, '\n');
}

static void append_balances(GString *text, const struct zg_soak_result *result)
{
    g_string_append(text, "\n  does it add up\n");
    for (unsigned i = 0; i < result->balances_count; i++) {
        const struct zg_soak_balance *balance = &result->balances[i];
        bool equal = (uint32_t)balance->left == (uint32_t)balance->right;
        g_string_append_printf(text, "  %12" G_GUINT64_FORMAT " %-36s %s %12" G_GUINT64_FORMAT " %s\n", balance->left,
                               balance->left_name, equal ? "= " : "!=", balance->right, balance->right_name);
    }
}

/* Troubles that the two links counted, except those with a count of 0. */
static void append_counters(GString *text, const struct zg_soak_result *result)
{
    static const char *const plain[] = { "bytes_in", "bytes_out", "bytes_of_frames", "frames_in", "frames_out", NULL };
    bool any = false;

    g_string_append_printf(text, "\n  %-*s%*s%*s\n", NAME_WIDTH, "counted by the links", COLUMN, "device", COLUMN,
                           "host");
    for (unsigned i = 0; i < ZG_COUNTERS; i++) {
        uint32_t device = zg_counters_get(&result->counters[0], i), host = zg_counters_get(&result->counters[1], i);
        if (!result->device_counted && i == 0)
            g_string_append(text, "  those of the device are unknown\n");
        if (g_strv_contains(plain, zg_counter_names[i]) || (device == 0 && host == 0))
            continue;
        row_start(text, zg_counter_names[i]);
        cell(text, device);
        cell(text, host);
        g_string_append_c(text, '\n');
        any = true;
    }
    if (!any)
        g_string_append(text, "  none of their counters of trouble moved\n");
    if (result->device_counted && result->counters[0].bytes_in == 0 && result->counters[1].bytes_out > 0)
        g_string_append(text, "  nothing reached the device, so it had nothing to count\n");
    if (result->counters[1].bytes_in == 0)
        g_string_append(text, "  nothing reached the host, so it had nothing to count\n");
}

static void append_rates(GString *text, const struct zg_soak_result *result, bool has_device)
{
    struct zg_soak_rate rate;

    g_string_append_printf(text, "\n  %-*s%*s%*s   %s\n", NAME_WIDTH, "rate", COLUMN, "count", COLUMN, "measured",
                           "95 % bounds (exact)");
    for (unsigned i = 0; zg_soak_rate_at(result, i, &rate); i++) {
        if (rate.on == (has_device ? ZG_SOAK_ON_SIM : ZG_SOAK_ON_REAL))
            continue;
        row_start(text, rate.key);
        if (rate.trials == 0) {
            g_string_append_printf(text, "%*s%*s   no %s to count it in\n", COLUMN, "-", COLUMN, "unknown", rate.of);
            continue;
        }
        cell(text, rate.errors);
        if (rate.errors > 0)
            g_string_append_printf(text, "%*.2e   %.2e to %.2e of %s\n", COLUMN,
                                   (double)rate.errors / (double)rate.trials, rate.low, rate.high, rate.of);
        else
            g_string_append_printf(text, "%*s   at most %.2e of %s\n", COLUMN, "none seen", rate.high, rate.of);
    }
}

static void append_spread(GString *text, const char *what, const struct zg_spread *spread)
{
    g_autofree char *least = time_text(spread->least_ns);
    g_autofree char *half = time_text(zg_spread_at(spread, 0.5));
    g_autofree char *most_of = time_text(zg_spread_at(spread, 0.99));
    g_autofree char *most = time_text(spread->most_ns);

    g_string_append_printf(text, "  %s: least %s, half within %s, 99 %% within %s, most %s\n", what, least, half,
                           most_of, most);
}

static void append_line(GString *text, const struct zg_soak_report *report)
{
    const struct zg_soak_settings *settings = report->settings;
    const struct zg_soak_result *result = report->result;
    const struct zg_sim_totals *device = &result->line[0], *host = &result->line[1];
    const struct zg_spread *spread = &result->round_trip;

    g_string_append_printf(text,
                           "\n  the line carried %" G_GUINT64_FORMAT " bytes out and %" G_GUINT64_FORMAT
                           " back; it flipped %" G_GUINT64_FORMAT " bits, dropped %" G_GUINT64_FORMAT
                           " bytes, doubled %" G_GUINT64_FORMAT ", inserted %" G_GUINT64_FORMAT "\n",
                           host->sent, device->sent, device->flipped_bits + host->flipped_bits,
                           device->dropped + host->dropped, device->doubled + host->doubled,
                           device->inserted + host->inserted);
    if (settings->link && result->device_counted)
        g_string_append_printf(text,
                               "  according to the device it received %" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT
                               " bytes written; of %" G_GUINT64_FORMAT " that it sent, %" G_GUINT64_FORMAT
                               " were read\n  besides the echoes it sent %" G_GUINT64_FORMAT " frames of its own\n",
                               result->device_took, result->written, result->device_sent, result->read, result->own);
    if (result->refused > 0)
        g_string_append_printf(text,
                               "  %" G_GUINT64_FORMAT
                               " times its ring was full when a frame of its stream was due, which was not sent\n",
                               result->refused);
    if (spread->count == 0)
        return;
    append_spread(text, "echo round trip", spread);
    append_spread(text, "from when it was due by the load", &result->from_due);
    if (result->held_ns > settings->slow_ns) {
        g_autofree char *held = time_text(result->held_ns);
        g_string_append_printf(
            text, "  the last echo was sent %s late: with so many open the link does not carry this load\n", held);
    }
    const uint64_t alone_ns = zg_soak_least_trip_ns(report->plan);
    if (!settings->link || spread->least_ns >= alone_ns)
        return;
    g_autofree char *alone = time_text(alone_ns);
    g_string_append_printf(text,
                           "  this link does not keep the line's rate: the bytes of the shortest echo alone take %s "
                           "there and back at %" G_GUINT64_FORMAT " baud\n",
                           alone, report->plan->definition->line.baud);
}

static void append_requirement(GString *text, const struct zg_soak_report *report,
                               const struct zg_soak_requirement *requirement)
{
    static const char *const words[] = { "met:      ", "failed:   ", "not shown:" };
    struct zg_soak_rate rate;
    const enum zg_soak_verdict verdict = zg_soak_judge(report->result, requirement, &rate);
    const double percent = 100 * requirement->confidence;

    g_string_append_printf(text, "  %s %s ", words[verdict], requirement->key);
    if (requirement->none) {
        g_string_append_printf(text, "= 0, %" G_GUINT64_FORMAT " seen in %" G_GUINT64_FORMAT " %s\n", rate.errors,
                               rate.trials, rate.of);
        return;
    }
    g_string_append_printf(text, "<= %g, because at %g %% confidence it is at ", requirement->limit, percent);
    if (verdict == ZG_SOAK_FAILED)
        g_string_append_printf(text, "least %.2e", rate.low);
    else
        g_string_append_printf(text, "most %.2e", rate.high);
    if (verdict == ZG_SOAK_NOT_SHOWN) {
        const uint64_t needed = zg_rate_trials_needed(rate.errors, requirement->limit, requirement->confidence);
        if (needed == UINT64_MAX)
            g_string_append(text, "; no soak can show a rate of 0, but = 0 that none is seen");
        else
            g_string_append_printf(text,
                                   ";\n             %" G_GUINT64_FORMAT " %s with no more than %" G_GUINT64_FORMAT
                                   " would show it, a soak about %.3g times as long",
                                   needed, rate.of, rate.errors, (double)needed / (double)MAX(rate.trials, 1));
    }
    g_string_append_c(text, '\n');
}

static void append_verdict(GString *text, const struct zg_soak_report *report)
{
    const struct zg_soak_result *result = report->result;

    g_string_append_c(text, '\n');
    for (unsigned i = 0; i < report->requirements_count; i++)
        append_requirement(text, report, &report->requirements[i]);
    if (!result->adds_up)
        g_string_append(text,
                        "verdict: failed, the ledger does not add up; please report this with the settings above\n");
    else if (result->ended[0] != '\0')
        g_string_append(
            text, "verdict: none, because the soak did not run to its end; what was measured until then adds up\n");
    else if (report->requirements_count == 0)
        g_string_append(
            text,
            "verdict: every frame and byte is accounted for; no requirement was set (--require \"lost <= 1e-4\")\n");
    else
        g_string_append_printf(text, "verdict: %s; every frame and byte is accounted for\n",
                               zg_soak_passed(report) ? "passed, all requirements are met"
                                                      : "failed, not all requirements are met");
}

char *zg_soak_claim_text(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                         const struct zg_soak_requirement *requirement)
{
    GString *text = g_string_new(NULL);
    struct zg_soak_result none = { .real = settings->link != NULL };
    struct zg_soak_rate rate;

    (void)zg_soak_judge(&none, requirement, &rate);
    g_string_append_printf(text, "%s <= %g is shown at %g %% confidence by\n", requirement->key, requirement->limit,
                           100 * requirement->confidence);
    for (unsigned errors = 0; errors < 3; errors++) {
        const uint64_t needed = zg_rate_trials_needed(errors, requirement->limit, requirement->confidence);
        if (needed == UINT64_MAX) {
            g_string_append(text, "  no soak: none shows a rate of 0\n");
            break;
        }
        const double seconds = zg_soak_time_for_ns(plan, settings, requirement, needed) * 1e-9;
        g_string_append_printf(text, "  %12" G_GUINT64_FORMAT " %s with %s, ", needed, rate.of,
                               errors == 0   ? "none"
                               : errors == 1 ? "one"
                                             : "two");
        if (seconds < 120)
            g_string_append_printf(text, "about %.3g s", seconds);
        else if (seconds < 2 * 86400.0)
            g_string_append_printf(text, "about %.3g h", seconds / 3600);
        else
            g_string_append_printf(text, "about %.3g days", seconds / 86400);
        g_string_append_printf(text, " at load %g on this line\n", settings->load);
    }
    return g_string_free(text, FALSE);
}

char *zg_soak_report_text(const struct zg_soak_report *report)
{
    GString *text = g_string_new(NULL);

    append_settings(text, report);
    append_events(text, report);
    append_sent(text, report->result);
    append_arrived(text, report->result);
    append_balances(text, report->result);
    append_counters(text, report->result);
    append_rates(text, report->result, report->settings->link != NULL);
    append_line(text, report);
    append_verdict(text, report);
    return g_string_free(text, FALSE);
}
