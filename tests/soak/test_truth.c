/* SPDX-License-Identifier: MIT */
/* The ledger against what the faults did, frame by frame, as sets: no frame is lost that nothing happened to, and none
 * is delivered that something harmful happened to. ZEUGMA_TEST_ROUNDS=N makes N times as many runs. */
#include <math.h>
#include <string.h>

#include "soak/soak.h"
#include "support.h"

/* A frame that was sent, and what became of it. */
struct frame {
    enum zg_flow flow;
    uint32_t number;
    bool extra;
    uint64_t from, to; /* its bytes */
};

struct touch {
    uint64_t place;
    unsigned touches;
};

struct truth {
    GArray *frames[2], *touches[2]; /* of the device (0), the host (1), in order */
    GHashTable *fates;              /* flow and number -> classes, as bits */
};

static void *key_of(enum zg_flow flow, uint32_t number)
{
    return GSIZE_TO_POINTER((gsize)flow << 40 | ((gsize)number + 1));
}

static void note_frame(void *data, unsigned end, enum zg_flow flow, uint32_t number, bool extra, uint64_t from,
                       uint64_t to)
{
    const struct frame frame = { flow, number, extra, from, to };
    g_array_append_val(((struct truth *)data)->frames[end], frame);
}

static void note_touch(void *data, unsigned end, uint64_t place, unsigned touches)
{
    const struct touch touch = { place, touches };
    g_array_append_val(((struct truth *)data)->touches[end], touch);
}

static void note_fate(void *data, enum zg_flow flow, uint32_t number, enum zg_class class_, int count)
{
    struct truth *truth = data;
    void *key = key_of(flow, number);
    const unsigned classes = GPOINTER_TO_UINT(g_hash_table_lookup(truth->fates, key)), bit = 1U << class_;

    assert_true(count > 0 ? (classes & bit) == 0 : (classes & bit) != 0); /* never twice in one class */
    g_hash_table_insert(truth->fates, key, GUINT_TO_POINTER(count > 0 ? classes | bit : classes & ~bit));
}

static void truth_init(struct truth *truth)
{
    for (unsigned end = 0; end < 2; end++) {
        truth->frames[end] = g_array_new(FALSE, FALSE, sizeof(struct frame));
        truth->touches[end] = g_array_new(FALSE, FALSE, sizeof(struct touch));
    }
    truth->fates = g_hash_table_new(NULL, NULL);
}

static void truth_clear(struct truth *truth)
{
    for (unsigned end = 0; end < 2; end++) {
        g_array_unref(truth->frames[end]);
        g_array_unref(truth->touches[end]);
    }
    g_hash_table_unref(truth->fates);
}

/* The first touch at or after a place. */
static guint first_touch(const GArray *touches, uint64_t place)
{
    guint from = 0, to = touches->len;

    while (from < to) {
        const guint middle = from + (to - from) / 2;
        if (g_array_index(touches, struct touch, middle).place < place)
            from = middle + 1;
        else
            to = middle;
    }
    return from;
}

/* Harmless to a frame that nevertheless arrived: an end mark more, something before its first byte, or, where marks
 * stand at both ends of frames, one mark less. */
static bool is_harmless(const struct frame *frame, const struct touch *touch, bool two_marks)
{
    const bool only_more = (touch->touches & (ZG_TOUCH_CHANGED | ZG_TOUCH_DROPPED)) == 0;
    const bool one_less = two_marks && touch->touches == ZG_TOUCH_DROPPED;
    const bool replaced = touch->touches == (ZG_TOUCH_DROPPED | ZG_TOUCH_INSERTED) && touch->place + 1 == frame->to;
    const bool at_edge = touch->place == frame->from || touch->place + 1 == frame->to;

    return touch->place < frame->from || replaced || ((only_more || one_less) && at_edge);
}

/* What happened to one copy of a frame, as enum copy or'd over all its copies. */
enum copy { CLEAN = 1 /* nothing */, SOUND = 2 /* at most what is harmless */, WORN = 4 /* something */ };

static unsigned look_at(const GArray *touches, const struct frame *frame, bool two_marks)
{
    /* the end mark before it is the other neighbour's last byte */
    guint at = first_touch(touches, frame->from - MIN(frame->from, 1U));
    unsigned harm = 0, doubled = 0, dropped = 0;
    bool any = false;

    for (; at < touches->len && g_array_index(touches, struct touch, at).place < frame->to; at++) {
        const struct touch *touch = &g_array_index(touches, struct touch, at);
        any = true;
        harm += !is_harmless(frame, touch, two_marks);
        doubled += touch->touches == ZG_TOUCH_DOUBLED;
        dropped += touch->touches == ZG_TOUCH_DROPPED;
    }
    /* In a payload of equal bytes one that is doubled may make up for one that is dropped. */
    const bool undone = doubled == dropped && harm == doubled + dropped;
    return (harm == 0 || undone ? SOUND : 0U) | (any ? WORN : CLEAN);
}

