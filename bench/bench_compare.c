/* SPDX-License-Identifier: MIT */
/*
 * How often one run is called worse than another: pairs of seeded soaks on the simulated line, of links that are alike,
 * where that is an error and is to happen in at most 5 % of pairs, and of one that is twice as bad, where it is right.
 * Arguments: how many pairs, 200; which row alone, from 0 on.
 */
#include <stdio.h>
#include <stdlib.h>

#include "measure.h"
#include "report/compare.h"

static const char definition_text[] =
    "zeugma: 1\nprotocol: p\nversion: 1.0\nline: { baud: 19200 }\nframe: { framing: cobs, header: [id: u8, sequence: "
    "u8], check: crc16/ibm-3740 }\nmessages: { m: { id: 1, from: both, fields: { data: \"bytes[16]\" } } }\n";

/* A run as the store would give it. */
struct run {
    struct zg_journal *journal;
    struct zg_stored stored;
};

static struct run soak(const struct zg_plan *plan, const char *faults, uint64_t seed)
{
    struct zg_soak_settings settings = zg_soak_defaults();
    struct run run = { .journal = zg_journal_new(false) };
    g_autoptr(GError) error = NULL;

    settings.duration_ns = 600 * (uint64_t)ZG_SECOND_NS;
    settings.seed = seed;
    settings.size = 16;
    settings.journal = run.journal;
    if (!zg_faults_parse(faults, &settings.faults, &error)) {
        (void)fprintf(stderr, "%s\n", error->message);
        exit(1);
    }
    g_autofree struct zg_soak_result *result = zg_soak_run(plan, &settings, NULL, NULL, &error);
    run.stored.sums = *result;
    run.stored.times = (GArray *)zg_journal_times(run.journal);
    return run;
}

int main(int argc, char **argv)
{
    static const struct {
        const char *name, *one, *other;
    } rows[] = { { "alike, independent", "ber=2e-5", "ber=2e-5" },
                 { "alike, bursts of 3", "cut=0.05/45ms", "cut=0.05/45ms" },
                 { "alike, bursts of 30", "cut=0.05/650ms", "cut=0.05/650ms" },
                 { "twice, independent", "ber=4e-5", "ber=2e-5" },
                 { "twice, bursts of 3", "cut=0.2/45ms", "cut=0.1/45ms" } };
    const unsigned pairs = argc > 1 ? (unsigned)strtoul(argv[1], NULL, 10) : 200;
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("p");
    struct zg_definition *definition =
        zg_definition_parse("p", definition_text, sizeof definition_text - 1, diagnostics);
    struct zg_plan *plan = zg_plan_new(definition, diagnostics);

    printf("%-20s %14s %20s\n", "links", "called worse", "of them clustered");
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        unsigned worse = 0, clustered = 0;
        if (argc > 2 && strtoul(argv[2], NULL, 10) != i)
            continue;
        for (unsigned pair = 0; pair < pairs; pair++) {
            struct run one = soak(plan, rows[i].one, 2 * pair + 1), other = soak(plan, rows[i].other, 2 * pair + 2);
            const struct zg_comparison found = zg_compare_runs(&one.stored, &other.stored, 0);
            worse += !found.passed;
            for (unsigned k = 0; k < found.count; k++)
                if (found.rows[k].clustered) {
                    clustered++;
                    break;
                }
            zg_journal_free(one.journal);
            zg_journal_free(other.journal);
        }
        printf("%-20s %8u/%u %14u/%u\n", rows[i].name, worse, pairs, clustered, pairs);
        (void)fflush(stdout);
    }
    zg_plan_free(plan);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
    return 0;
}
