/* SPDX-License-Identifier: MIT */
/* What happened when: seconds that add up to the ledger, availability by hand-made rows. */
#include <string.h>

#include "soak/availability.h"
#include "soak/soak.h"
#include "support.h"

/* --- the seconds add up */

static void add_second(const struct zg_second *second, void *data)
{
    struct zg_soak_result *sums = data;

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        const struct zg_second_flow *of = &second->flows[flow];
        sums->sums.sent[flow] += of->sent;
        sums->slow += of->slow;
        for (unsigned i = 0; i < ZG_ENTRY_CLASSES; i++)
            sums->sums.entries[flow][i] += of->classes[i];
        for (guint i = 0; of->latency && i < of->latency->len; i++)
            sums->round_trip.count += flow == ZG_FLOW_ECHO_BACK ? g_array_index(of->latency, uint32_t, i) : 0;
    }
    for (unsigned end = 0; end < 2; end++) {
        sums->damages[end] += second->damages[end];
        sums->line[end].sent += second->carried[end];
        for (unsigned i = 0; i < ZG_OTHER_CLASSES; i++)
            sums->sums.arrivals[end][ZG_CLASS_REPEATED + i] += second->others[end][i];
    }
}

/* Takes on the way, as a store does: a second that changes later comes again, and its newest state counts. */
static void keep_second(const struct zg_second *second, void *data)
{
    GHashTable *kept = data;
    struct zg_second *copy = g_memdup2(second, sizeof *second);

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        if (copy->flows[flow].latency)
            copy->flows[flow].latency = g_array_copy(second->flows[flow].latency);
    g_hash_table_replace(kept, GUINT_TO_POINTER(second->at), copy);
}

static void free_second(void *data)
{
    struct zg_second *second = data;

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        g_clear_pointer(&second->flows[flow].latency, g_array_unref);
    g_free(second);
}

struct taking {
    struct zg_journal *journal;
    GHashTable *kept;
};

static bool take_now(double done, const struct zg_soak_result *so_far, void *data)
{
    struct taking *taking = data;

    (void)done;
    (void)so_far;
    zg_journal_take(taking->journal, keep_second, taking->kept);
    return true;
}

static void seconds_add_up_to_the_ledger(void **state)
{
    static const char *const faults[] = { "ber=1e-4,drop=1e-5,double=1e-5", "swap=0.01,repeat=0.01,stray=0.01",
                                          "latency=90ms,ber=1e-5 out:swap=0.2", "drop=1" };
    struct test_plan plan = test_plan_of(test_small_definition);
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(faults); i++) {
        struct zg_soak_settings settings = zg_soak_defaults();
        struct taking taking = { zg_journal_new(true), g_hash_table_new_full(NULL, NULL, NULL, free_second) };
        settings.duration_ns = UINT64_C(20000000000);
        settings.late_ns = 80000000;
        settings.journal = taking.journal;
        assert_true(zg_faults_parse(faults[i], &settings.faults, NULL));
        g_autofree struct zg_soak_result *result = zg_soak_run(plan.plan, &settings, take_now, &taking, NULL);
        g_autofree struct zg_soak_result *sums = g_new0(struct zg_soak_result, 1);
        zg_journal_take(taking.journal, keep_second, taking.kept);
        GHashTableIter at;
        void *second;
        g_hash_table_iter_init(&at, taking.kept);
        while (g_hash_table_iter_next(&at, NULL, &second))
            add_second(second, sums);
        for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
            assert_int_equal(sums->sums.sent[flow], result->sums.sent[flow]);
            for (unsigned class_ = 0; class_ < ZG_ENTRY_CLASSES; class_++)
                assert_int_equal(sums->sums.entries[flow][class_], result->sums.entries[flow][class_]);
        }
        for (unsigned end = 0; end < 2; end++) {
            assert_int_equal(sums->damages[end], result->damages[end]);
            for (unsigned class_ = ZG_CLASS_REPEATED; class_ < ZG_CLASSES; class_++)
                assert_int_equal(sums->sums.arrivals[end][class_], result->sums.arrivals[end][class_]);
        }
        assert_int_equal(sums->slow, result->slow);
        assert_int_equal(sums->round_trip.count, result->round_trip.count);
        assert_int_equal(zg_journal_times(taking.journal)->len, 20);
        g_hash_table_unref(taking.kept);
        zg_journal_free(taking.journal);
    }
    test_plan_clear(&plan);
}

