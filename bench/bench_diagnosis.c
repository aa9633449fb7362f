/* SPDX-License-Identifier: MIT */
/*
 * How often the diagnosis names what was done: seeded soaks on the simulated line with one cause each, cut off after a
 * number of damages, and how often each cause was named, missed, and another one named that was not there. Arguments:
 * how many runs, 100; which row alone, from 0 on; a third prints each run that went wrong.
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "diagnosis/diagnosis.h"
#include "measure.h"
#include "sim/random.h"
#include "soak/soak.h"

static const char definition_text[] =
    "zeugma: 1\nprotocol: p\nversion: 1.0\nline: { baud: 115200 }\nframe: { framing: cobs, header: [id: u8, sequence: "
    "u8], check: crc16/ibm-3740 }\nmessages: { m: { id: 1, from: both, fields: { data: \"bytes[..60]\" } } }\n";

/* A row of the table. */
struct row {
    const char *name;
    const char *faults; /* "%g" stands for a number from..to, by chance, and of either sign if `to` is below 0 */
    double from, to;
    unsigned damages; /* after which the soak is cut off; 0: it is not. Bursts are half a second apart */
    unsigned seconds;
    enum zg_cause cause; /* ZG_CAUSES: none */
    bool bits;
};

static const struct row rows[] = {
    { "nothing", "latency=1ms", 0, 0, 0, 30, ZG_CAUSES, false },
    { "bit errors", "ber=1e-5", 0, 0, 5, 60, ZG_CAUSE_BITS, false },
    { "bit errors", "ber=3e-5", 0, 0, 100, 200, ZG_CAUSE_BITS, false },
    { "bursts of 3 frames", "burst=0.5/20ms/0.01", 0, 0, 10, 120, ZG_CAUSE_BURSTS, false },
    { "bursts of 10 frames", "burst=0.5/60ms/0.01", 0, 0, 10, 120, ZG_CAUSE_BURSTS, false },
    { "bursts of 30 frames", "burst=0.2/200ms/0.003", 0, 0, 10, 200, ZG_CAUSE_BURSTS, false },
    { "period, 1/20 of it", "hum=%g/1ms/1e-3", 45, 55, 10, 40, ZG_CAUSE_PERIODIC, false },
    { "period, 1/3 of it", "hum=%g/6.6ms/2e-4", 45, 55, 30, 60, ZG_CAUSE_PERIODIC, false },
    { "period, 1/2 of it", "hum=%g/10ms/2e-4", 45, 50, 100, 120, ZG_CAUSE_PERIODIC, false },
    { "rate mismatch", "ppm=%g", 45000, -60000, 0, 5, ZG_CAUSE_RATE, true },
    { "slow edges", "edges=%gns", 5000, -8000, 0, 5, ZG_CAUSE_EDGES, true },
    { "FIFO overrun", "fifo=16,mask=0.3/4ms", 0, 0, 3, 60, ZG_CAUSE_FIFO, false },
    { "ring overrun", "blackout=0.2/700ms", 0, 0, 3, 120, ZG_CAUSE_RING, false },
    { "bytes lost", "drop=3e-5", 0, 0, 10, 120, ZG_CAUSE_BYTES, false },
    { "bytes inserted", "insert=3e-5", 0, 0, 10, 120, ZG_CAUSE_BYTES, false },
    { "held up", "jitter=16ms", 0, 0, 0, 10, ZG_CAUSE_LUMPS, false },
    { "restart", "restart=0.1", 0, 0, 1, 60, ZG_CAUSE_RESTART, false },
    { "cut", "cut=0.1/200ms", 0, 0, 1, 120, ZG_CAUSE_CUT, false },
    { "held low", "break=0.1/200ms", 0, 0, 1, 120, ZG_CAUSE_CUT, false },
    { "sender repeats", "repeat=1e-3", 0, 0, 0, 30, ZG_CAUSE_SENDER, false },
    { "sender swaps", "swap=1e-3", 0, 0, 0, 30, ZG_CAUSE_SENDER, false },
    { "old frames", "stale=1e-3", 0, 0, 0, 30, ZG_CAUSE_SENDER, false },
    { "another sender", "stray=1e-3", 0, 0, 0, 30, ZG_CAUSE_OTHER, false },
    { "after the check", "behind=1e-3", 0, 0, 1, 30, ZG_CAUSE_AFTER_CHECK, false },
    { "XON/XOFF eaten", "eat=1113", 0, 0, 5, 10, ZG_CAUSE_DRIVER, false },
    { "bit 7 cleared", "strip", 0, 0, 0, 5, ZG_CAUSE_DRIVER, false },
    { "inverted", "invert", 0, 0, 0, 5, ZG_CAUSE_DRIVER, false },
    { "long frames cut", "long=50", 0, 0, 50, 20, ZG_CAUSE_LENGTH, false },
};

