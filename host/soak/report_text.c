/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "plan/fingerprint.h"
#include "soak/report.h"
#include "soak/report_tables.h"

/* What was sent on a real link. */
static void append_traffic(GString *text, const struct zg_soak_result *result)
{
    const bool echo = result->traffic & ZG_SOAK_ECHO, out = result->streams[1], back = result->streams[0];

    if (result->traffic == ZG_SOAK_OWN) {
        g_string_append(
            text, "traffic: own messages of the definition; an answer or an acknowledgement tells that one "
                  "arrived, where there\n"
                  "is none nothing does; what the device sends is told by the numbers in its headers, if it has any\n");
        return;
    }
    if (result->traffic == ZG_SOAK_LOOPBACK) {
        g_string_append(
            text, "traffic: loopback, what this end sends comes back by a wire from TX to RX; there is no device\n");
        return;
    }
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
    g_autofree char *list = zg_faults_text(faults);

    g_string_append_printf(text, "faults %s%s: %s\n", is_real ? "at this end, " : "", way,
                           list[0] != '\0' ? list : "none");
}

/* That the ledger sees what is done to its frames. */
static void append_proof(GString *text, const struct zg_soak_proof *proof)
{
    g_string_append_printf(
        text,
        "the ledger was tried before: of %" G_GUINT64_FORMAT " echoes %" G_GUINT64_FORMAT
        " were damaged here when they left, %" G_GUINT64_FORMAT " of these are missing in it, %" G_GUINT64_FORMAT
        " were hit\nwithout harm and %" G_GUINT64_FORMAT " are said to be delivered; %" G_GUINT64_FORMAT
        " bytes were damaged when they arrived, and it found %" G_GUINT64_FORMAT " damages: %s\n",
        proof->sent, proof->hit, proof->seen, proof->harmless, proof->missed, proof->hit_back, proof->damages,
        proof->holds ? "it sees them" : "IT CANNOT BE RELIED ON");
}

static void append_settings(GString *text, const struct zg_soak_report *report)
{
    const struct zg_definition *definition = report->plan->definition;
    const struct zg_soak_settings *settings = report->settings;
    const struct zg_faults *faults = &settings->faults;
    g_autofree char *ran = zgi_time_text(report->result->ran_ns);
    g_autofree char *late = zgi_time_text(settings->late_ns);
    g_autofree char *slow = zgi_time_text(settings->slow_ns);
    g_autofree char *poll = zgi_time_text(report->result->poll_ns);

    g_autofree char *device = settings->to > 0 ? g_strdup_printf(", device %u", settings->to) : g_strdup("");
    g_autofree char *load =
        settings->own ? g_strdup("") : g_strdup_printf(", load %.0f %% each way", 100 * settings->load);
    const char *link = settings->link ? settings->link->text : "sim:";
    g_string_append_printf(
        text, "soak of %s %u.%u on %s%s%s, %s%s at %" G_GUINT64_FORMAT " baud%s, seed %" G_GUINT64_FORMAT "\n",
        definition->protocol, definition->major, definition->minor, link, device, settings->bits ? " by the bit" : "",
        ran, settings->link ? "" : " of virtual time", definition->line.baud, load, settings->seed);
    for (unsigned i = settings->own ? 0 : zg_faults_are_even(faults) ? 1 : 2; i-- > 0;)
        append_faults(text,
                      zg_faults_are_even(faults) ? "each way"
                      : i == 0                   ? "back"
                                                 : "out",
                      &faults->way[i], settings->link != NULL);
    if (settings->fault_times)
        g_string_append(text, "and those of a file, at their times\n");
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
    if (report->result->proof.sent > 0)
        append_proof(text, &report->result->proof);
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
        g_autofree char *at = zgi_time_text(result->restarted_ns[i]);
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

    g_string_append_printf(text, "\n  %-*s%*s%*s\n", ZGI_NAME_WIDTH, "counted by the links", ZGI_COLUMN, "device",
                           ZGI_COLUMN, "host");
    for (unsigned i = 0; i < ZG_COUNTERS; i++) {
        uint32_t device = zg_counters_get(&result->counters[0], i), host = zg_counters_get(&result->counters[1], i);
        if (!result->device_counted && i == 0 && result->traffic != ZG_SOAK_LOOPBACK && result->traffic != ZG_SOAK_OWN)
            g_string_append(text, "  those of the device are unknown\n");
        if (g_strv_contains(plain, zg_counter_names[i]) || (device == 0 && host == 0))
            continue;
        zgi_row_start(text, zg_counter_names[i]);
        zgi_cell(text, device);
        zgi_cell(text, host);
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
    zgi_table_spread(text,
                     result->traffic == ZG_SOAK_LOOPBACK ? "round trip"
                     : result->traffic == ZG_SOAK_OWN    ? "from message to answer"
                                                         : "echo round trip",
                     spread);
    zgi_table_spread(text, "from when it was due by the load", &result->from_due);
    if (result->held_ns > settings->slow_ns) {
        g_autofree char *held = zgi_time_text(result->held_ns);
        g_string_append_printf(
            text, "  the last echo was sent %s late: with so many open the link does not carry this load\n", held);
    }
    const uint64_t alone_ns = zg_soak_least_trip_ns(report->plan);
    if (!settings->link || spread->least_ns >= alone_ns)
        return;
    g_autofree char *alone = zgi_time_text(alone_ns);
    g_string_append_printf(text,
                           "  this link does not keep the line's rate: the bytes of the shortest echo alone take %s "
                           "there and back at %" G_GUINT64_FORMAT " baud\n",
                           alone, report->plan->definition->line.baud);
}

static void append_verdict(GString *text, const struct zg_soak_report *report)
{
    const struct zg_soak_result *result = report->result;

    g_string_append_c(text, '\n');
    if (report->settings->until) {
        g_autofree char *ran = zgi_time_text(result->ran_ns);
        zgi_table_requirement(text, report->result, report->settings->until);
        g_string_append_printf(text,
                               result->reached ? "  it ended after %s, when that was shown\n"
                                               : "  it went on for %s without showing that or the contrary\n",
                               ran);
    }
    if (result->stopped_on > 0)
        g_string_append_printf(text, "  it ended with the first: %s\n", zg_soak_stop_name(result->stopped_on - 1));
    for (unsigned i = 0; i < report->requirements_count; i++)
        zgi_table_requirement(text, report->result, &report->requirements[i]);
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
    zgi_table_sent(text, report->result);
    zgi_table_arrived(text, report->result);
    append_balances(text, report->result);
    append_counters(text, report->result);
    zgi_table_rates(text, report->result);
    if (report->journal)
        zgi_table_time(text, zg_journal_times(report->journal));
    append_line(text, report);
    append_verdict(text, report);
    return g_string_free(text, FALSE);
}