/* What is due in second 2 and lost for long is put right there when it comes after all. */
static void late_arrivals_correct_their_second(void **state)
{
    struct zg_journal *journal = zg_journal_new(true);
    struct zg_ledger *ledger = zg_ledger_new(100, journal, false);
    (void)state;
    zg_journal_begin(journal, 0, 0, false);
    for (uint32_t i = 0; i < 3; i++) {
        const struct zg_ledger_entry entry = { .sent_ns = UINT64_C(2500000000),
                                               .due_ns = UINT64_C(2500000000),
                                               .order = i };
        zg_ledger_sent(ledger, ZG_FLOW_STREAM_OUT, i, &entry);
    }
    (void)zg_ledger_arrived(ledger, ZG_FLOW_STREAM_OUT, 0, UINT64_C(2600000000), UINT64_C(1000000000));
    zg_ledger_settle(ledger, UINT64_C(5000000000));
    const uint32_t *classes = zg_journal_at(journal, 2)->flows[ZG_FLOW_STREAM_OUT].classes;
    assert_int_equal(classes[ZG_CLASS_LOST_OUT], 2);
    assert_int_equal(zg_ledger_sums(ledger)->entries[ZG_FLOW_STREAM_OUT][ZG_CLASS_LOST_OUT], 2);
    assert_int_equal(zg_ledger_oldest_due_ns(ledger), UINT64_C(2500000000));
    assert_int_equal(zg_ledger_arrived(ledger, ZG_FLOW_STREAM_OUT, 1, UINT64_C(9000000000), UINT64_C(1000000000)),
                     ZG_CLASS_LATE);
    assert_int_equal(classes[ZG_CLASS_LOST_OUT], 1);
    assert_int_equal(classes[ZG_CLASS_LATE], 1);
    zg_ledger_close(ledger);
    assert_int_equal(zg_ledger_sums(ledger)->entries[ZG_FLOW_STREAM_OUT][ZG_CLASS_LOST_OUT], 1);
    zg_ledger_free(ledger);
    zg_journal_free(journal);
}

/* --- availability: a letter for each second: . good, e errored, s severely errored, blank empty, h held up */

static GArray *rows_of(const char *seconds, uint32_t frames)
{
    GArray *rows = g_array_new(FALSE, FALSE, sizeof(struct zg_time_row));

    for (const char *at = seconds; *at; at++) {
        struct zg_time_row row = { .held = *at == 'h' };
        row.sent[ZG_PATH_BACK] = *at == ' ' ? 0 : frames;
        row.bad[ZG_PATH_BACK] = *at == 's' ? frames : *at == 'e';
        g_array_append_val(rows, row);
    }
    return rows;
}

static void check_times(const char *seconds, uint32_t frames, uint64_t available, uint64_t errored, uint64_t severe,
                        uint64_t outages, uint64_t longest)
{
    g_autoptr(GArray) rows = rows_of(seconds, frames);
    const struct zg_availability found = zg_availability_of(rows, ZG_PATH_BACK), all = zg_availability_of_all(rows);

    if (found.available != available || found.errored != errored || found.severe != severe ||
        found.outages != outages || found.longest != longest)
        fail_msg("\"%s\": available %u, errored %u, severe %u, outages %u, longest %u", seconds,
                 (unsigned)found.available, (unsigned)found.errored, (unsigned)found.severe, (unsigned)found.outages,
                 (unsigned)found.longest);
    assert_int_equal(all.outages, outages);
}

