/* SPDX-License-Identifier: MIT */
/* The figures of a page, and the numbers that they are drawn from. */
#include "codec/json.h"
#include "page/files.h"
#include "report/page_parts.h"
#include "soak/availability.h"
#include "soak/report_tables.h"

enum { BINS_MOST = 360, LATENCY_BINS = 48, MARKS_MOST = 100 };

static const char *const states[ZG_SECOND_STATES] = { "without frames",   "good",        "errored",
                                                      "severely errored", "unavailable", "not measured" };

/* Seconds for one bar or point. */
static guint bin_of(const struct zg_stored *stored)
{
    return MAX((stored->seconds->len + BINS_MOST - 1) / BINS_MOST, 1U);
}

static guint bins_of(const struct zg_stored *stored)
{
    return (stored->seconds->len + bin_of(stored) - 1) / bin_of(stored);
}

static const struct zg_stored_second *second_at(const struct zg_stored *stored, guint at)
{
    return &g_array_index(stored->seconds, struct zg_stored_second, at);
}

/* --- figures */

static void append_figure(GString *page, const char *name, const char *title, const char *more)
{
    g_string_append_printf(
        page,
        "<figure id=\"%s\"%s><figcaption>%s</figcaption><div class=\"chart\"><canvas role=\"img\" aria-label=\"%s; the "
        "numbers are in the table below\"></canvas></div><details><summary class=\"quiet\">as a "
        "table</summary></details></figure>\n",
        name, more, title, title);
}

/* The worst state in each bin, equal ones together. */
static void append_bar(GString *page, const struct zg_stored *stored)
{
    const guint bin = bin_of(stored), bins = bins_of(stored), count = stored->times->len;
    g_autofree uint8_t *each = zg_second_states(stored->times);
    g_autofree guint *counts = g_new0(guint, ZG_SECOND_STATES);
    guint run = 0;
    int before = -1;

    g_string_append(page,
                    "<figure><figcaption>availability: the worst second of each stretch of time; unavailable as ITU-T "
                    "G.826 has it</figcaption><div class=\"bar\" role=\"img\" aria-label=\"availability "
                    "over time; the numbers are beside the names below\">");
    for (guint i = 0; i <= bins; i++) {
        int state = -1;
        for (guint at = i * bin; i < bins && at < MIN((i + 1) * bin, count); at++) {
            counts[each[at]]++;
            if (state < 0 || each[at] > state || each[at] == ZG_SECOND_UNAVAILABLE)
                state = state == ZG_SECOND_UNAVAILABLE ? state : each[at];
        }
        if (state == before) {
            run++;
            continue;
        }
        if (before >= 0)
            g_string_append_printf(page, "<i class=\"state-%d\" style=\"flex:%u\"></i>", before, run);
        before = state;
        run = 1;
    }
    g_string_append(page, "</div><div class=\"legend\">");
    for (unsigned i = 0; i < ZG_SECOND_STATES; i++)
        if (counts[i] > 0)
            g_string_append_printf(page, "<span><i class=\"state-%u\"></i>%s: %u s</span>", i, states[i], counts[i]);
    g_string_append(page, "</div></figure>\n");
}

static uint64_t sum_of(const uint64_t *counts, guint count)
{
    uint64_t sum = 0;

    for (guint i = 0; i < count; i++)
        sum += counts[i];
    return sum;
}

void zgi_page_figures(GString *page, const struct zg_stored *stored)
{
    const struct zg_diagnosis *found = stored->diagnosis;
    g_autofree char *each =
        bin_of(stored) > 1 ? g_strdup_printf(", each bar %u s", bin_of(stored)) : g_strdup(", second by second");
    g_autofree char *errors = g_strdup_printf("what did not arrive as it should, by class%s; lines: marks (dotted) and "
                                              "events (dashed)",
                                              each);

    g_string_append(page,
                    "<h2>Over time</h2>\n<noscript><p class=\"note\">Charts need JavaScript; their numbers are in the "
                    "store.</p></noscript>\n");
    if (zgi_page_charts[0] == '\0')
        g_string_append(page, "<p class=\"note\">This build of zeugma has no charts.</p>\n");
    append_bar(page, stored);
    append_figure(page, "errors", errors, "");
    append_figure(page, "throughput", "bytes on the line, a second", " class=\"small\"");
    append_figure(page, "latency", "latency from when a frame was due, ms, on a logarithmic scale", " class=\"small\"");
    g_string_append(page, "<div class=\"pair\">\n");
    append_figure(page, "spread", "how many frames took how long", " class=\"small\"");
    if (sum_of(found->places[0], ZG_PLACES) + sum_of(found->places[1], ZG_PLACES) > 0)
        append_figure(page, "places", "where in its frame the first byte was hit", " class=\"small\"");
    if (sum_of(found->bits[0], 8) + sum_of(found->bits[1], 8) > 0)
        append_figure(page, "bits", "which bit of its byte was inverted", " class=\"small\"");
    g_string_append(page, "</div>\n");
}