/* The faults of a run. */
static void set_faults(const struct row *row, uint64_t seed, struct zg_faults *faults)
{
    struct zg_random random = zg_random_seeded(seed, 77);
    g_autoptr(GError) error = NULL;
    const double to = row->to < 0 ? -row->to : row->to;
    double number = row->from + (to - row->from) * zg_random_unit(&random);

    if (row->to < 0 && zg_random_one_in(&random, 2))
        number = -number;
    g_auto(GStrv) parts = g_strsplit(row->faults, "%g", 2);
    g_autofree char *text = parts[1] ? g_strdup_printf("%s%.6g%s", parts[0], number, parts[1]) : g_strdup(row->faults);
    if (!zg_faults_parse(text, faults, &error)) {
        (void)fprintf(stderr, "%s\n", error->message);
        exit(1);
    }
}

/* Leaves out what came after so many damages, or bursts of them, on a way. Returns how many there were on the way with
 * more. */
static unsigned cut_off(struct zg_evidence *evidence, unsigned damages, double apart_s)
{
    unsigned counts[2] = { 0, 0 };
    double ends_s[2] = { -1, -1 }, last_s[2] = { -1, -1 };
    guint kept = 0;

    for (guint i = 0; i < evidence->stretches->len; i++) {
        struct zg_evidence_stretch *stretch = &g_array_index(evidence->stretches, struct zg_evidence_stretch, i);
        counts[stretch->back] +=
            stretch->from_s > last_s[stretch->back] + apart_s || last_s[stretch->back] < 0 || apart_s <= 0;
        last_s[stretch->back] = stretch->to_s;
        if (counts[stretch->back] > damages)
            continue;
        ends_s[stretch->back] = stretch->to_s;
        if (kept != i) {
            const struct zg_evidence_stretch moved = *stretch;
            *stretch = g_array_index(evidence->stretches, struct zg_evidence_stretch, kept);
            g_array_index(evidence->stretches, struct zg_evidence_stretch, kept) = moved;
        }
        kept++;
    }
    g_array_set_size(evidence->stretches, kept);
    for (unsigned way = 0; way < 2; way++)
        if (counts[way] > damages && ends_s[way] + 1 < evidence->seconds[way]->len)
            g_array_set_size(evidence->seconds[way], (guint)ends_s[way] + 1);
    return MAX(counts[0], counts[1]);
}

static struct zg_evidence *soak(const struct zg_plan *plan, const struct row *row, uint64_t seed, bool *enough)
{
    struct zg_soak_settings settings = zg_soak_defaults();
    struct zg_evidence *evidence = zg_evidence_new();
    g_autoptr(GError) error = NULL;

    settings.duration_ns = (uint64_t)row->seconds * ZG_SECOND_NS;
    settings.seed = seed;
    settings.bits = row->bits;
    settings.journal = zg_journal_new(true);
    set_faults(row, seed, &settings.faults);
    g_autofree struct zg_soak_result *result = zg_soak_run(plan, &settings, NULL, NULL, &error);
    if (!result) {
        (void)fprintf(stderr, "%s\n", error->message);
        exit(1);
    }
    zg_evidence_take(evidence, settings.journal);
    zg_journal_free(settings.journal);
    evidence->plan = plan;
    evidence->byte_s = evidence->resolution_s = (double)zg_line_byte_ns(&plan->definition->line) * 1e-9;
    zg_evidence_set_sums(evidence, &result->sums);
    *enough =
        row->damages == 0 || cut_off(evidence, row->damages, row->cause == ZG_CAUSE_BURSTS ? 0.5 : 0) >= row->damages;
    return evidence;
}

