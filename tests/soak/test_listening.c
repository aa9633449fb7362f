/* SPDX-License-Identifier: MIT */
/* Losses told by numbers alone: each frame sent is found again in its class, also when the numbers go round unheard. */
#include "soak/listening.h"

#include "sim/random.h"
#include "support.h"

struct ear {
    struct zg_ledger *ledger;
    struct zgi_listening *listening;
    uint64_t now_ns, guessed;
};

static struct ear begin(unsigned bits)
{
    struct zg_ledger *ledger = zg_ledger_new(1, NULL, true);
    return (struct ear){ ledger, zgi_listening_new(ledger, bits), 0, 0 };
}

static void end(struct ear *ear)
{
    zgi_listening_free(ear->listening);
    zg_ledger_free(ear->ledger);
}

static void hear(struct ear *ear, unsigned source, uint32_t number, unsigned bits)
{
    const struct zg_header header = { .source = (zg_header_number)source,
                                      .sequence = (zg_header_number)(number & (UINT32_MAX >> (32 - bits))) };
    ear->guessed += zgi_listening_take(ear->listening, &header, ear->now_ns);
}

static uint64_t count(const struct ear *ear, enum zg_class class_)
{
    const struct zg_ledger_sums *sums = zg_ledger_sums(ear->ledger);
    return class_ == ZG_CLASS_REPEATED ? sums->arrivals[1][class_] : sums->entries[ZG_FLOW_STREAM_BACK][class_];
}

/* One frame each 10 ms from each of two senders; some are lost, repeated, or overtaken by the next. */
static void test_random(void **state)
{
    struct zg_random random = zg_random_seeded(3, 1);
    (void)state;
    for (unsigned bits = 4; bits <= 16; bits += 4) {
        struct ear ear = begin(bits);
        uint64_t lost = 0, repeated = 0, overtaken = 0;
        bool is_early = false; /* the first sender's next frame has come already */
        const uint32_t last = 20000;
        for (uint32_t number = 0; number < last; number++) {
            ear.now_ns += 10000000;
            for (unsigned source = 1; source <= 2; source++) {
                if (source == 1 && is_early) {
                    is_early = false;
                    continue;
                }
                const unsigned kind = number == 0 || number + 2 >= last ? 9 : (unsigned)zg_random_below(&random, 10);
                if (kind == 0) {
                    lost++;
                    continue;
                }
                if (kind == 1 && source == 1) {
                    hear(&ear, source, number + 1, bits);
                    is_early = true;
                    overtaken++;
                }
                hear(&ear, source, number, bits);
                if (kind == 2) {
                    hear(&ear, source, number, bits);
                    repeated++;
                }
            }
        }
        assert_int_equal(count(&ear, ZG_CLASS_LOST_BACK), lost);
        assert_int_equal(count(&ear, ZG_CLASS_OUT_OF_ORDER), overtaken);
        assert_int_equal(count(&ear, ZG_CLASS_REPEATED), repeated);
        assert_int_equal(zg_ledger_sums(ear.ledger)->sent[ZG_FLOW_STREAM_BACK], 2 * last);
        assert_int_equal(ear.guessed, 0);
        end(&ear);
    }
}

/* 8 bits, a frame each 10 ms: after 1, 3 and 30 s of nothing as many are missing as were sent, and how many of these
 * are known only by the rate is said. The rate may be off by a tenth. */
static void test_silence(void **state)
{
    static const unsigned silences[] = { 100, 300, 1000, 3000 };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(silences); i++) {
        struct ear ear = begin(8);
        uint32_t number = 250;
        for (unsigned k = 0; k < 500; k++, number++) {
            ear.now_ns += 9000000 + 2000000 * (k & 1);
            hear(&ear, 0, number, 8);
        }
        number += silences[i];
        ear.now_ns += silences[i] * UINT64_C(10000000);
        for (unsigned k = 0; k < 10; k++, number++) {
            ear.now_ns += 10000000;
            hear(&ear, 0, number, 8);
        }
        assert_int_equal(count(&ear, ZG_CLASS_LOST_BACK), silences[i]);
        assert_int_equal(ear.guessed, silences[i] / 256 * 256);
        end(&ear);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_random), cmocka_unit_test(test_silence) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