/* --- numbers */

static void open_set(struct zg_json *json, const char *label)
{
    zg_json_open(json, NULL, '{');
    zg_json_string(json, "label", label);
    zg_json_open(json, "values", '[');
}

static void close_set(struct zg_json *json)
{
    zg_json_close(json, ']');
    zg_json_close(json, '}');
}

/* Errors of a class on both ways. What is damage, but no frame, is there as "damages". */
static uint64_t class_in(const struct zg_stored *stored, guint bin, unsigned class_)
{
    uint64_t count = 0;

    for (guint at = bin * bin_of(stored); at < MIN((bin + 1) * bin_of(stored), stored->seconds->len); at++)
        count += second_at(stored, at)->classes[0][class_] + second_at(stored, at)->classes[1][class_];
    return count;
}

static void classes_to_json(struct zg_json *json, const struct zg_stored *stored)
{
    zg_json_open(json, "classes", '[');
    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        uint64_t all = 0;
        for (guint bin = 0; bin < bins_of(stored); bin++)
            all += class_in(stored, bin, i);
        if (all == 0 || i == ZG_CLASS_DELIVERED || i == ZG_CLASS_CUT_OFF || i == ZG_CLASS_DETECTED)
            continue;
        open_set(json, zg_class_name((enum zg_class)i));
        for (guint bin = 0; bin < bins_of(stored); bin++)
            zg_json_unsigned(json, NULL, class_in(stored, bin, i));
        close_set(json);
    }
    zg_json_close(json, ']');
}

static void bytes_to_json(struct zg_json *json, const struct zg_stored *stored)
{
    const guint bin = bin_of(stored);

    zg_json_open(json, "bytes", '[');
    for (unsigned way = 0; way < 2; way++) {
        open_set(json, way == 0 ? "out" : "back");
        for (guint i = 0; i < bins_of(stored); i++) {
            const guint end = MIN((i + 1) * bin, stored->seconds->len);
            double sum = 0;
            for (guint at = i * bin; at < end; at++)
                sum += (double)second_at(stored, at)->bytes[way];
            zg_json_double(json, NULL, (double)(uint64_t)(sum / (end - i * bin) + 0.5));
        }
        close_set(json);
    }
    if (stored->evidence->byte_s > 0) {
        open_set(json, "the line's limit");
        for (guint i = 0; i < bins_of(stored); i++)
            zg_json_double(json, NULL, (double)(uint64_t)(1 / stored->evidence->byte_s + 0.5));
        close_set(json);
    }
    zg_json_close(json, ']');
}

static void latency_to_json(struct zg_json *json, const struct zg_stored *stored)
{
    static const char *const labels[] = { "most", "99 % within", "half within" };
    const guint bin = bin_of(stored);

    zg_json_open(json, "latency", '[');
    for (unsigned which = 0; which < 3; which++) {
        open_set(json, labels[which]);
        for (guint i = 0; i < bins_of(stored); i++) {
            uint32_t most = 0;
            for (guint at = i * bin; at < MIN((i + 1) * bin, stored->seconds->len); at++) {
                const struct zg_stored_second *second = second_at(stored, at);
                most = MAX(most, which == 0 ? second->most_us : which == 1 ? second->p99_us : second->p50_us);
            }
            if (most > 0)
                zg_json_double(json, NULL, most / 1000.0);
            else
                zg_json_null(json, NULL);
        }
        close_set(json);
    }
    zg_json_close(json, ']');
}

