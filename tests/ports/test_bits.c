/* SPDX-License-Identifier: MIT */
/* The line bit by bit: what is computed without sampling is what every tick gives. */
#include "support.h"

#include <math.h>
#include <string.h>

#include "sim/bits.h"
#include "sim/random.h"
#include "zeugma/link.h"

enum { SENT_MOST = 400, READ_MOST = 4000 };

struct read {
    uint64_t at_ps;
    uint8_t byte, errors;
};

/* What was told, and the account of it. */
struct told {
    struct read reads[READ_MOST];
    unsigned count, dropped, inserted, changed;
    uint64_t next_place;
};

static void take(void *data, const struct zg_heard *heard)
{
    struct told *told = data;

    if (heard->touches != ZG_TOUCH_INSERTED)
        assert_int_equal(heard->place, told->next_place++); /* each byte once, in order */
    told->dropped += heard->touches == ZG_TOUCH_DROPPED;
    told->inserted += heard->touches == ZG_TOUCH_INSERTED;
    told->changed += heard->touches == ZG_TOUCH_CHANGED;
    assert_int_equal(heard->is_read, heard->touches != ZG_TOUCH_DROPPED);
    assert_int_equal(heard->touches == ZG_TOUCH_CHANGED,
                     heard->is_read && heard->touches != ZG_TOUCH_INSERTED && heard->byte != heard->sent);
    if (heard->is_read && told->count < READ_MOST)
        told->reads[told->count++] = (struct read){ heard->at_ps, heard->byte, heard->errors };
}

/* --- the same by every tick */

struct wave {
    double at[SENT_MOST * 14];
    unsigned count;
};

static void change(struct wave *wave, double at)
{
    if (wave->count > 0 && wave->at[wave->count - 1] >= at)
        wave->count--;
    else
        wave->at[wave->count++] = at;
}

/* The sender's changes, one character after the other, as the standard has them: written anew. */
static void draw(const struct zg_bits_settings *settings, const uint8_t *bytes, const uint64_t *starts, unsigned count,
                 struct wave *wave)
{
    const struct zg_uart_format *format = &settings->format;
    const struct zg_medium_settings *medium = &settings->medium;

    wave->count = 0;
    for (unsigned i = 0; i < count; i++) {
        bool high[16];
        unsigned bits = 0, ones = 0;
        high[bits++] = false;
        for (unsigned k = 0; k < format->data_bits; k++) {
            high[bits] = bytes[i] >> (format->msb_first ? format->data_bits - 1U - k : k) & 1U;
            ones += high[bits++];
        }
        if (format->parity != 'N')
            high[bits++] = format->parity == 'M' || (format->parity == 'E' && ones % 2) ||
                           (format->parity == 'O' && ones % 2 == 0);
        high[bits++] = !format->stop_opposite;
        bool level = true;
        double fell = 0;
        for (unsigned k = 0; k <= bits; k++) { /* the last one is the idle bit behind stop bits */
            const bool next = k == bits || high[k];
            double at = (double)starts[i] + (k == bits ? k - 1 + format->half_stops / 2.0 : k) * settings->sent_bit_ps;
            if (next == level)
                continue;
            level = next;
            if (!level)
                fell = at;
            else if (medium->carrier_ps > 0)
                at = fell + ceil((at - fell) / medium->carrier_ps - 1e-9) * medium->carrier_ps;
            change(wave, at + (level != format->idle_low ? medium->rise_ps : medium->fall_ps));
        }
    }
}

struct reference {
    const struct zg_bits_settings *settings;
    struct wave wave;
    struct zg_spells pulses, holds;
    unsigned passed;
};

/* The level at a moment, which does not go back: whether it is not the idle one. */
static bool level_at(struct reference *reference, double at)
{
    while (reference->passed < reference->wave.count && reference->wave.at[reference->passed] <= at)
        reference->passed++;
    const uint64_t ns = (uint64_t)floor(at / 1000);
    const bool active = reference->passed % 2 == 1;
    const bool held = zg_spells_on(&reference->holds, ns), inverted = zg_spells_on(&reference->pulses, ns);
    return held ? !reference->settings->format.idle_low : active != inverted;
}

