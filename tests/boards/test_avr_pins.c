/* SPDX-License-Identifier: MIT */
/* The links without a UART on an emulated ATmega328P's pins and timers: what comes in is sent back, at any rate up to
 * the greatest; the UART in software against a simulated one whose clock is off, the clocked pair against its rules. */
#include "support.h"

#include <math.h>
#include <string.h>

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

/* Loads a program for bits of so many cycles, drives its input pins, and runs it until they have their idle level. */
static void boot(const char *program, unsigned bit_cycles)
{
    g_autofree char *path = g_strdup_printf(TEST_BOARDS "/%s", program);

    chip = avr_chip_new(path, HZ, 100000, ignore, NULL);
    assert_non_null(chip);
    avr_chip_set(chip, 0x4A, (uint8_t)bit_cycles); /* GPIOR1 */
    avr_chip_set(chip, 0x4B, (uint8_t)(bit_cycles >> 8));
}

static void make_bytes(unsigned seed, uint8_t bytes[BYTES])
{
    struct zg_random random = zg_random_seeded(seed, 0);

    for (unsigned i = 0; i < BYTES; i++)
        bytes[i] = (uint8_t)(i < 3 ? 0x55 * i : zg_random_next(&random));
}

/* Whether all bytes come back that are sent at a rate with bits of so many cycles, by a clock so much too fast. */
static bool echoes(const char *program, unsigned bit_cycles, double excess)
{
    static uint64_t changes[BYTES * 10];
    struct zg_sampler sampler = { .format = format, .samples = 16, .tick_ps = bit_cycles / 16.0 };
    struct zg_sampled sampled;
    uint8_t bytes[BYTES];
    unsigned count = 0, found = 0;
    bool good = true;
    double at = BOOT;

    make_bytes(bit_cycles, bytes);
    for (unsigned i = 0; i < BYTES; i++, at += 10 * bit_cycles / (1 + excess)) {
        const unsigned bits = zg_uart_bits(&format, bytes[i]);
        for (unsigned bit = 0; bit <= 9; bit++)
            if ((bits >> bit & 1U) != (bit == 0 ? 0 : bits >> (bit - 1) & 1U))
                changes[count++] = (uint64_t)(at + bit * bit_cycles / (1 + excess));
    }
    zg_levels_free(&seen);
    seen = (struct zg_levels){ 0 };
    seen_high = true;
    boot(program, bit_cycles);
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

/* What leaves by the pair: bits at its falling clock edges. */
static struct {
    uint8_t bytes[BYTES];
    unsigned bits;
    bool data;
} pair;

static void note_data(void *data, bool high)
{
    (void)data;
    pair.data = high;
}

static void note_clock(void *data, bool high)
{
    (void)data;
    if (high || pair.bits == BYTES * 8)
        return;
    uint8_t *byte = &pair.bytes[pair.bits++ / 8];
    *byte = (uint8_t)(*byte << 1 | pair.data);
}

/* The same by a pair whose clock has so many cycles; idle for GAP clocks between bytes. One edge of byte `cut` does not
 * come: then it alone is missing. */
static bool echoes_pair(const char *program, unsigned clock_cycles, unsigned cut)
{
    enum { GAP = 4 };
    static uint64_t clock[1 + BYTES * 16], data[1 + BYTES * 9];
    uint8_t bytes[BYTES];
    unsigned clocks = 0, datas = 0, expected = 0;
    uint64_t at = BOOT;
    bool level = false;

    make_bytes(clock_cycles, bytes);
    clock[clocks++] = data[datas++] = 10; /* low, which is idle */
    for (unsigned i = 0; i < BYTES; i++, at += GAP * clock_cycles)
        for (unsigned bit = 0; bit < 8; bit++, at += clock_cycles) {
            if ((bytes[i] >> (7 - bit) & 1U) != level) {
                level = !level;
                data[datas++] = at;
            }
            if (i == cut && bit == 3)
                continue;
            clock[clocks++] = at;
            clock[clocks++] = at + clock_cycles / 2;
        }
    memset(&pair, 0, sizeof pair);
    boot(program, clock_cycles);
    avr_chip_drive(chip, 0, clock, clocks);
    avr_chip_drive(chip, 2, data, datas);
    assert_true(avr_chip_run(chip, BOOT / 2));
    avr_chip_watch(chip, 1, note_clock, NULL);
    avr_chip_watch(chip, 3, note_data, NULL);
    assert_true(avr_chip_run(chip, at + 40 * (uint64_t)clock_cycles));
    for (unsigned i = 0; i < BYTES; i++)
        if (i != cut && pair.bytes[expected++] != bytes[i])
            return false;
    return pair.bits == expected * 8;
}

/* Prints the cycles of all interrupts for each bit on the line, in both directions, and the greatest rate. */
static void tell(const char *program, unsigned bits_a_byte, unsigned least)
{
    static const unsigned vectors[] = { SAMPLE, CAPTURE, SEND, COMPLETE };
    uint64_t cycles = 0;

    for (unsigned i = 0; i < G_N_ELEMENTS(vectors); i++)
        cycles += avr_chip_interrupt(chip, vectors[i])->cycles;
    avr_chip_free(chip);
    print_message("%s: %.0f cycles a bit both ways; least bit %u cycles, %u baud\n", program,
                  (double)cycles / (BYTES * bits_a_byte), least, HZ / least);
    assert_true(least < 1600);
}

static void test_echo(void **state)
{
    static const struct {
        const char *program;
        double off;
    } rows[] = { { "soft_uart_avr.elf", 0.03 }, { "soft_uart_sampled_avr.elf", 0.02 } };
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
        assert_true(echoes(rows[i].program, 1667, 0));
        tell(rows[i].program, 10, least);
    }
    zg_levels_free(&seen);
}

static void test_pair(void **state)
{
    static const char program[] = "clocked_avr.elf";
    unsigned least = 1600;
    (void)state;
    for (unsigned cut = 0; cut <= BYTES; cut += 5) { /* at last none */
        const bool good = echoes_pair(program, 1600, cut);
        avr_chip_free(chip);
        assert_true(good);
    }
    for (unsigned clock = 1600; clock >= 100; clock -= clock / 20) {
        const bool still = echoes_pair(program, clock, BYTES);
        avr_chip_free(chip);
        if (!still)
            break;
        least = clock;
    }
    assert_true(echoes_pair(program, 1600, BYTES));
    tell(program, 8, least);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_echo), cmocka_unit_test(test_pair) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