static void check_frame(const struct truth *truth, const struct frame *frame, unsigned copies, const char *about)
{
    const unsigned classes = GPOINTER_TO_UINT(g_hash_table_lookup(truth->fates, key_of(frame->flow, frame->number)));
    const unsigned delivered = 1U << ZG_CLASS_DELIVERED | 1U << ZG_CLASS_LATE | 1U << ZG_CLASS_OUT_OF_ORDER;
    const char *name = zg_flow_name(frame->flow);

    if (classes == 0 || (classes & (classes - 1)) != 0)
        fail_msg("%s: %s %u has the classes %x", about, name, frame->number, classes);
    if ((classes & delivered) && !(copies & SOUND))
        fail_msg("%s: %s %u was delivered, although harm was done to it", about, name, frame->number);
    if (!(classes & delivered) && (copies & CLEAN))
        fail_msg("%s: %s %u was lost, and nothing had touched it", about, name, frame->number);
}

/* Frames that left again, under the same number, have several copies. */
static void check_frames(const struct truth *truth, unsigned end, bool two_marks, const char *about)
{
    g_autoptr(GHashTable) copies = g_hash_table_new(NULL, NULL);
    const GArray *frames = truth->frames[end];

    for (guint i = 0; i < frames->len; i++) {
        const struct frame *frame = &g_array_index(frames, struct frame, i);
        void *key = key_of(frame->flow, frame->number);
        const unsigned found = look_at(truth->touches[end], frame, two_marks);
        g_hash_table_insert(copies, key, GUINT_TO_POINTER(GPOINTER_TO_UINT(g_hash_table_lookup(copies, key)) | found));
    }
    for (guint i = 0; i < frames->len; i++) {
        const struct frame *frame = &g_array_index(frames, struct frame, i);
        void *key = key_of(frame->flow, frame->number);
        if (!frame->extra)
            check_frame(truth, frame, GPOINTER_TO_UINT(g_hash_table_lookup(copies, key)), about);
    }
}

static void check(const char *framing, const char *faults, uint64_t seed)
{
    g_autofree char *definition = g_strdup_printf(
        "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: %s, header: [id: u8, sequence: u8], check: "
        "crc32/iscsi, max_payload: 40, max_frame: 200 }\nmessages: { m: { id: 1, from: both, fields: { n: u32 } } }\n",
        framing);
    struct test_plan plan = test_plan_of(definition);
    struct truth truth;
    struct zg_soak_settings settings = zg_soak_defaults();
    const struct zg_soak_watch watch = { &truth, note_frame, note_touch, note_fate };
    g_autofree char *about = g_strdup_printf("%s, %s, seed %u", framing, faults, (unsigned)seed);
    uint64_t entries = 0;

    truth_init(&truth);
    settings.duration_ns = UINT64_C(20000000000);
    settings.seed = seed;
    settings.watch = &watch;
    assert_true(zg_faults_parse(faults, &settings.faults, NULL));
    g_autofree struct zg_soak_result *result = zg_soak_run(plan.plan, &settings, NULL, NULL, NULL);
    assert_true(result->adds_up);
    for (unsigned end = 0; end < 2; end++) {
        assert_true(truth.touches[end]->len > 0);
        check_frames(&truth, end, strcmp(framing, "cobs") != 0, about);
        for (guint i = 0; i < truth.frames[end]->len; i++)
            entries += !g_array_index(truth.frames[end], struct frame, i).extra;
    }
    uint64_t sent = 0;
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        sent += result->sums.sent[flow];
    assert_int_equal(entries, sent);
    truth_clear(&truth);
    test_plan_clear(&plan);
}

static void losses_are_of_what_was_touched(void **state)
{
    static const char *const framings[] = { "cobs", "slip", "hdlc" };
    static const char *const faults[] = { "ber=1e-4",          "drop=1e-4,double=1e-4,insert=1e-4",
                                          "burst=1/20ms/1e-2", "hum=50/1ms/3e-3",
                                          "cut=0.5/50ms",      "break=0.5/50ms",
                                          "eat=1113",          "ber=1e-5,swap=0.02,repeat=0.02",
                                          "long=24,ber=1e-5" };
    static const char *const of_packets[] = { "ber=1e-4", "drop=0.02,double=0.02,reorder=0.02", "clip=0.02",
                                              "cut=0.5/50ms,latency=5ms",
                                              "reorder=0.02,swap=0.02,repeat=0.02,burst=1/20ms/1e-2" };
    const unsigned rounds = test_rounds(4);
    (void)state;
    for (unsigned round = 0; round < rounds; round++)
        check("packet", of_packets[round % G_N_ELEMENTS(of_packets)], round + 1);
    for (unsigned round = 0; round < rounds; round++)
        for (size_t i = 0; i < G_N_ELEMENTS(framings); i++) {
            check(framings[i], faults[(round + 3 * i) % G_N_ELEMENTS(faults)], round + 1);
            check(framings[i], faults[(round + 3 * i + 4) % G_N_ELEMENTS(faults)], round + 1);
        }
}

