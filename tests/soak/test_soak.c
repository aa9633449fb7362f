/* SPDX-License-Identifier: MIT */
/* Seeded faults: each must be found in its own class and in no other, and everything must add up. */
#include "streams.h"

#include <json-glib/json-glib.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "soak/report.h"

/* Like test_small_definition, with a check of three bits: one damaged frame in eight passes. */
static const char weak_definition[] =
    "zeugma: 1\nprotocol: weak\nversion: 2.0\nframe: { framing: cobs, header: [version: u3, id: u5, sequence: u8], "
    "check: { crc: 3, poly: 3 }, max_payload: 64 }\nmessages:\n  data: { id: 1, from: both, fields: { value: u64 } }\n";

/* With addresses, which can be hit as well. */
static const char shared_definition[] =
    "zeugma: 1\nprotocol: shared\nversion: 1.0\nline: { baud: 500000, duplex: half, gap: 100us }\n"
    "frame: { framing: cobs, header: [destination: u8, source: u8, id: u5, sequence: u8, reserved: u3], "
    "check: { crc: 3, poly: 3 }, max_payload: 16 }\nmessages:\n  data: { id: 1, from: both, fields: { value: u64 } }\n";

/* No id and one message: stream traffic only. Ids 17 and 18 taken: others are chosen. */
static const char single_definition[] =
    "zeugma: 1\nprotocol: single\nversion: 1.0\nframe: { framing: cobs, check: crc32/iscsi }\n"
    "messages: { data: { from: both, fields: { value: u64 } } }\n";
static const char crowded_definition[] =
    "zeugma: 1\nprotocol: crowded\nversion: 1.0\nframe: { framing: cobs, header: [id: u5], check: crc32/iscsi }\n"
    "messages:\n  a: { id: 17, from: both, fields: { value: u64 } }\n  b: { id: 18, from: both, fields: {} }\n"
    "  c: { id: 31, from: both, fields: {} }\n";

static struct zg_soak_result *run(const char *definition, const char *faults, uint64_t seconds, uint64_t late_ns)
{
    struct test_plan plan = test_plan_of(definition);
    struct zg_soak_settings settings = zg_soak_defaults();
    g_autoptr(GError) error = NULL;

    settings.duration_ns = seconds * UINT64_C(1000000000);
    settings.seed = 7;
    settings.late_ns = late_ns;
    settings.clock_us = UINT32_MAX - 500000; /* wraps in the first second */
    if (!zg_faults_parse(faults, &settings.faults, &error))
        fail_msg("%s", error->message);
    struct zg_soak_result *result = zg_soak_run(plan.plan, &settings, NULL, NULL, &error);
    assert_non_null(result);
    for (unsigned i = 0; i < result->balances_count; i++)
        if (result->balances[i].left != result->balances[i].right)
            fail_msg("%s: %s is %" G_GUINT64_FORMAT ", %s is %" G_GUINT64_FORMAT, faults, result->balances[i].left_name,
                     result->balances[i].left, result->balances[i].right_name, result->balances[i].right);
    assert_true(result->adds_up);
    test_plan_clear(&plan);
    return result;
}

static uint64_t count(const struct zg_soak_result *result, enum zg_class class_)
{
    uint64_t sum = result->sums.arrivals[0][class_] + result->sums.arrivals[1][class_];
    if (class_ == ZG_CLASS_LOST_OUT || class_ == ZG_CLASS_LOST_BACK)
        for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
            sum += result->sums.entries[flow][class_];
    return sum;
}

#define BIT(class_) (1U << (class_))
#define LOST (BIT(ZG_CLASS_LOST_OUT) | BIT(ZG_CLASS_LOST_BACK))

