/* SPDX-License-Identifier: MIT */
/* The diagnosis names what was done and nothing else: each cause by itself, three of them in one run, and rules that no
 * fault of the simulated line follows; chance and periods for themselves. */
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "diagnosis/chance.h"
#include "diagnosis/diagnosis.h"
#include "diagnosis/periods.h"
#include "processes.h"
#include "sim/random.h"
#include "soak/statistics.h"

#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"

static void assert_near(double found, double wanted)
{
    if (!(fabs(found - wanted) <= 1e-9 * fmax(fabs(wanted), 1)))
        fail_msg("expected %.12g, found %.12g", wanted, found);
}

static void test_chance(void **state)
{
    (void)state;
    assert_near(exp(zgi_chance_binomial(10, 0.5, 8)), 56.0 / 1024);
    assert_near(exp(zgi_chance_binomial(3, 0.1, 1)), 1 - 0.9 * 0.9 * 0.9);
    assert_near(zgi_chance_binomial(1000, 0.01, 1000), 1000 * log(0.01));
    assert_true(zgi_chance_binomial(10, 0.5, 0) == 0 && isinf(zgi_chance_binomial(10, 0.5, 11)));
    assert_near(zgi_chance_chi_square(50, 2), -25);
    assert_near(exp(zgi_chance_chi_square(6, 4)), exp(-3) * 4);
    assert_near(exp(zgi_chance_normal(1.959963984540054)), 0.025);
    assert_near(round(zgi_chance_normal(40)), -805);
}

static bool finds(GArray *hits, GArray *picked, struct zgi_period *period)
{
    g_array_sort(hits, zg_by_value);
    g_array_sort(picked, zg_by_value);
    const bool found = zgi_find_period(&(struct zgi_moments){ hits, picked, 200 }, period);
    g_free(period->is_inside);
    return found && period->log_chance < -7.6;
}

/* What could be hit: always, or only in the first fifth of each 10 ms, as with traffic that is itself periodic. */
static double any_time(struct zg_random *random, bool is_periodic)
{
    const double at_s = 20 * zg_random_unit(random);
    return is_periodic ? floor(at_s * 100) / 100 + fmod(at_s, 0.01) / 5 : at_s;
}

static void test_periods(void **state)
{
    struct zg_random random = zg_random_seeded(5, 0);
    struct zgi_period period;
    unsigned wrong = 0, missed = 0;
    const unsigned rounds = test_rounds(120);

    (void)state;
    for (unsigned round = 0; round < rounds; round++) {
        g_autoptr(GArray) none = g_array_new(FALSE, FALSE, sizeof(double));
        g_autoptr(GArray) some = g_array_new(FALSE, FALSE, sizeof(double));
        g_autoptr(GArray) picked = g_array_new(FALSE, FALSE, sizeof(double));
        const double hertz = 20 + 150 * zg_random_unit(&random), phase = zg_random_unit(&random);
        const unsigned kind = round % 3; /* independent; with periodic traffic; in bursts of 30 ms */
        for (unsigned i = 0; i < 640; i++) {
            const double at_s = any_time(&random, kind == 1);
            g_array_append_val(picked, at_s);
        }
        for (unsigned i = 0; i < 10 + round; i++) {
            double at_s = any_time(&random, kind == 1);
            for (unsigned k = 0; k < (kind == 2 ? 4 : 1); k++) {
                g_array_append_val(none, at_s);
                at_s += 0.01 * zg_random_unit(&random);
            }
        }
        wrong += finds(none, picked, &period);
        for (unsigned i = 0; i < 14; i++) {
            const double at_s =
                (floor(hertz * 10 * zg_random_unit(&random)) + phase + 0.05 * zg_random_unit(&random)) / hertz;
            g_array_append_val(some, at_s);
        }
        g_array_set_size(picked, 0);
        missed += !finds(some, picked, &period) || fabs(period.hertz - hertz) > 0.2;
    }
    assert_true(wrong <= 1);
    assert_true(missed <= rounds / 20);
}

/* --- rules */

static uint8_t bits_turned(uint8_t byte)
{
    uint8_t turned = 0;
    for (unsigned i = 0; i < 8; i++)
        turned = (uint8_t)((unsigned)turned << 1 | ((unsigned)byte >> i & 1U));
    return turned;
}

static uint8_t with_parity(uint8_t byte)
{
    const unsigned even = (unsigned)__builtin_popcount(byte & 0x7FU) % 2 == 0;
    return (uint8_t)((byte & 0x7FU) | even << 7);
}

static uint8_t line_ends(uint8_t byte)
{
    return byte == '\r' ? '\n' : byte;
}

static uint8_t now_and_then(uint8_t byte)
{
    static unsigned count;
    return ++count % 9 == 0 ? byte ^ 1 : byte;
}

