/* SPDX-License-Identifier: MIT */
/* Whether two ends read each other, held against the line by the bit. */
#include <math.h>
#include <string.h>

#include "analysis/timing.h"
#include "sim/bits.h"
#include "sim/random.h"
#include "support.h"

enum { CHARACTERS = 12, ROUNDS = 12, PHASES = 160 };

#define BIT_PS 1e6

/* What is read of a line, as it is told. */
struct seen {
    unsigned read;
    bool wrong;
};

static void hear(void *data, const struct zg_heard *heard)
{
    struct seen *seen = data;
    seen->read += heard->is_read;
    seen->wrong = seen->wrong || heard->touches != 0 || heard->errors != 0;
}

static struct zg_uart_format format_of(const struct zg_character *character)
{
    return (struct zg_uart_format){ .data_bits = (uint8_t)(MIN(character->before_stop - 1, 8)),
                                    .parity = character->before_stop == 10 ? 'E' : 'N',
                                    .half_stops = (uint8_t)(2 * character->stop),
                                    .stop_opposite = character->stop_opposite };
}

/* Whether characters back to back are all read, with the receiver's first tick at a phase of one. */
static bool reads(const struct zg_character *character, double carrier, const uint8_t *values, double excess,
                  double phase)
{
    const double late_ps = character->edges_late * BIT_PS * (1 + excess);
    const struct zg_bits_settings settings = { .format = format_of(character),
                                               .sent_bit_ps = BIT_PS,
                                               .read_bit_ps = BIT_PS * (1 + excess),
                                               .samples = character->samples,
                                               .medium = { .carrier_ps = carrier * BIT_PS,
                                                           .rise_ps = carrier > 0 ? 0 : fmax(late_ps, 0),
                                                           .fall_ps = fmax(-late_ps, 0) } };
    const double each = character->before_stop + character->stop + character->idle + (character->stop_opposite ? 1 : 0);
    struct seen seen = { 0 };
    struct zg_bits bits;

    zg_bits_init(&bits, &settings, 1, 0, hear, &seen);
    bits.sampler.phase_ps = phase * bits.sampler.tick_ps;
    zg_bits_send(&bits, values, CHARACTERS, 2 * (uint64_t)BIT_PS, (uint64_t)(each * BIT_PS), 0);
    zg_bits_settle(&bits, (uint64_t)((each * CHARACTERS + 8) * BIT_PS));
    zg_bits_clear(&bits);
    return !seen.wrong && seen.read == CHARACTERS;
}

/* Whether every phase, and data of every kind, is read. */
static bool reads_all(struct zg_random *random, const struct zg_character *character, double carrier, double excess)
{
    const uint8_t mask = (uint8_t)((1U << MIN(character->before_stop - 1, 8)) - 1);

    for (unsigned round = 0; round < ROUNDS; round++) {
        uint8_t values[CHARACTERS];
        for (unsigned i = 0; i < CHARACTERS; i++)
            values[i] = (uint8_t)((round == 0   ? 0
                                   : round == 1 ? mask
                                   : round == 2 ? mask ^ mask >> 1
                                   : round == 3 ? mask >> 1
                                                : zg_random_next(random)) &
                                  mask);
        for (unsigned phase = 0; phase < PHASES; phase++)
            if (!reads(character, carrier, values, excess, phase / (double)PHASES))
                return false;
    }
    return true;
}

/* The limits, found by halving. */
static double limit(struct zg_random *random, const struct zg_character *character, double carrier, double good,
                    double bad)
{
    while (fabs(bad - good) > 4e-5) {
        const double middle = (good + bad) / 2;
        *(reads_all(random, character, carrier, middle) ? &good : &bad) = middle;
    }
    return good;
}

static void test_limits(void **state)
{
    static const struct {
        struct zg_character character;
        double carrier; /* its period in bits; its end is late by as much at most, and by nothing at least */
    } rows[] = {
        { { .before_stop = 9, .stop = 1, .samples = 16 }, 0 },
        { { .before_stop = 9, .stop = 1, .samples = 8 }, 0 },
        { { .before_stop = 9, .stop = 1, .idle = 1, .samples = 16 }, 0 },
        { { .before_stop = 10, .stop = 1, .samples = 16 }, 0 },
        { { .before_stop = 9, .stop = 2, .samples = 16 }, 0 },
        { { .before_stop = 8, .stop = 1, .samples = 8 }, 0 },
        { { .before_stop = 9, .stop = 2, .samples = 16, .edges_late = 0.1 }, 0 },
        { { .before_stop = 9, .stop = 2, .samples = 16, .edges_late = -0.1 }, 0 },
        { { .before_stop = 9, .stop = 1, .samples = 16, .stop_opposite = true }, 0 },
        { { .before_stop = 9, .stop = 2, .samples = 8, .stop_opposite = true }, 0 },
        { { .before_stop = 9, .stop = 2, .samples = 16, .edges_late = 0.13 }, 0.13 },
    };
    struct zg_random random = zg_random_seeded(5, 0);
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        const struct zg_character *character = &rows[i].character;
        double slowest, fastest;
        zg_timing_limits(character, &slowest, &fastest);
        const double slow = limit(&random, character, rows[i].carrier, 0, -0.2),
                     fast = limit(&random, character, rows[i].carrier, 0, 0.2);
        /* late edges narrow one side, and the other one is at least as wide as it would be without them; a carrier's
         * end is seldom as late as it may be */
        const double room = rows[i].carrier > 0 ? 0.015 : 1.5e-4;
        const bool good =
            (character->edges_late >= 0 ? slow < slowest + 1.5e-4 && slow > slowest - room : slow < slowest + 1.5e-4) &&
            (character->edges_late <= 0 ? fabs(fast - fastest) < 1.5e-4 : fast > fastest - 1.5e-4);
        if (!good)
            fail_msg("row %zu: %.5f to %.5f, not %.5f to %.5f", i, slow, fast, slowest, fastest);
        assert_true(fabs(zg_timing_margin(character, slowest).bits) < 1e-9);
        assert_true(fabs(zg_timing_margin(character, fastest).bits) < 1e-9);
        assert_true(zg_timing_margin(character, 0).bits > 0.2);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_limits) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