static void test_each_class_catches_its_own(void **state)
{
    static const struct {
        const char *definition, *faults;
        uint64_t late_ns;
        unsigned seen; /* classes besides delivered that must occur; no others may */
        bool none_delivered;
    } rows[] = {
        { test_small_definition, "ber=0", 100000000, 0, false },
        { test_small_definition, "latency=40ms", 20000000, BIT(ZG_CLASS_LATE), true },
        { test_small_definition, "latency=40ms", 100000000, 0, false },
        { test_small_definition, "latency=30ms", 50000000, 0, false }, /* the round trip takes longer, no way does */
        { test_small_definition, "drop=1e-3", 100000000, LOST | BIT(ZG_CLASS_DETECTED), false },
        { test_small_definition, "double=1e-3", 100000000, LOST | BIT(ZG_CLASS_DETECTED), false },
        { test_small_definition, "ber=1e-4", 100000000, LOST | BIT(ZG_CLASS_DETECTED), false },
        { test_small_definition, "repeat=1e-2", 100000000, BIT(ZG_CLASS_REPEATED), false },
        { test_small_definition, "swap=1e-2", 100000000, BIT(ZG_CLASS_OUT_OF_ORDER), false },
        { test_small_definition, "stray=1e-2", 100000000, BIT(ZG_CLASS_UNEXPECTED), false },
        { weak_definition, "ber=1e-3", 100000000, LOST | BIT(ZG_CLASS_DETECTED) | BIT(ZG_CLASS_ACCEPTED), false },
        { shared_definition, "ber=1e-3", 100000000, LOST | BIT(ZG_CLASS_DETECTED) | BIT(ZG_CLASS_ACCEPTED), false },
        { single_definition, "ber=1e-4", 100000000, LOST | BIT(ZG_CLASS_DETECTED), false },
        { crowded_definition, "ber=1e-4", 100000000, LOST | BIT(ZG_CLASS_DETECTED), false },
        { test_small_definition, "ber=1e-5,drop=1e-4,double=1e-4,repeat=1e-3,swap=1e-3,stray=1e-3,latency=5ms",
          100000000,
          LOST | BIT(ZG_CLASS_DETECTED) | BIT(ZG_CLASS_REPEATED) | BIT(ZG_CLASS_OUT_OF_ORDER) |
              BIT(ZG_CLASS_UNEXPECTED),
          false },
    };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        g_autofree struct zg_soak_result *result = run(rows[i].definition, rows[i].faults, 20, rows[i].late_ns);
        for (unsigned k = 0; k < ZG_CLASSES; k++) {
            uint64_t seen = count(result, (enum zg_class)k);
            bool wanted = k == ZG_CLASS_DELIVERED ? !rows[i].none_delivered : (rows[i].seen >> k & 1) != 0;
            if ((seen > 0) != wanted)
                fail_msg("row %zu, %s: %" G_GUINT64_FORMAT " %s", i, rows[i].faults, seen,
                         zg_class_name((enum zg_class)k));
        }
        assert_true(result->sums.sent[ZG_FLOW_STREAM_OUT] > 500);
        assert_int_equal(result->sums.sent[ZG_FLOW_ECHO_OUT] > 500, result->echo);
        assert_int_equal(result->echo, rows[i].definition != single_definition);
    }
}

/* The ledger counts what the faults did. */
static void test_counts_are_right(void **state)
{
    g_autofree struct zg_soak_result *repeats = run(test_small_definition, "repeat=2e-2", 30, 100000000);
    g_autofree struct zg_soak_result *strays = run(test_small_definition, "stray=2e-2", 30, 100000000);
    g_autofree struct zg_soak_result *flips = run(test_small_definition, "ber=2e-6", 600, 100000000);
    uint64_t lost = count(flips, ZG_CLASS_LOST_OUT) + count(flips, ZG_CLASS_LOST_BACK);
    uint64_t flipped = flips->line[0].flipped_bits + flips->line[1].flipped_bits;
    (void)state;
    assert_true(repeats->injected > 100);
    assert_int_equal(count(repeats, ZG_CLASS_REPEATED), repeats->injected);
    assert_true(strays->injected > 100);
    assert_int_equal(count(strays, ZG_CLASS_UNEXPECTED), strays->injected);
    /* a rare flipped bit loses its frame, and also the next one if it hit the delimiter between them */
    if (flipped < 50 || lost < flipped - flipped / 20 || lost > flipped + flipped / 5)
        fail_msg("%" G_GUINT64_FORMAT " lost by %" G_GUINT64_FORMAT " bits", lost, flipped);
}