/* Each fault of an end is seen as often as it was made, and as what it is. */
static void faults_of_ends_are_counted(void **state)
{
    static const struct {
        const char *faults;
        enum zg_class class_;
        bool all; /* each of the injected ones; otherwise some */
    } rows[] = { { "repeat=0.02", ZG_CLASS_REPEATED, true },          { "stale=0.02", ZG_CLASS_REPEATED, true },
                 { "stray=0.02", ZG_CLASS_UNEXPECTED, true },         { "behind=0.02", ZG_CLASS_ACCEPTED, false },
                 { "restart=0.5", ZG_CLASS_LOST_RESTART, false },     { "blackout=1/300ms", ZG_CLASS_LOST_OUT, false },
                 { "mask=2/5ms", ZG_CLASS_LOST_OUT, false },          { "back:mask=2/5ms", ZG_CLASS_LOST_BACK, false },
                 { "back:restart=0.5", ZG_CLASS_LOST_RESTART, false } };
    struct test_plan plan = test_plan_of(test_small_definition);
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        struct zg_soak_settings settings = zg_soak_defaults();
        settings.duration_ns = UINT64_C(30000000000);
        settings.seed = i + 1;
        assert_true(zg_faults_parse(rows[i].faults, &settings.faults, NULL));
        g_autofree struct zg_soak_result *result = zg_soak_run(plan.plan, &settings, NULL, NULL, NULL);
        uint64_t seen = 0, others = 0;
        for (unsigned k = ZG_CLASS_OUT_OF_ORDER; k < ZG_CLASSES; k++) {
            uint64_t count = 0;
            for (unsigned flow = 0; flow < ZG_FLOWS && k < ZG_CLASS_REPEATED; flow++)
                count += result->sums.entries[flow][k];
            for (unsigned end = 0; end < 2 && k >= ZG_CLASS_REPEATED; end++)
                count += result->sums.arrivals[end][k];
            *(k == rows[i].class_ ? &seen : &others) += count;
        }
        if (!result->adds_up || (rows[i].all ? seen != result->injected || others > 0 : seen < 5))
            fail_msg("%s: %u seen, %u others, %u injected", rows[i].faults, (unsigned)seen, (unsigned)others,
                     (unsigned)result->injected);
    }
    test_plan_clear(&plan);
}

/* A spell's share of the time is its rate and its length; one fault more moves no other. */
static void spells_come_as_often_as_they_should(void **state)
{
    const struct zg_spell spell = { 2, 20000000 };
    struct zg_spells random = zg_spells_seeded(7, 0, 0, &spell, false, 0),
                     even = zg_spells_seeded(7, 0, 1, &spell, true, 0);
    uint64_t on[2] = { 0, 0 };
    const uint64_t samples = 2000000; /* of 10 ms */
    (void)state;
    for (uint64_t i = 0; i < samples; i++) {
        on[0] += zg_spells_on(&random, i * 10000000);
        on[1] += zg_spells_on(&even, i * 10000000);
    }
    for (unsigned i = 0; i < 2; i++) /* 20 ms of 520 ms, within 2 % */
        assert_true(fabs((double)on[i] / (double)samples * 520 / 20 - 1) < 0.02);
    struct test_plan plan = test_plan_of(test_small_definition);
    struct zg_sim_totals totals[2];
    for (unsigned i = 0; i < 2; i++) {
        struct zg_soak_settings settings = zg_soak_defaults();
        assert_true(zg_faults_parse(i == 0 ? "back:drop=1e-3" : "back:drop=1e-3 out:ber=1e-4,mask=3/2ms",
                                    &settings.faults, NULL));
        settings.duration_ns = UINT64_C(60000000000);
        g_autofree struct zg_soak_result *result = zg_soak_run(plan.plan, &settings, NULL, NULL, NULL);
        totals[i] = result->line[0];
    }
    assert_in_range(totals[0].dropped, 100, 1000);
    assert_true(fabs((double)totals[0].dropped / (double)totals[0].sent * (double)totals[1].sent -
                     (double)totals[1].dropped) < 20); /* the same drops, on other bytes in between */
    test_plan_clear(&plan);
}