/* A soak of ten frames of random bytes, each of which arrives as a rule has it, and passes now and then. */
static struct zg_diagnosis *diagnose(uint8_t (*rule)(uint8_t))
{
    struct zg_random random = zg_random_seeded(8, 0);
    struct zg_evidence *evidence = zg_evidence_new();

    evidence->byte_s = evidence->resolution_s = 1e-4;
    for (unsigned i = 0; i < 10; i++) {
        uint8_t sent[60], arrived[60];
        for (unsigned k = 0; k < sizeof sent; k++) {
            sent[k] = k % 20 == 7 ? '\r' : (uint8_t)zg_random_next(&random);
            arrived[k] = rule(sent[k]);
        }
        const struct zg_evidence_stretch stretch = { .from_s = i,
                                                     .to_s = i + 0.1,
                                                     .hit_from_s = NAN,
                                                     .hit_to_s = NAN,
                                                     .back = true,
                                                     .frames = 1,
                                                     .sent = g_bytes_new(sent, sizeof sent),
                                                     .arrived = g_bytes_new(arrived, sizeof arrived) };
        g_array_append_val(evidence->stretches, stretch);
        const struct zg_evidence_second second = { 600, 600, 1, 100 };
        g_array_append_val(evidence->seconds[1], second);
    }
    struct zg_diagnosis *diagnosis = zg_diagnose(evidence);
    zg_evidence_free(evidence);
    return diagnosis;
}

static void test_rules(void **state)
{
    static const struct {
        uint8_t (*rule)(uint8_t);
        const char *said;
    } rules[] = {
        { bits_turned, "other order" }, { with_parity, "odd parity" }, { line_ends, "each 0D" }, { now_and_then, NULL }
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(rules); i++) {
        struct zg_diagnosis *diagnosis = diagnose(rules[i].rule);
        const struct zg_finding *finding = zg_diagnosis_find(diagnosis, ZG_CAUSE_DRIVER, true);
        if (!rules[i].said) {
            assert_null(finding);
        } else {
            assert_non_null(finding);
            test_assert_in(finding->evidence, rules[i].said);
            assert_int_equal(diagnosis->unexplained[1], 0);
            assert_int_equal(diagnosis->findings->len, 1);
        }
        zg_diagnosis_free(diagnosis);
    }
}

/* --- whole soaks */

/* The rows of the program of the truth: each cause at its number of damages. Returns how many. */
static unsigned hold_rows(unsigned runs)
{
    g_autofree char *output = NULL, *command = g_strdup_printf(TEST_BIN "/bench_diagnosis %u", runs);
    g_autoptr(GError) error = NULL;
    unsigned rows = 0;

    if (!g_spawn_command_line_sync(command, &output, NULL, NULL, &error))
        fail_msg("%s", error->message);
    g_auto(GStrv) lines = g_strsplit(output, "\n", -1);
    for (char **line = lines + 1; *line && **line; line++, rows++) {
        unsigned missed, others;
        const char *named = strrchr(*line, '/'); /* of "3/3" */
        assert_non_null(named);
        assert_int_equal(sscanf(named, "/%*u %u %u", &missed, &others), 2);
        if (missed + others > 0)
            fail_msg("%s", *line);
    }
    return rows;
}

static void each_is_named(void **state)
{
    (void)state;
    if (TEST_BENCHES)
        assert_int_equal(hold_rows(2), 28);
}

/* Three causes at once, and nothing else; what the report says is what the JSON says. */
static void three_are_told_apart(void **state)
{
    g_autofree char *store = g_build_filename(test_folder, "night.store", NULL);
    g_autofree char *soak =
        g_strdup_printf("soak " LOOM " sim: --for 10min --faults \"fifo=2,mask=0.02/2ms out:hum=50/1ms/2e-5 "
                        "back:burst=0.05/20ms/0.01\" "
                        "--store %s",
                        store);
    g_autofree char *report = g_strdup_printf("report %s", store),
                    *as_json = g_strdup_printf("report %s --json", store);
    (void)state;
    g_free(test_run(0, soak));
    g_autofree char *text = test_run(0, report), *json = test_run(0, as_json);
    const char *found = strstr(text, "what did it");
    assert_non_null(found);
    test_assert_in(found, "out   periodic interference: ");
    test_assert_in(found, "50 Hz: ");
    test_assert_in(found, "back  bursts: ");
    test_assert_in(found, "out   overrun of the UART's FIFO: ");
    assert_int_equal(test_lines_with(json, "\"cause\": "), 3);
    assert_int_equal(test_lines_with(json, "\"cause\": \"periodic\""), 1);
    test_assert_in(json, "\"hertz\": ");
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_chance), cmocka_unit_test(test_periods),
                                        cmocka_unit_test(test_rules), cmocka_unit_test(each_is_named),
                                        cmocka_unit_test_teardown(three_are_told_apart, test_kill_running) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