/* What one fault does is counted once, whatever a receiver makes of it, and nothing is called what it is not. */
static void test_counts_are_of_faults(void **state)
{
    static const char *const kinds[] = { "cobs", "length" };
    struct zg_soak_rate rate;
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(kinds); i++) {
        const char *role = i == 0 ? "" : ", length: u8";
        g_autofree char *sound = g_strdup_printf(
            "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: %s, header: [id: u8, sequence: u8%s], check: "
            "crc32/iscsi, max_payload: 40 }\nmessages: { m: { id: 1, from: both, fields: { n: u32 } } }\n",
            kinds[i], role);
        g_autofree char *weak = g_strdup_printf(
            "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: %s, header: [id: u8, sequence: u8%s], check: { "
            "crc: "
            "3, poly: 3 }, max_payload: 40 }\nmessages: { m: { id: 1, from: both, fields: { n: u32 } } }\n",
            kinds[i], role);
        /* A damage is a stretch. */
        g_autofree struct zg_soak_result *rare = run(sound, "ber=1e-5", 200, 100000000);
        const uint64_t hits = rare->line[0].flipped_bits + rare->line[1].flipped_bits;
        const uint64_t damages = rare->damages[0] + rare->damages[1];
        if (hits < 50 || damages > hits || damages < hits * 9 / 10)
            fail_msg("%s: %" G_GUINT64_FORMAT " damages by %" G_GUINT64_FORMAT " bits", kinds[i], damages, hits);
        /* What slips through is damage, not another sender's; and its share is one of the frames sent. */
        g_autofree struct zg_soak_result *passed = run(weak, "ber=1e-3", 100, 100000000);
        const uint64_t accepted = count(passed, ZG_CLASS_ACCEPTED), other = count(passed, ZG_CLASS_UNEXPECTED);
        if (accepted < 100 || other > accepted / 20)
            fail_msg("%s: %" G_GUINT64_FORMAT " accepted, %" G_GUINT64_FORMAT " unexpected", kinds[i], accepted, other);
        for (unsigned k = 0; zg_soak_rate_at(passed, k, &rate) && strcmp(rate.key, "damaged_accepted") != 0;)
            k++;
        assert_int_equal(rate.errors, accepted);
        uint64_t sent = 0;
        for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
            sent += passed->sums.sent[flow];
        assert_int_equal(rate.trials, sent);
    }
}

/* Faults of senders, one by one: each is found as often as it was made, after each kind of frame. */
static void test_senders_faults(void **state)
{
    static const char brief[] =
        "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: cobs, header: [id: u8, sequence: u8], check: "
        "crc32/iscsi, max_payload: 5 }\nmessages: { m: { id: 1, from: both, fields: { n: u32 } } }\n";
    g_autofree struct zg_soak_result *strays = run(brief, "stray=2e-2", 30, 100000000);
    g_autofree struct zg_soak_result *swaps = run(test_small_definition, "swap=2e-2", 30, 100000000);
    uint64_t sent = 0;
    (void)state;
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        sent += strays->sums.sent[flow];
    assert_int_equal(count(strays, ZG_CLASS_ACCEPTED), 0);
    assert_int_equal(count(strays, ZG_CLASS_UNEXPECTED), strays->injected);
    assert_int_equal(strays->damages[0] + strays->damages[1], 0);
    assert_true(fabs((double)strays->injected - 0.02 * (double)sent) < 5 * sqrt(0.02 * (double)sent));
    assert_true(swaps->sums.entries[ZG_FLOW_ECHO_OUT][ZG_CLASS_OUT_OF_ORDER] > 20);
    assert_int_equal(swaps->sums.entries[ZG_FLOW_ECHO_BACK][ZG_CLASS_OUT_OF_ORDER], 0);
}

/* A fault of one way strikes only there, and one fault does not move another's. */
static void test_ways(void **state)
{
    static const char *const others[] = { "", ",drop=1e-3,double=1e-3,insert=1e-3", " back:drop=1e-2,insert=1e-3" };
    uint64_t flips = 0;
    (void)state;
    for (unsigned way = 0; way < 2; way++) {
        for (unsigned i = 0; i < 3; i++) {
            static const char *const kinds[] = { "drop=1e-3", "insert=1e-3", "ber=1e-4" };
            g_autofree char *faults = g_strdup_printf("%s:%s", way == 0 ? "back" : "out", kinds[i]);
            g_autofree struct zg_soak_result *result = run(test_small_definition, faults, 20, 100000000);
            assert_true((count(result, ZG_CLASS_LOST_OUT) > 20) == (way == 1));
            assert_true((count(result, ZG_CLASS_LOST_BACK) > 20) == (way == 0));
            assert_true(count(result, ZG_CLASS_LOST_OUT) == 0 || count(result, ZG_CLASS_LOST_BACK) == 0);
        }
    }
    for (unsigned i = 0; i < G_N_ELEMENTS(others); i++) {
        g_autofree char *faults = g_strconcat("out:ber=1e-4", others[i], NULL);
        g_autofree struct zg_soak_result *result = run(test_small_definition, faults, 60, 100000000);
        assert_true(result->line[1].flipped_bits > 50);
        assert_true(i == 0 || result->line[1].flipped_bits == flips);
        flips = result->line[1].flipped_bits;
    }
}