static unsigned read_by_ticks(struct reference *reference, double phase, double until, struct read *reads)
{
    const struct zg_bits_settings *settings = reference->settings;
    const unsigned samples = settings->samples, half = samples / 2, before = zg_uart_before_stop(&settings->format);
    const double tick_ps = settings->read_bit_ps / samples;
    unsigned count = 0, tick = 0, votes = 0;
    bool reading = false, waits = false;
    uint16_t bits = 0;

    for (uint64_t n = 0; phase + (double)n * tick_ps < until && count < READ_MOST; n++) {
        const bool active = level_at(reference, phase + (double)n * tick_ps);
        if (!reading) {
            reading = active && !waits;
            waits = active;
            tick = bits = 0;
            continue;
        }
        const unsigned bit = ++tick / samples, in_bit = tick % samples;
        if (bit == 0 && in_bit == half) {
            reading = active;
            waits = false;
            bits = 1;
        }
        if (bit > 0 && in_bit == half - 1)
            votes = active;
        else if (bit > 0 && in_bit == half)
            votes += active;
        else if (bit > 0 && in_bit == half + 1) {
            bits = (uint16_t)(bits | (votes + active >= 2) << bit);
            if (bit < before)
                continue;
            struct read *read = &reads[count++];
            read->at_ps = (uint64_t)(phase + (double)n * tick_ps);
            read->byte = zg_uart_value(&settings->format, bits, &read->errors);
            reading = false;
            waits = active || (read->errors & ZG_LINE_FRAMING) != 0;
        }
    }
    return count;
}

/* --- both, for all kinds of lines */

static double between(struct zg_random *random, double low, double high)
{
    return low + (high - low) * zg_random_unit(random);
}

static struct zg_bits_settings random_settings(struct zg_random *random)
{
    const double bit_ps = between(random, 1e5, 2e7);
    struct zg_bits_settings settings = {
        .format = { .data_bits = (uint8_t)(4 + zg_random_below(random, 5)),
                    .parity = "NNNEOMS"[zg_random_below(random, 7)],
                    .half_stops = (uint8_t)(2 + zg_random_below(random, 3)),
                    .msb_first = zg_random_one_in(random, 3),
                    .idle_low = zg_random_one_in(random, 3),
                    .stop_opposite = zg_random_one_in(random, 5) },
        .sent_bit_ps = bit_ps,
        .read_bit_ps = bit_ps * (zg_random_one_in(random, 8) ? between(random, 0.3, 3) : between(random, 0.94, 1.07)),
        .samples = zg_random_one_in(random, 3) ? 8 : 16
    };

    settings.medium.idle_low = settings.format.idle_low;
    if (zg_random_one_in(random, 4) && !settings.format.idle_low)
        settings.medium.carrier_ps = bit_ps / between(random, 4, 40);
    if (zg_random_one_in(random, 3))
        settings.medium.rise_ps = bit_ps * between(random, 0, 0.6);
    if (zg_random_one_in(random, 3))
        settings.medium.fall_ps = bit_ps * between(random, 0, 0.6);
    if (zg_random_one_in(random, 2))
        settings.medium.pulses = (struct zg_spell){ 1e12 / bit_ps / between(random, 5, 500),
                                                    (uint64_t)(bit_ps / 1000 * between(random, 0, 2)) };
    if (zg_random_one_in(random, 4))
        settings.medium.holds = (struct zg_spell){ 1e12 / bit_ps / between(random, 50, 500),
                                                   (uint64_t)(bit_ps / 1000 * between(random, 1, 30)) };
    return settings;
}

