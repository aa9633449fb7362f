/* SPDX-License-Identifier: MIT */
/* How long it takes to read and check a definition of 500 messages, and to generate each target from it: the median of
 * several runs, milliseconds. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "analysis/budget.h"
#include "generate/generate.h"

enum { MESSAGES = 500, RUNS = 21 };

/* Five fields each: integers, an enum, a scaled value, text and an array. */
static char *large_definition(void)
{
    GString *text =
        g_string_new("zeugma: 1\nprotocol: large\nversion: 1.0\nframe: { framing: cobs, header: [id: u16, "
                     "sequence: u8], check: crc32/iso-hdlc, max_payload: 128 }\n"
                     "enums:\n  state: { type: u3, values: { idle: 0, weaving: 1, stopped: 2 } }\nmessages:\n");
    for (unsigned i = 0; i < MESSAGES; i++)
        g_string_append_printf(
            text,
            "  message_%u:\n    id: %u\n    from: device\n    summary: Message number %u\n    fields:\n"
            "      number: u32\n      state: state\n      locked: bool\n"
            "      tension: { type: i16, scale: 0.01, unit: N, range: [0, 250], summary: Warp tension }\n"
            "      name: \"text[..20]\"\n      lifts: \"u16[8]\"\n",
            i, i, i);
    return g_string_free(text, FALSE);
}

struct run {
    struct zg_definition *definition;
    struct zg_plan *plan;
};

static struct run check(const char *text)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("large.yaml");
    struct run run = { zg_definition_parse("large.yaml", text, strlen(text), diagnostics), NULL };

    run.plan = zg_plan_new(run.definition, diagnostics);
    zg_budget_check(run.plan, diagnostics);
    zg_diagnostics_free(diagnostics);
    return run;
}

static void clear(struct run *run)
{
    zg_plan_free(run->plan);
    zg_definition_free(run->definition);
}

static int by_value(const void *a, const void *b)
{
    double left = *(const double *)a, right = *(const double *)b;
    return (left > right) - (left < right);
}

/* The median of RUNS calls, milliseconds. */
static double median(void (*call)(void *data), void *data)
{
    double times[RUNS];

    for (unsigned i = 0; i < RUNS; i++) {
        gint64 begin = g_get_monotonic_time();
        call(data);
        times[i] = (double)(g_get_monotonic_time() - begin) / 1000;
    }
    qsort(times, RUNS, sizeof times[0], by_value);
    return times[RUNS / 2];
}

static void run_check(void *data)
{
    struct run run = check(data);
    clear(&run);
}

struct generation {
    GPtrArray *(*print)(const struct zg_plan *plan, enum zg_side sides);
    const struct zg_plan *plan;
};

static void run_generation(void *data)
{
    const struct generation *generation = data;
    g_ptr_array_unref(generation->print(generation->plan, ZG_SIDE_BOTH));
}

int main(void)
{
    g_autofree char *text = large_definition();
    struct run run = check(text);
    double all = 0;

    printf("a definition of %d messages, %zu bytes; median of %d runs\n", MESSAGES, strlen(text), RUNS);
    printf("  %-24s%8.1f ms (goal: under 50)\n", "check", median(run_check, text));
    for (unsigned i = 0; i < zg_targets_length; i++) {
        struct generation generation = { zg_targets[i].print, run.plan };
        double time = median(run_generation, &generation);
        printf("  generate %-15s%8.1f ms\n", zg_targets[i].name, time);
        all += time;
    }
    printf("  %-24s%8.1f ms (goal: under 500)\n", "generate, all targets", all);
    clear(&run);
    return 0;
}