/* A line that carries nothing: no rate is claimed of what did not arrive, and no counter praised that nothing moved. */
static void test_dead_line(void **state)
{
    g_autofree struct zg_soak_result *dead = run(test_small_definition, "drop=1", 10, 100000000);
    struct test_plan plan = test_plan_of(test_small_definition);
    const struct zg_soak_settings settings = zg_soak_defaults();
    struct zg_soak_requirement requirement;
    struct zg_soak_rate rate;
    (void)state;
    assert_true(zg_soak_requirement_parse("late <= 0.1", &requirement, NULL));
    const struct zg_soak_report report = { plan.plan, &settings, dead, NULL, &requirement, 1 };
    g_autofree char *words = zg_soak_report_text(&report);
    assert_int_equal(zg_soak_judge(dead, &requirement, &rate), ZG_SOAK_NOT_SHOWN);
    assert_true(zg_soak_requirement_parse("late = 0", &requirement, NULL));
    assert_int_equal(zg_soak_judge(dead, &requirement, &rate), ZG_SOAK_NOT_SHOWN);
    assert_non_null(strstr(words, "no frames delivered to count it in"));
    assert_non_null(strstr(words, "nothing reached the host"));
    test_plan_clear(&plan);
}

/* The time from when an echo was due includes the wait for its turn; a limit for one way does not judge two. */
static void test_times(void **state)
{
    g_autofree struct zg_soak_result *result = run(test_small_definition, "latency=150ms", 10, 200000000);
    (void)state;
    assert_int_equal(count(result, ZG_CLASS_LATE), 0);
    assert_int_equal(result->slow, result->round_trip.count);
    assert_true(result->from_due.count == result->round_trip.count &&
                result->from_due.most_ns >= result->round_trip.most_ns);
}

/* Three bits of check detect every single flipped bit, and pass up to an eighth of what is worse. */
static void test_accepted_damage_is_measured(void **state)
{
    g_autofree struct zg_soak_result *weak = run(weak_definition, "ber=1e-3", 300, 100000000);
    double accepted = (double)count(weak, ZG_CLASS_ACCEPTED), detected = (double)count(weak, ZG_CLASS_DETECTED);
    (void)state;
    assert_true(accepted > 100);
    if (accepted / (accepted + detected) < 0.01 || accepted / (accepted + detected) > 0.125)
        fail_msg("%g accepted, %g detected", accepted, detected);
}

static void test_same_seed_same_result(void **state)
{
    static const char faults[] = "ber=1e-5,drop=1e-4,repeat=1e-3,swap=1e-3,stray=1e-3";
    g_autofree struct zg_soak_result *first = run(test_small_definition, faults, 10, 100000000);
    g_autofree struct zg_soak_result *second = run(test_small_definition, faults, 10, 100000000);
    (void)state;
    assert_memory_equal(&first->sums, &second->sums, sizeof first->sums);
    assert_memory_equal(first->counters, second->counters, sizeof first->counters);
    assert_memory_equal(&first->round_trip, &second->round_trip, sizeof first->round_trip);
}

static uint64_t sum_of(JsonObject *object, const char *without)
{
    g_autoptr(GList) members = json_object_get_members(object);
    uint64_t sum = 0;
    for (GList *item = members; item; item = item->next)
        if (strcmp(item->data, without) != 0)
            sum += (uint64_t)json_object_get_int_member(object, item->data);
    return sum;
}