/* The latencies of all flows, in bins that grow by the same share each. */
static void histogram_to_json(struct zg_json *json, const struct zg_stored *stored)
{
    const struct zg_spread *spreads[ZG_FLOWS + 1] = { &stored->sums.round_trip };
    uint64_t least = UINT64_MAX, most = 0;

    for (unsigned i = 0; i < ZG_FLOWS; i++)
        spreads[i + 1] = &stored->one_way[i];
    for (unsigned i = 0; i <= ZG_FLOWS; i++) {
        least = spreads[i]->count > 0 ? MIN(least, spreads[i]->least_ns) : least;
        most = MAX(most, spreads[i]->most_ns);
    }
    if (most == 0)
        return;
    const unsigned from = zg_spread_bin(least), to = zg_spread_bin(most) + 1,
                   each = MAX((to - from + LATENCY_BINS - 1) / LATENCY_BINS, 1U);
    zg_json_open(json, "histogram", '{');
    zg_json_open(json, "labels", '[');
    for (unsigned bin = from; bin < to; bin += each) {
        g_autofree char *label = g_strdup_printf("%.3g", (double)zg_spread_top(MIN(bin + each, to) - 1) * 1e-6);
        zg_json_string(json, NULL, label);
    }
    zg_json_close(json, ']');
    zg_json_open(json, "sets", '[');
    for (unsigned i = 0; i <= ZG_FLOWS; i++) {
        if (spreads[i]->count == 0)
            continue;
        open_set(json, i == 0 ? zgi_round_trip_title(&stored->sums) : zg_flow_name((enum zg_flow)(i - 1)));
        for (unsigned bin = from; bin < to; bin += each) {
            uint64_t count = 0;
            for (unsigned k = bin; k < MIN(bin + each, to); k++)
                count += spreads[i]->bins[k];
            zg_json_unsigned(json, NULL, count);
        }
        close_set(json);
    }
    zg_json_close(json, ']');
    zg_json_close(json, '}');
}

/* Counts by place, out and back, up to the last that there are. */
static void counts_to_json(struct zg_json *json, const char *key, const uint64_t *out, const uint64_t *back, guint most)
{
    guint count = most;

    while (count > 0 && out[count - 1] + back[count - 1] == 0)
        count--;
    if (count == 0)
        return;
    zg_json_open(json, key, '{');
    zg_json_open(json, "labels", '[');
    for (guint i = 0; i < (most > 8 ? count : most); i++)
        zg_json_unsigned(json, NULL, i);
    zg_json_close(json, ']');
    zg_json_open(json, "sets", '[');
    for (unsigned way = 0; way < 2; way++) {
        open_set(json, way == 0 ? "out" : "back");
        for (guint i = 0; i < (most > 8 ? count : most); i++)
            zg_json_unsigned(json, NULL, way == 0 ? out[i] : back[i]);
        close_set(json);
    }
    zg_json_close(json, ']');
    zg_json_close(json, '}');
}

void zgi_page_numbers(GString *page, const struct zg_stored *stored)
{
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_unsigned(&json, "bin", bin_of(stored));
    zg_json_open(&json, "times", '[');
    for (guint i = 0; i < bins_of(stored); i++)
        zg_json_unsigned(&json, NULL, (uint64_t)i * bin_of(stored));
    zg_json_close(&json, ']');
    classes_to_json(&json, stored);
    bytes_to_json(&json, stored);
    latency_to_json(&json, stored);
    histogram_to_json(&json, stored);
    counts_to_json(&json, "places", stored->diagnosis->places[0], stored->diagnosis->places[1], ZG_PLACES);
    counts_to_json(&json, "bits", stored->diagnosis->bits[0], stored->diagnosis->bits[1], 8);
    zg_json_open(&json, "events", '[');
    for (guint i = 0; i < MIN(stored->events->len, (guint)MARKS_MOST); i++) {
        const struct zg_event *event = &g_array_index(stored->events, struct zg_event, i);
        zg_json_open(&json, NULL, '{');
        zg_json_double(&json, "at", (double)event->at_ns * 1e-9);
        zg_json_string(&json, "kind", zg_event_name(event->kind));
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, ']');
    zg_json_close(&json, '}');
    g_autofree char *text = zg_json_end(&json);
    g_auto(GStrv) parts = g_strsplit(text, "<", -1); /* nothing in it ends the element */
    g_autofree char *safe = g_strjoinv("\\u003c", parts);
    g_string_append(page, safe);
}
