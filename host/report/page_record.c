/* SPDX-License-Identifier: MIT */
/* The part of a page that can be filed: what was tested, with what, by which rule, and what was not covered. */
#include "report/page_parts.h"
#include "soak/availability.h"
#include "soak/report_tables.h"

static void append_entry(GString *page, const char *name, const char *value)
{
    zgi_page(page, "<dt>%s</dt><dd>%s</dd>\n", name, value);
}

static char *hash_of(const char *file)
{
    g_autoptr(GMappedFile) mapped = file ? g_mapped_file_new(file, FALSE, NULL) : NULL;

    if (!mapped)
        return NULL;
    return g_compute_checksum_for_data(G_CHECKSUM_SHA256, (const guchar *)g_mapped_file_get_contents(mapped),
                                       g_mapped_file_get_length(mapped));
}

static char *rule_of(const struct zg_stored *stored)
{
    if (stored->requirements->len == 0)
        return g_strdup("none was set");
    return g_strdup(
        stored->sums.any_time
            ? "each requirement is a one-sided claim at its confidence, judged by bounds that hold at all times "
              "(beta-mixture supermartingale), because the run was interrupted, continued or ended by what it "
              "showed; where errors cluster, by the wider bounds"
            : "each requirement is a one-sided claim at its confidence, judged once, at the planned end, by exact "
              "bounds (Clopper and Pearson); where errors cluster, by the wider bounds");
}

/* What nobody can conclude anything about. */
static void append_gaps(GString *page, const struct zg_stored *stored)
{
    const struct zg_ledger_sums *sums = &stored->sums.sums;
    const uint64_t held = zg_seconds_held(stored->times);
    struct zg_soak_rate rate;

    g_string_append(page, "<dt>not covered</dt><dd><ul class=\"plain\">\n");
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        if (sums->sent[flow] == 0 && !g_str_equal(zgi_flow_title(&stored->sums, flow), "-"))
            zgi_page(page, "<li>%s: nothing was sent</li>\n", zgi_flow_title(&stored->sums, flow));
    for (unsigned i = 0; zg_soak_rate_at(&stored->sums, i, &rate); i++)
        if (rate.trials == 0)
            zgi_page(page, "<li>%s: there were no %s to count it in</li>\n", rate.key, rate.of);
    if (held > 0)
        g_string_append_printf(page, "<li>%" G_GUINT64_FORMAT " s in which the computer that soaked was held up</li>\n",
                               held);
    if (stored->ran_s < stored->planned_s - 1e-3)
        g_string_append_printf(page, "<li>%.0f s of the planned time</li>\n", stored->planned_s - stored->ran_s);
    for (unsigned way = 0; way < 2; way++)
        if (stored->diagnosis->looked_at[way] < stored->diagnosis->damages[way])
            g_string_append_printf(page, "<li>%s: the bytes of %" G_GUINT64_FORMAT " damages are not known</li>\n",
                                   way ? "back" : "out",
                                   stored->diagnosis->damages[way] - stored->diagnosis->looked_at[way]);
    g_string_append(page, "<li>undetected damage over a year: not computed</li>\n</ul></dd>\n");
}

void zgi_page_record(GString *page, const struct zg_stored *stored, const char *file)
{
    g_autofree char *fingerprint = g_strdup_printf("%s, fingerprint %08x", stored->protocol, stored->fingerprint);
    g_autofree char *times = g_strdup_printf("%s (UTC), %.0f s in %u part%s", stored->begun, stored->ran_s,
                                             stored->parts, stored->parts == 1 ? "" : "s");
    g_autofree char *run = g_strdup_printf("%" G_GINT64_FORMAT, stored->run);
    g_autofree char *hash = hash_of(file), *rule = rule_of(stored);
    g_autofree char *restarts = g_strdup_printf("%u seen", stored->evidence->restarts->len);

    g_string_append(page, "<h2>For the file</h2>\n<dl>\n");
    append_entry(page, "tested", fingerprint);
    append_entry(page, "link", stored->link);
    append_entry(page, "adapter", stored->adapter ? stored->adapter : "none that is known");
    append_entry(page, "device", stored->device && stored->device[0] != '\0' ? stored->device : "gave no name");
    append_entry(page, "boot numbers", stored->boots ? stored->boots : "none are known");
    append_entry(page, "restarts", restarts);
    append_entry(page, "tool", stored->tool);
    append_entry(page, "host", stored->host);
    append_entry(page, "when", times);
    append_entry(page, "settings", stored->settings_text ? stored->settings_text : stored->settings);
    append_entry(page, "decision rule", rule);
    append_entry(page, "run of the store", run);
    if (hash)
        append_entry(page, "store's SHA-256", hash);
    append_gaps(page, stored);
    g_string_append(page, "</dl>\n");
    if (stored->command)
        zgi_page(page, "<p class=\"note\">The command that repeats the run:</p><pre class=\"command\">%s</pre>\n",
                 stored->command);
}