/* The report's JSON by itself: its classes add up to what was sent, and its bounds include what was counted. */
static void test_report_as_json(void **state)
{
    static const char *const flows[] = { "echo_out", "echo_back", "stream_out", "stream_back" };
    static const char *const rates[] = { "lost",     "lost_out", "lost_back",        "late",         "slow_answer",
                                         "repeated", "damages",  "damaged_accepted", "out_of_order", "unexpected" };
    g_autofree struct zg_soak_result *result =
        run(test_small_definition, "ber=1e-5,repeat=1e-3,stray=1e-3", 20, 100000000);
    struct test_plan plan = test_plan_of(test_small_definition);
    const struct zg_soak_settings settings = zg_soak_defaults();
    struct zg_soak_requirement requirement;
    (void)state;
    assert_true(zg_soak_requirement_parse("lost <= 0.1", &requirement, NULL));
    const struct zg_soak_report report = { plan.plan, &settings, result, NULL, &requirement, 1 };
    g_autofree char *text = zg_soak_report_json(&report);
    g_autofree char *words = zg_soak_report_text(&report);
    g_autoptr(JsonParser) parser = json_parser_new();
    assert_true(json_parser_load_from_data(parser, text, -1, NULL));
    JsonObject *root = json_node_get_object(json_parser_get_root(parser));
    JsonObject *sent = json_object_get_object_member(root, "sent");
    for (size_t i = 0; i < G_N_ELEMENTS(flows); i++) {
        JsonObject *flow = json_object_get_object_member(sent, flows[i]);
        assert_int_equal(sum_of(flow, "sent"), json_object_get_int_member(flow, "sent"));
    }
    JsonObject *all = json_object_get_object_member(root, "rates");
    for (size_t i = 0; i < G_N_ELEMENTS(rates); i++) {
        JsonObject *rate = json_object_get_object_member(all, rates[i]);
        double measured =
            (double)json_object_get_int_member(rate, "count") / (double)json_object_get_int_member(rate, "of");
        assert_true(json_object_get_double_member(rate, "low") <= measured);
        assert_true(measured < json_object_get_double_member(rate, "high"));
    }
    JsonObject *counters = json_object_get_object_member(json_object_get_object_member(root, "counters"), "device");
    assert_int_equal(json_object_get_size(counters), ZG_COUNTERS);
    assert_true(json_object_get_boolean_member(root, "adds_up") && json_object_get_boolean_member(root, "passed"));
    assert_string_equal(
        json_object_get_string_member(
            json_array_get_object_element(json_object_get_array_member(root, "requirements"), 0), "verdict"),
        "met");
    assert_non_null(
        strstr(words, "verdict: passed, all requirements are met; every frame and byte is accounted for\n"));
    test_plan_clear(&plan);
}

static bool stop_half_way(double done, const struct zg_soak_result *so_far, void *data)
{
    (void)data;
    (void)so_far;
    return done < 0.5;
}

static void test_stopping_keeps_what_was_measured(void **state)
{
    struct test_plan plan = test_plan_of(test_small_definition);
    struct zg_soak_settings settings = zg_soak_defaults();
    settings.duration_ns = UINT64_C(100000000000);
    g_autofree struct zg_soak_result *result = zg_soak_run(plan.plan, &settings, stop_half_way, NULL, NULL);
    (void)state;
    assert_true(result->stopped && result->adds_up);
    assert_true(result->ran_ns >= 50000000000 && result->ran_ns < 60000000000);
    test_plan_clear(&plan);
}

/* On a line that both sides take turns on, everything adds up however full it is, including what still waits at the
 * end; half full and without faults, nothing is lost or late. */