static void test_every_tick(void **state)
{
    static struct told told;
    static struct reference reference;
    static struct read reads[READ_MOST];
    struct zg_random random = zg_random_seeded(9, 0);
    unsigned plain = 0, total = 0, wrong = 0;
    (void)state;
    for (unsigned round = 0; round < 1500; round++) {
        const struct zg_bits_settings settings = random_settings(&random);
        const unsigned count = 1 + (unsigned)zg_random_below(&random, SENT_MOST / 4);
        const uint64_t each =
            (uint64_t)ceil(zg_uart_half_bits(&settings.format) * settings.sent_bit_ps / 2) +
            (zg_random_one_in(&random, 2) ? 0 : zg_random_below(&random, (uint64_t)settings.sent_bit_ps));
        uint8_t bytes[SENT_MOST];
        uint64_t starts[SENT_MOST], now = (uint64_t)(3 * settings.sent_bit_ps);
        struct zg_bits bits;
        memset(&told, 0, sizeof told);
        zg_bits_init(&bits, &settings, round, 7, take, &told);
        const double phase = bits.sampler.phase_ps;
        for (unsigned i = 0; i < count;) { /* in runs, with pauses, settled at any time in between */
            const unsigned most = 1 + (unsigned)zg_random_below(&random, 20), run = MIN(count - i, most);
            for (unsigned k = i; k < i + run; k++) {
                bytes[k] = (uint8_t)(zg_random_next(&random) & (0xFFU >> (8U - settings.format.data_bits)));
                starts[k] = now + (k - i) * each;
            }
            zg_bits_send(&bits, bytes + i, run, now, each, i);
            i += run;
            now += run * each;
            if (zg_random_one_in(&random, 3))
                zg_bits_settle(&bits, now);
            if (zg_random_one_in(&random, 3))
                zg_bits_settle(&bits, now += zg_random_below(&random, 40 * (uint64_t)settings.sent_bit_ps));
        }
        now += 100 * (uint64_t)settings.sent_bit_ps;
        zg_bits_settle(&bits, now);
        const double delay = fmin(settings.medium.rise_ps, settings.medium.fall_ps);
        reference = (struct reference){ .settings = &settings,
                                        .pulses = zg_spells_seeded(round, 7, 0, &settings.medium.pulses, true, 0),
                                        .holds = zg_spells_seeded(round, 7, 1, &settings.medium.holds, true, 0) };
        draw(&settings, bytes, starts, count, &reference.wave);
        const unsigned wanted = read_by_ticks(&reference, phase, (double)now + delay, reads);
        for (unsigned i = 0; i < MAX(wanted, told.count); i++)
            if (i >= wanted || i >= told.count || reads[i].byte != told.reads[i].byte ||
                reads[i].errors != told.reads[i].errors || reads[i].at_ps != told.reads[i].at_ps)
                fail_msg("round %u, character %u of %u and %u", round, i, wanted, told.count);
        if (told.next_place == count) /* nothing is under way */
            assert_int_equal(told.count, count - told.dropped + told.inserted);
        total += told.count;
        wrong += told.changed + told.dropped + told.inserted;
        plain += told.count == count && told.changed == 0;
        zg_bits_clear(&bits);
    }
    assert_true(plain > 200 && wrong > 10000 && total > 40000); /* both were tried */
}

/* A byte at another speed is what its bits say. */
static void test_speeds(void **state)
{
    static const struct {
        double read_bit_ps;
        uint8_t sent;
        struct read reads[2];
        unsigned count;
    } rows[] = { { 1e6, 0x5A, { { 0, 0x5A, 0 } }, 1 },
                 { 1.04e6, 0x00, { { 0, 0x00, 0 } }, 1 },
                 { 0.95e6, 0xFF, { { 0, 0xFF, 0 } }, 1 },
                 /* nine low bits read as 4.5, whose last half is missed or met */
                 { 2.02e6, 0x00, { { 0, 0xF8, 0 } }, 1 },
                 { 1.98e6, 0x00, { { 0, 0xF0, 0 } }, 1 },
                 /* 0 1 0 1 0, each bit twice: 0 | 0110 0110 | 0, then the rest: 0 | 1 ... */
                 { 0.5e6, 0x55, { { 0, 0x66, ZG_LINE_FRAMING }, { 0, 0xE6, 0 } }, 2 },
                 /* nine low bits, of 36 its own: a break, once */
                 { 0.25e6, 0x00, { { 0, 0x00, ZG_LINE_FRAMING | ZG_LINE_BREAK } }, 1 } };
    struct told told;
    struct zg_bits bits;
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        const struct zg_bits_settings settings = { .format = { .data_bits = 8, .parity = 'N', .half_stops = 2 },
                                                   .sent_bit_ps = 1e6,
                                                   .read_bit_ps = rows[i].read_bit_ps,
                                                   .samples = 16 };
        memset(&told, 0, sizeof told);
        zg_bits_init(&bits, &settings, 1, 0, take, &told);
        zg_bits_send(&bits, &rows[i].sent, 1, 3000000, 10000000, 0);
        zg_bits_settle(&bits, 100000000);
        assert_int_equal(told.count, rows[i].count);
        for (unsigned k = 0; k < told.count; k++) {
            assert_int_equal(told.reads[k].byte, rows[i].reads[k].byte);
            assert_int_equal(told.reads[k].errors, rows[i].reads[k].errors);
        }
        zg_bits_clear(&bits);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_every_tick), cmocka_unit_test(test_speeds) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
