/* SPDX-License-Identifier: MIT */
/* Whether two ends read each other, held against a receiver that is computed tick by tick. */
#include <math.h>

#include "analysis/timing.h"
#include "sim/random.h"
#include "support.h"

enum { CHARACTERS = 12, BITS_MOST = 13, ROUNDS = 12, PHASES = 160 };

/* A line: when its level changes, in the sender's bits, beginning idle. */
struct wave {
    double at[CHARACTERS * (BITS_MOST + 1)];
    unsigned edges;
};

static unsigned level_at(const struct wave *wave, double time)
{
    unsigned edges = 0;
    while (edges < wave->edges && wave->at[edges] <= time)
        edges++;
    return edges % 2 == 0; /* idle is high */
}

/* Characters back to back, whose rising edges come later or earlier by `late` (idle high). */
static struct wave wave_of(const struct zg_character *character, const unsigned *values, double late)
{
    struct wave wave = { .edges = 0 };
    const unsigned data = character->before_stop - 1;
    double start = 2;
    unsigned level = 1;

    for (unsigned i = 0; i < CHARACTERS; i++) {
        for (unsigned bit = 0; bit <= data + 1; bit++) {
            const unsigned next = bit == 0 ? 0 : bit > data ? 1 : values[i] >> (bit - 1) & 1U;
            if (next != level)
                wave.at[wave.edges++] = start + bit + (next ? late : 0);
            level = next;
        }
        start += character->before_stop + character->stop + character->idle;
    }
    return wave;
}

/* Whether the receiver reads all of them. Its tick is `tick` of the sender's bits, the first at `phase` of one. */
static bool reads(const struct zg_character *character, const unsigned *values, const struct wave *wave, double tick,
                  double phase)
{
    const unsigned samples = character->samples, half = samples / 2, data = character->before_stop - 1;
    uint64_t now = 0;
    unsigned before = 1;

    for (unsigned i = 0; i < CHARACTERS; i++) {
        unsigned value = 0;
        for (unsigned guard = 0;; now++, guard++) { /* an idle sample, then an active one */
            const unsigned level = level_at(wave, ((double)now + phase) * tick);
            if (before && !level)
                break;
            before = level;
            if (guard > 4000)
                return false;
        }
        for (unsigned bit = 0; bit <= data + 1; bit++) {
            unsigned high = 0;
            for (unsigned k = 0; k < 3; k++)
                high += level_at(wave, ((double)(now + bit * samples + half - 1 + k) + phase) * tick);
            if ((bit == 0 && high >= 2) || (bit > data && high < 2))
                return false;
            if (bit > 0 && bit <= data)
                value |= (high >= 2 ? 1U : 0U) << (bit - 1);
        }
        if (value != values[i])
            return false;
        now += (uint64_t)(data + 1) * samples + half + 1; /* the third sample of the stop bit */
        before = level_at(wave, ((double)now + phase) * tick);
        now++;
    }
    return true;
}

/* Whether every phase, and data of every kind, is read. */
static bool reads_all(struct zg_random *random, const struct zg_character *character, double excess)
{
    const unsigned data = character->before_stop - 1, mask = (1U << data) - 1;
    const double tick = (1 + excess) / character->samples;

    for (unsigned round = 0; round < ROUNDS; round++) {
        unsigned values[CHARACTERS];
        for (unsigned i = 0; i < CHARACTERS; i++)
            values[i] = (unsigned)(round == 0   ? 0
                                   : round == 1 ? mask
                                   : round == 2 ? 1U << (data - 1)
                                   : round == 3 ? mask >> 1
                                                : zg_random_next(random)) &
                        mask;
        const struct wave wave = wave_of(character, values, character->edges_late * (1 + excess));
        for (unsigned phase = 0; phase < PHASES; phase++)
            if (!reads(character, values, &wave, tick, phase / (double)PHASES))
                return false;
    }
    return true;
}

/* The limits, found by halving. */
static double limit(struct zg_random *random, const struct zg_character *character, double good, double bad)
{
    while (fabs(bad - good) > 4e-5) {
        const double middle = (good + bad) / 2;
        *(reads_all(random, character, middle) ? &good : &bad) = middle;
    }
    return good;
}

static void test_limits(void **state)
{
    static const struct zg_character rows[] = {
        { .before_stop = 9, .stop = 1, .samples = 16 },
        { .before_stop = 9, .stop = 1, .samples = 8 },
        { .before_stop = 9, .stop = 1, .idle = 1, .samples = 16 },
        { .before_stop = 10, .stop = 1, .samples = 16 },
        { .before_stop = 9, .stop = 2, .samples = 16 },
        { .before_stop = 8, .stop = 1, .samples = 8 },
        { .before_stop = 9, .stop = 2, .samples = 16, .edges_late = 0.1 },
        { .before_stop = 9, .stop = 2, .samples = 16, .edges_late = -0.1 },
    };
    struct zg_random random = zg_random_seeded(5, 0);
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        double slowest, fastest;
        zg_timing_limits(&rows[i], &slowest, &fastest);
        const double slow = limit(&random, &rows[i], 0, -0.2), fast = limit(&random, &rows[i], 0, 0.2);
        /* late edges narrow one side, and the other one is at least as wide as it would be without them */
        const bool good = (rows[i].edges_late >= 0 ? fabs(slow - slowest) < 1.5e-4 : slow < slowest + 1.5e-4) &&
                          (rows[i].edges_late <= 0 ? fabs(fast - fastest) < 1.5e-4 : fast > fastest - 1.5e-4);
        if (!good)
            fail_msg("row %zu: %.5f to %.5f, not %.5f to %.5f", i, slow, fast, slowest, fastest);
        assert_true(fabs(zg_timing_margin(&rows[i], slowest).bits) < 1e-9);
        assert_true(fabs(zg_timing_margin(&rows[i], fastest).bits) < 1e-9);
        assert_true(zg_timing_margin(&rows[i], 0).bits > 0.2);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_limits) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