static void test_half_duplex(void **state)
{
    static const char *const files[] = { "tide_mast/tide_mast.yaml", "carillon/carillon.yaml" };
    (void)state;
    for (unsigned i = 0; i < 8; i++) {
        g_autofree char *path = g_build_filename(TEST_SOURCE "/examples", files[i & 1], NULL), *text = NULL;
        assert_true(g_file_get_contents(path, &text, NULL, NULL));
        struct test_plan plan = test_plan_of(text);
        struct zg_soak_settings settings = zg_soak_defaults();
        const bool faulty = i & 2;
        settings.duration_ns = UINT64_C(300000000000);
        settings.late_ns = zg_soak_usual_late_ns(plan.plan);
        settings.load = i & 4 ? 0.95 : 0.5;
        assert_true(zg_faults_parse(faulty ? "ber=1e-4,drop=1e-4" : "ber=0", &settings.faults, NULL));
        g_autofree struct zg_soak_result *result = zg_soak_run(plan.plan, &settings, NULL, NULL, NULL);
        assert_true(result->adds_up);
        const struct zg_ledger_sums *sums = &result->sums;
        assert_true(sums->sent[ZG_FLOW_ECHO_OUT] > 200);
        assert_true(faulty || sums->sent[ZG_FLOW_ECHO_OUT] == sums->sent[ZG_FLOW_ECHO_BACK]);
        assert_true(i >= 2 || count(result, ZG_CLASS_LATE) == 0);
        assert_true(faulty == (count(result, ZG_CLASS_LOST_OUT) > 0));
        test_plan_clear(&plan);
    }
}

static void test_requirements(void **state)
{
    static const struct {
        const char *text;
        enum zg_soak_verdict verdict;
    } rows[] = { { "lost <= 0.5", ZG_SOAK_MET },
                 { "lost<=1e-6", ZG_SOAK_FAILED },
                 { "damaged accepted <= 0.01", ZG_SOAK_MET },
                 { "unexpected <= 1e-9", ZG_SOAK_NOT_SHOWN },
                 { "late <= 0", ZG_SOAK_NOT_SHOWN },
                 { "late = 0", ZG_SOAK_MET },
                 { "lost = 0", ZG_SOAK_FAILED },
                 { "lost_out <= 1", ZG_SOAK_MET } };
    static const char *const wrong[][2] = {
        { "lots <= 1", "requirement \"lots <= 1\": unknown rate \"lots\"; did you mean \"lost\"?" },
        { "lost < 1", "requirement \"lost < 1\": expected NAME <= RATE, such as \"lost <= 1e-6\", or NAME = 0" },
        { "lost = 1", "requirement \"lost = 1\": expected = 0, or <= RATE" },
        { "lost <= 2", "requirement \"lost <= 2\": expected a rate from 0 to 1 after <=" },
        { "lost <= 1e-6x", "requirement \"lost <= 1e-6x\": expected a rate from 0 to 1 after <=" },
    };
    g_autofree struct zg_soak_result *result = run(test_small_definition, "ber=1e-4", 10, 100000000);
    struct zg_soak_requirement requirement;
    struct zg_soak_rate rate;
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        assert_true(zg_soak_requirement_parse(rows[i].text, &requirement, NULL));
        assert_int_equal(zg_soak_judge(result, &requirement, &rate), rows[i].verdict);
    }
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        g_autoptr(GError) error = NULL;
        assert_false(zg_soak_requirement_parse(wrong[i][0], &requirement, &error));
        assert_string_equal(error->message, wrong[i][1]);
    }
}

/* Small payloads hold only a part of the number, and are still told apart; with one byte, some 100 in a row may be
 * lost. */
static void test_small_payloads(void **state)
{
    (void)state;
    for (unsigned size = 1; size <= 3; size++) {
        g_autofree char *text = g_strdup_printf(
            "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: cobs, header: [id: u8, sequence: u16], check: "
            "crc32/iscsi, max_payload: %u }\nmessages: { m: { id: 1, from: host, fields: { a: u8 } } }\n",
            size);
        g_autofree struct zg_soak_result *result = run(text, "drop=1e-3,repeat=1e-3,swap=1e-3", 30, 100000000);
        assert_true(count(result, ZG_CLASS_DELIVERED) > 20000);
        assert_true(count(result, ZG_CLASS_LOST_OUT) > 50);
        assert_in_range(count(result, ZG_CLASS_REPEATED), result->injected * 8 / 10,
                        result->injected); /* some are lost */
        assert_int_equal(count(result, ZG_CLASS_ACCEPTED) + count(result, ZG_CLASS_UNEXPECTED), 0);
    }
}

