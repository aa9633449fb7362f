/* SPDX-License-Identifier: MIT */
/* The UART in software on an emulated ATmega328P's pins and timers, against a simulated UART: what comes in is sent
 * back, at any rate up to the greatest, with the sender's clock off. */
#include "support.h"

#include <math.h>

#include "avr_chip.h"
#include "sim/random.h"
#include "sim/sampler.h"

enum { HZ = 16000000, BYTES = 20, BOOT = 20000, SAMPLE = 7, CAPTURE = 10, SEND = 11, COMPLETE = 12 };

static const struct zg_uart_format format = { .data_bits = 8, .parity = 'N', .half_stops = 2 };

/* The chip's pin, as it changes, in cycles. */
static struct avr_chip *chip;
static struct zg_levels seen;
static bool seen_high;

static void note(void *data, bool high)
{
    (void)data;
    if (high != seen_high)
        zg_levels_change(&seen, (double)avr_chip_now(chip));
    seen_high = high;
}

static void ignore(void *data, uint8_t byte)
{
    (void)data;
    (void)byte;
}

/* Whether all bytes come back that are sent at a rate with bits of so many cycles, by a clock so much too fast. */
static bool echoes(const char *program, unsigned bit_cycles, double excess)
{
    static uint64_t changes[BYTES * 10];
    struct zg_random random = zg_random_seeded(bit_cycles, 0);
    struct zg_sampler sampler = { .format = format, .samples = 16, .tick_ps = bit_cycles / 16.0 };
    struct zg_sampled sampled;
    uint8_t bytes[BYTES];
    unsigned count = 0, found = 0;
    bool good = true;
    double at = BOOT;

    for (unsigned i = 0; i < BYTES; i++, at += 10 * bit_cycles / (1 + excess)) {
        bytes[i] = (uint8_t)(i < 3 ? 0x55 * i : zg_random_next(&random));
        const unsigned bits = zg_uart_bits(&format, bytes[i]);
        for (unsigned bit = 0; bit <= 9; bit++)
            if ((bits >> bit & 1U) != (bit == 0 ? 0 : bits >> (bit - 1) & 1U))
                changes[count++] = (uint64_t)(at + bit * bit_cycles / (1 + excess));
    }
    zg_levels_free(&seen);
    seen = (struct zg_levels){ 0 };
    seen_high = true;
    g_autofree char *path = g_strdup_printf(TEST_BOARDS "/%s", program);
    chip = avr_chip_new(path, HZ, 100000, ignore, NULL);
    assert_non_null(chip);
    avr_chip_set(chip, 0x4A, (uint8_t)bit_cycles); /* GPIOR1 */
    avr_chip_set(chip, 0x4B, (uint8_t)(bit_cycles >> 8));
    avr_chip_drive(chip, 0, changes, count);
    assert_true(avr_chip_run(chip, BOOT / 2)); /* its pin is high now */
    avr_chip_watch(chip, 1, note, NULL);
    const double end = at + 40 * bit_cycles;
    assert_true(avr_chip_run(chip, (uint64_t)end));
    while (zg_sampler_read(&sampler, &seen, end, &sampled)) {
        good = good && sampled.errors == 0 && found < BYTES && sampled.byte == bytes[found];
        found++;
    }
    return good && found == BYTES;
}

/* Cycles of all its interrupts for each bit on the line, in both directions. */
static double cycles_a_bit(const char *program, unsigned bit_cycles)
{
    uint64_t cycles = 0;

    assert_true(echoes(program, bit_cycles, 0));
    static const unsigned vectors[] = { SAMPLE, CAPTURE, SEND, COMPLETE };
    for (unsigned i = 0; i < G_N_ELEMENTS(vectors); i++)
        cycles += avr_chip_interrupt(chip, vectors[i])->cycles;
    avr_chip_free(chip);
    return (double)cycles / (BYTES * 10.0);
}

static void test_echo(void **state)
{
    static const struct {
        const char *program;
        unsigned least; /* cycles a bit at which it still works, and less does not */
        double off;
    } rows[] = { { "soft_uart_avr.elf", 0, 0.03 }, { "soft_uart_sampled_avr.elf", 0, 0.02 } };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        for (int side = -1; side <= 1; side++) {
            const bool good = echoes(rows[i].program, 1667, side * rows[i].off); /* 9600 */
            avr_chip_free(chip);
            assert_true(good);
        }
        unsigned least = 1667;
        for (unsigned bit = 1600; bit >= 100; bit -= bit / 20) {
            const bool good = echoes(rows[i].program, bit, 0);
            avr_chip_free(chip);
            if (!good)
                break;
            least = bit;
        }
        print_message("%s: %.0f cycles a bit both ways; least bit %u cycles, %u baud\n", rows[i].program,
                      cycles_a_bit(rows[i].program, 1667), least, HZ / least);
    }
    zg_levels_free(&seen);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_echo) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