static void availability_is_as_in_the_standard(void **state)
{
    (void)state;
    check_times("..........", 100, 10, 0, 0, 0, 0);
    check_times("..e.s...e.", 100, 10, 3, 1, 0, 0);
    check_times("...sssssssss...", 100, 15, 9, 9, 0, 0);                    /* nine in a row are not enough */
    check_times("...ssssssssss...", 100, 3, 0, 0, 1, 13);                   /* three good ones do not end it */
    check_times("...ssssssssss..........", 100, 13, 0, 0, 1, 10);           /* ten do, from the first of them on */
    check_times("...ssssssssss.........s..........", 100, 13, 0, 0, 1, 20); /* nine do not */
    check_times("...sssss     sssss..........", 100, 13, 0, 0, 1, 15);      /* empty ones keep the state */
    check_times("hhssh.", 100, 3, 2, 2, 0, 0);                              /* held up: as if they had not been */
    check_times("ee........", 1, 1, 1, 0, 0, 0); /* one frame a second: one interval of ten, two lost */
    check_times("eeee......", 1, 1, 1, 1, 0, 0); /* 40 % of it */
    g_autoptr(GArray) none = rows_of("   ", 1);
    assert_int_equal(zg_availability_of(none, ZG_PATH_BACK).interval_s, 0);
    g_autoptr(GArray) severe = rows_of("s.", 2);
    g_array_index(severe, struct zg_time_row, 0).bad[ZG_PATH_BACK] = 1; /* 50 %, but only one frame */
    assert_int_equal(zg_availability_of(severe, ZG_PATH_BACK).severe, 0);
}

/* --- claims that hold at any time */

static void any_time_claims_are_seldom_wrong(void **state)
{
    const double rate = 0.01;
    struct zg_random random = zg_random_seeded(5, 0);
    const unsigned runs = test_rounds(400);
    unsigned low = 0, high = 0;
    (void)state;
    for (unsigned run = 0; run < runs; run++) {
        bool is_low = false, is_high = false;
        uint64_t errors = 0;
        for (uint64_t n = 1; n <= 5000; n++) { /* asked again and again, at the limit itself */
            errors += zg_random_skip(&random, rate) == 0;
            is_low = is_low || (n % 20 == 0 && zg_rate_stays_at_most(errors, n, rate, 0.95));
            is_high = is_high || (n % 20 == 0 && zg_rate_stays_above(errors, n, rate, 0.95));
        }
        low += is_low;
        high += is_high;
    }
    /* at most 5 %: of 400 more than 33 would come once in 500 times */
    assert_in_range(low, 0, runs * 33 / 400);
    assert_in_range(high, 0, runs * 33 / 400);
    assert_true(low > 0);                                     /* it does claim */
    assert_false(zg_rate_stays_at_most(0, 3786, 1e-3, 0.95)); /* 3.79 / limit, where a planned end needs 3.00 */
    assert_true(zg_rate_stays_at_most(0, 3787, 1e-3, 0.95));
    for (uint64_t errors = 0; errors < 30; errors += 7) { /* the bounds are where the claims turn */
        double from, to;
        zg_rate_bounds_always(errors, 10000, 0.95, &from, &to);
        assert_true(zg_rate_stays_at_most(errors, 10000, to * 1.001, 0.95));
        assert_false(zg_rate_stays_at_most(errors, 10000, to * 0.999, 0.95));
        assert_true(errors == 0 ? from == 0
                                : zg_rate_stays_above(errors, 10000, from * 0.999, 0.95) &&
                                      !zg_rate_stays_above(errors, 10000, from * 1.001, 0.95));
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(seconds_add_up_to_the_ledger),
        cmocka_unit_test(late_arrivals_correct_their_second),
        cmocka_unit_test(availability_is_as_in_the_standard),
        cmocka_unit_test(any_time_claims_are_seldom_wrong),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