/* Where an end mark is searched, no frame of a soak holds it, numbers included. */
static void test_searched_marks(void **state)
{
    static const char *const marks[] = { "\\n", "\\r\\n" };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(marks); i++)
        for (unsigned size = 3; size <= 80; size += 77) {
            g_autofree char *text = g_strdup_printf(
                "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: { kind: marks, end: \"%s\" }, check: none, "
                "max_payload: %u }\nmessages: { m: { from: host, layout: { pattern: \"M\" }, fields: {} } }\n",
                marks[i], size);
            g_autofree struct zg_soak_result *clean = run(text, "ber=0", 200 / TEST_SHARE, 1000000000);
            assert_true(count(clean, ZG_CLASS_DELIVERED) > 10000 / TEST_SHARE);
            for (unsigned class_ = 0; class_ < ZG_CLASSES; class_++)
                if (class_ != ZG_CLASS_DELIVERED)
                    assert_int_equal(count(clean, (enum zg_class)class_), 0);
            if (size == 3)
                continue; /* such a stray is a number */
            g_autofree struct zg_soak_result *strays = run(text, "stray=1e-3", 200 / TEST_SHARE, 1000000000);
            assert_int_equal(count(strays, ZG_CLASS_UNEXPECTED), strays->injected);
            assert_int_equal(count(strays, ZG_CLASS_LOST_OUT) + count(strays, ZG_CLASS_LOST_BACK), 0);
        }
}

static void test_definitions_that_cannot(void **state)
{
    static const char *const rows[][2] = {
        { "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: cobs, header: [id: u1], check: crc8/smbus, "
          "max_payload: 9 }\n"
          "messages: { m: { id: 0, from: host, fields: { a: u16 } } }\n",
          "a soak needs three ids that no message uses; widen the header's id, u1" },
    };
    const struct zg_soak_settings settings = zg_soak_defaults();
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        struct test_plan plan = test_plan_of(rows[i][0]);
        g_autoptr(GError) error = NULL;
        assert_null(zg_soak_run(plan.plan, &settings, NULL, NULL, &error));
        assert_string_equal(error->message, rows[i][1]);
        test_plan_clear(&plan);
    }
}

/* Every framing with every fault at once: everything is accounted for, no damage is taken as valid, and little more is
 * lost than was hit. */
static void test_each_framing(void **state)
{
    static const char gap[] =
        "zeugma: 1\nprotocol: p\nversion: 1.0\nline: { gap: 100 us }\n"
        "frame: { framing: { kind: gap, gap: 4 characters }, header: [id: u8, sequence: u16], check: crc32/iscsi, "
        "max_payload: 40 }\nmessages: { m: { id: 1, from: both, fields: { n: u32, data: \"bytes[..]\" } } }\n";
    (void)state;
    for (unsigned k = 0; k <= test_framings_length; k += TEST_SHARE) {
        g_autofree char *text = k < test_framings_length ? test_framing_text(&test_framings[k]) : g_strdup(gap);
        struct zg_soak_result *result =
            run(text, "ber=2e-5,drop=1e-4,double=1e-4,repeat=0.01,swap=0.01,stray=0.01", 20, UINT64_C(1000000000));
        uint64_t hits = 0;
        for (unsigned end = 0; end < 2; end++)
            hits += result->line[end].dropped + result->line[end].doubled + result->line[end].flipped_bits;
        assert_int_equal(count(result, ZG_CLASS_ACCEPTED), 0);
        assert_true(hits > 30 && result->sums.sent[ZG_FLOW_STREAM_OUT] > 200);
        assert_true(count(result, ZG_CLASS_LOST_OUT) + count(result, ZG_CLASS_LOST_BACK) <= hits + hits / 4);
        g_free(result);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_each_class_catches_its_own),
                                        cmocka_unit_test(test_each_framing),
                                        cmocka_unit_test(test_counts_are_right),
                                        cmocka_unit_test(test_counts_are_of_faults),
                                        cmocka_unit_test(test_senders_faults),
                                        cmocka_unit_test(test_ways),
                                        cmocka_unit_test(test_dead_line),
                                        cmocka_unit_test(test_times),
                                        cmocka_unit_test(test_accepted_damage_is_measured),
                                        cmocka_unit_test(test_same_seed_same_result),
                                        cmocka_unit_test(test_stopping_keeps_what_was_measured),
                                        cmocka_unit_test(test_half_duplex),
                                        cmocka_unit_test(test_small_payloads),
                                        cmocka_unit_test(test_searched_marks),
                                        cmocka_unit_test(test_requirements),
                                        cmocka_unit_test(test_report_as_json),
                                        cmocka_unit_test(test_definitions_that_cannot) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