static void faults_at_times(void **state)
{
    static const char good[] = "- { from: 5s, to: 10s, way: out, drop: 0.5 }\n- { from: 8s, way: out, drop: 0 }\n";
    static const char bad[] = "- { from: 10s, to: 5s }\n- { bre: 1 }\n- { ber: 2 }\n- { way: up }\n- 7\n";
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("f.yaml");
    struct zg_fault_times *times = zg_fault_times_read(good, strlen(good), diagnostics);
    struct zg_soak_settings settings = zg_soak_defaults();
    struct test_plan plan = test_plan_of(test_small_definition);
    struct zg_journal *journal = zg_journal_new(true);
    (void)state;
    assert_non_null(times);
    assert_int_equal(zg_fault_times_next_ns(times, 0), UINT64_C(5000000000));
    assert_int_equal(zg_fault_times_next_ns(times, UINT64_C(10000000000)), UINT64_MAX);
    settings.duration_ns = UINT64_C(12000000000);
    settings.fault_times = times;
    settings.journal = journal;
    g_autofree struct zg_soak_result *result = zg_soak_run(plan.plan, &settings, NULL, NULL, NULL);
    const GArray *rows = zg_journal_times(journal);
    for (guint i = 0; i < rows->len; i++) {
        const struct zg_time_row *row = &g_array_index(rows, struct zg_time_row, i);
        assert_true(i < 5 || i >= 8 || row->bad[ZG_PATH_OUT] > 0);
        assert_true((i >= 4 && i < 8) || row->bad[ZG_PATH_OUT] == 0); /* what is due in 4 may be sent in 5 */
        assert_int_equal(row->bad[ZG_PATH_BACK], 0);
    }
    assert_true(result->adds_up);
    assert_null(zg_fault_times_read(bad, strlen(bad), diagnostics));
    assert_int_equal(zg_diagnostics_errors(diagnostics), 5);
    assert_null(zg_fault_times_read("{", 1, diagnostics));
    zg_diagnostics_free(diagnostics);
    zg_fault_times_free(times);
    zg_journal_free(journal);
    test_plan_clear(&plan);
}

/* What lies in the stretches is what the faults did: all of it, and nothing else. */
static void stretches_hold_the_damage(void **state)
{
    static const char *const faults[] = { "ber=1e-4", "drop=2e-4", "insert=2e-4", "double=2e-4",
                                          "out:restart=0.5,mask=2/4ms,blackout=1/100ms back:ber=1e-4,restart=0.3" };
    struct test_plan plan = test_plan_of(test_small_definition);
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(faults); i++) {
        struct zg_soak_settings settings = zg_soak_defaults();
        uint64_t flipped = 0, lengths[2] = { 0, 0 }, equal = 0, damages[2] = { 0, 0 };
        settings.duration_ns = UINT64_C(30000000000);
        settings.journal = zg_journal_new(true);
        assert_true(zg_faults_parse(faults[i], &settings.faults, NULL));
        g_autofree struct zg_soak_result *result = zg_soak_run(plan.plan, &settings, NULL, NULL, NULL);
        g_autoptr(GArray) stretches = zg_journal_take_stretches(settings.journal);
        for (guint k = 0; k < stretches->len; k++) {
            const struct zg_damage_found *found = &g_array_index(stretches, struct zg_damage_found, k);
            gsize sent_length, came_length;
            damages[found->at_host]++;
            assert_true(found->from_ns <= found->to_ns);
            assert_true(found->sent && found->arrived);
            const uint8_t *sent = g_bytes_get_data(found->sent, &sent_length),
                          *came = g_bytes_get_data(found->arrived, &came_length);
            lengths[0] += sent_length;
            lengths[1] += came_length;
            equal += g_bytes_equal(found->sent, found->arrived) ? 1 : 0;
            for (gsize b = 0; b < MIN(sent_length, came_length) && i == 0; b++)
                flipped += (uint64_t)__builtin_popcount(sent[b] ^ came[b]);
        }
        assert_int_equal(damages[0], result->damages[0]);
        assert_int_equal(damages[1], result->damages[1]);
        assert_true(stretches->len > 20);
        const struct zg_sim_totals *line = result->line;
        if (i < 4) /* an end mark that is doubled or inserted between two frames does no harm, and is in no stretch */
            assert_int_equal(equal, 0);
        if (i == 0)
            assert_int_equal(flipped, line[0].flipped_bits + line[1].flipped_bits);
        else if (i == 1)
            assert_int_equal(lengths[0] - lengths[1], line[0].dropped + line[1].dropped);
        else if (i < 4)
            assert_in_range(lengths[1] - lengths[0],
                            (line[0].inserted + line[1].inserted + line[0].doubled + line[1].doubled) * 9 / 10,
                            line[0].inserted + line[1].inserted + line[0].doubled + line[1].doubled);
        zg_journal_free(settings.journal);
    }
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(losses_are_of_what_was_touched),      cmocka_unit_test(faults_of_ends_are_counted),
        cmocka_unit_test(spells_come_as_often_as_they_should), cmocka_unit_test(faults_at_times),
        cmocka_unit_test(stretches_hold_the_damage),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
