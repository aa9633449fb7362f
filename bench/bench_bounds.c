/* SPDX-License-Identifier: MIT */
/*
 * How often the bounds of a soak's rates hold the true rate: seeded soaks on the simulated line, with independent
 * errors and with disturbances that lose 3, 10 and 30 frames each, against one soak that is as long as all of them. A
 * bound of 95 % should hold it in 950 of 1,000 runs, and holds it in 931 at least, with a chance of 0.3 % to be below,
 * if it is one. Arguments: how many runs, 200; which row alone, from 0 on.
 */
#include <stdio.h>
#include <stdlib.h>

#include "measure.h"
#include "plan/plan.h"
#include "soak/soak.h"

static const char definition_text[] =
    "zeugma: 1\nprotocol: p\nversion: 1.0\nline: { baud: 19200 }\nframe: { framing: cobs, header: [id: u8, sequence: "
    "u8], check: crc16/ibm-3740 }\nmessages: { m: { id: 1, from: both, fields: { data: \"bytes[16]\" } } }\n";

static struct zg_soak_result *soak(const struct zg_plan *plan, const char *faults, uint64_t seconds, uint64_t seed)
{
    struct zg_soak_settings settings = zg_soak_defaults();
    struct zg_journal *journal = zg_journal_new(false);
    g_autoptr(GError) error = NULL;

    settings.duration_ns = seconds * ZG_SECOND_NS;
    settings.seed = seed;
    settings.size = 16;
    settings.journal = journal;
    if (!zg_faults_parse(faults, &settings.faults, &error)) {
        (void)fprintf(stderr, "%s\n", error->message);
        exit(1);
    }
    struct zg_soak_result *result = zg_soak_run(plan, &settings, NULL, NULL, &error);
    zg_journal_free(journal);
    return result;
}

int main(int argc, char **argv)
{
    static const struct {
        const char *name, *faults;
        uint64_t seconds;
    } rows[] = { { "independent", "ber=2e-5", 120 },
                 { "3 frames", "cut=0.02/45ms", 600 },
                 { "10 frames", "cut=0.02/200ms", 600 },
                 { "30 frames", "cut=0.02/650ms", 600 },
                 { "of any length", "burst=0.02/300ms/0.02", 600 } };
    const unsigned runs = argc > 1 ? (unsigned)strtoul(argv[1], NULL, 10) : 200;
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("p");
    struct zg_definition *definition =
        zg_definition_parse("p", definition_text, sizeof definition_text - 1, diagnostics);
    struct zg_plan *plan = zg_plan_new(definition, diagnostics);

    printf("%-16s %10s %12s %12s %12s %14s\n", "disturbances", "true lost", "clustered", "exact holds", "wide holds",
           "enough of them");
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        if (argc > 2 && strtoul(argv[2], NULL, 10) != i)
            continue;
        unsigned clustered = 0, exact = 0, wide = 0, counted = 0;
        struct zg_soak_rate rate;
        g_autofree struct zg_soak_result *all = soak(plan, rows[i].faults, rows[i].seconds * MAX(runs, 200), 1);
        (void)zg_soak_rate_at(all, 0, &rate);
        const double truth = (double)rate.errors / (double)rate.trials;
        for (unsigned run = 0; run < runs; run++) {
            g_autofree struct zg_soak_result *result = soak(plan, rows[i].faults, rows[i].seconds, 1000 + run);
            (void)zg_soak_rate_at(result, 0, &rate);
            clustered += rate.cluster.clustered;
            if (rate.cluster.clustered && rate.cluster.disturbances < ZG_DISTURBANCES_ENOUGH)
                continue;
            counted++;
            exact += rate.low <= truth && truth <= rate.high;
            wide += rate.wide_low <= truth && truth <= rate.wide_high;
        }
        printf("%-16s %10.2e %9u/%u %7u/%u %7u/%u %9u/%u\n", rows[i].name, truth, clustered, runs, exact, counted, wide,
               counted, counted, runs);
        (void)fflush(stdout);
    }
    zg_plan_free(plan);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
    return 0;
}