/* What came of the runs of a row. */
struct tally {
    unsigned runs, few, named, wrong, wrongly[ZG_CAUSES];
    uint64_t damages, unexplained;
};

static bool names_other(const struct zg_diagnosis *diagnosis, enum zg_cause cause, struct tally *tally)
{
    uint32_t seen = 0;

    for (guint i = 0; i < diagnosis->findings->len; i++) {
        const enum zg_cause found = g_array_index(diagnosis->findings, struct zg_finding, i).cause;
        if (found != cause && !(seen >> found & 1))
            tally->wrongly[found]++;
        if (found != cause)
            seen |= UINT32_C(1) << found;
    }
    return seen != 0;
}

static void run(const struct zg_plan *plan, const struct row *row, uint64_t seed, bool prints, struct tally *tally)
{
    bool enough;
    struct zg_evidence *evidence = soak(plan, row, seed, &enough);
    struct zg_diagnosis *diagnosis = zg_diagnose(evidence);
    const bool named = row->cause == ZG_CAUSES || zg_diagnosis_find(diagnosis, row->cause, false) != NULL ||
                       zg_diagnosis_find(diagnosis, row->cause, true) != NULL;
    const bool other = names_other(diagnosis, row->cause, tally);

    tally->runs++;
    tally->few += !enough;
    tally->named += enough && named;
    tally->wrong += other;
    for (unsigned way = 0; way < 2; way++) {
        tally->damages += diagnosis->damages[way];
        tally->unexplained += diagnosis->unexplained[way];
    }
    if (prints && ((enough && !named) || other)) {
        g_autoptr(GString) text = g_string_new(NULL);
        zg_diagnosis_to_text(diagnosis, text);
        printf("seed %u:%s", (unsigned)seed, text->str);
        struct zg_faults f = { 0 };
        set_faults(row, seed, &f);
        g_autofree char *t = zg_faults_text(&f.way[1]);
        printf("%s\n", t);
    }
    zg_diagnosis_free(diagnosis);
    zg_evidence_free(evidence);
}

int main(int argc, char **argv)
{
    const unsigned runs = argc > 1 ? (unsigned)strtoul(argv[1], NULL, 10) : 100;
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("p");
    struct zg_definition *definition =
        zg_definition_parse("p", definition_text, sizeof definition_text - 1, diagnostics);
    struct zg_plan *plan = zg_plan_new(definition, diagnostics);

    printf("%-22s %8s %12s %8s %8s %12s  %s\n", "injected", "damages", "named", "missed", "others", "unexplained",
           "which others");
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        struct tally tally = { 0 };
        if (argc > 2 && strtoul(argv[2], NULL, 10) != i)
            continue;
        for (unsigned seed = 1; seed <= runs; seed++)
            run(plan, &rows[i], seed, argc > 3, &tally);
        const unsigned of = tally.runs - tally.few;
        g_autofree char *damages = rows[i].damages > 0 ? g_strdup_printf("%u", rows[i].damages) : g_strdup("all");
        g_autofree char *named = g_strdup_printf("%u/%u", tally.named, of);
        printf("%-22s %8s %12s %8u %8u %11.2f%%  ", rows[i].name, damages, named, of - tally.named, tally.wrong,
               tally.damages > 0 ? 100.0 * (double)tally.unexplained / (double)tally.damages : 0);
        for (unsigned k = 0; k < ZG_CAUSES; k++)
            if (tally.wrongly[k] > 0)
                printf("%s %u ", zg_cause_key((enum zg_cause)k), tally.wrongly[k]);
        printf("\n");
        (void)fflush(stdout);
    }
    zg_plan_free(plan);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
    return 0;
}
