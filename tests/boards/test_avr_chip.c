/* SPDX-License-Identifier: MIT */
/* The emulated chip's line: ten bit times a byte in both directions, back to back; what the receiver cannot hold is
 * lost, counted and flagged; interrupts take their time. The program is the port test's. */
#include "support.h"

#include "avr_chip.h"
#include "checks_avr.h"
#include "codec/frame.h"
#include "definition/checks.h"

enum { HZ = 16000000, BYTE = 320, BOOT = 100000, MOST = 200 };

static struct avr_chip *chip;
static uint64_t sent_at[MOST];
static uint8_t sent[MOST];
static unsigned count;

static void note(void *data, uint8_t byte)
{
    (void)data;
    assert_true(count < MOST);
    sent_at[count] = avr_chip_now(chip);
    sent[count++] = byte;
}

static void boot(void)
{
    count = 0;
    chip = avr_chip_new(TEST_BOARDS "/port_test_avr.elf", HZ, BYTE, note, NULL);
    assert_non_null(chip);
    assert_true(avr_chip_run(chip, BOOT));
}

static void give_echo(const struct zg_plan *plan, size_t size)
{
    const struct zg_header header = { .id = (zg_header_number)zg_plan_by_name(plan, "echo_request")->message->id };
    uint8_t payload[64] = { 1, 2, 3 };
    g_autoptr(GByteArray) frame = zg_frame_make(plan, &header, payload, size);

    for (guint i = 0; i < frame->len; i++)
        avr_chip_give(chip, frame->data[i]);
}

static struct test_plan plan_of_port_test(void)
{
    char *text = NULL;
    assert_true(g_file_get_contents(TEST_SOURCE "/examples/port_test/port_test.yaml", &text, NULL, NULL));
    struct test_plan plan = test_plan_of(text);
    g_free(text);
    return plan;
}

static void test_times(void **state)
{
    struct test_plan plan = plan_of_port_test();
    (void)state;
    boot();
    give_echo(plan.plan, 60);
    for (unsigned n = 1; n <= 60 + 6; n++) { /* each byte's interrupt comes when its stop bit has ended */
        assert_true(avr_chip_run(chip, BOOT + (uint64_t)n * BYTE - 8));
        assert_true(avr_chip_interrupt(chip, AVR_VECTOR_RECEIVE)->count <= n - 1);
        assert_true(avr_chip_run(chip, BOOT + (uint64_t)n * BYTE + 200));
        assert_int_equal(avr_chip_interrupt(chip, AVR_VECTOR_RECEIVE)->count, n);
    }
    assert_true(avr_chip_run(chip, BOOT + 200 * BYTE));
    assert_int_equal(count, 60 + 6);
    assert_in_range(sent_at[count - 1] - sent_at[0], (count - 1) * BYTE - 4, (count - 1) * BYTE + 4);
    assert_int_equal(sent[count - 1], 0);
    assert_int_equal(avr_chip_overrun(chip), 0);
    avr_chip_free(chip);
    test_plan_clear(&plan);
}

/* An interrupt takes the same time, whatever it interrupts. */
static void test_response(void **state)
{
    struct test_plan plan = plan_of_port_test();
    (void)state;
    boot();
    give_echo(plan.plan, 4);
    assert_true(avr_chip_run(chip, BOOT + 100 * BYTE));
    const struct avr_times *receive = avr_chip_interrupt(chip, AVR_VECTOR_RECEIVE);
    const uint64_t own = receive->cycles / receive->count;
    assert_int_equal(receive->most, own);
    assert_int_equal(receive->cycles, own * receive->count);
    avr_chip_free(chip);
    test_plan_clear(&plan);
}

/* While interrupts are disabled the receiver holds three bytes; further ones are lost, counted, and flagged once. */
static void test_overrun(void **state)
{
    struct test_plan plan = plan_of_port_test();
    const struct zg_header header = { .id = (zg_header_number)zg_plan_by_name(plan.plan, "deafen")->message->id };
    const uint8_t turns[4] = { 0x00, 0x20 };
    g_autoptr(GByteArray) deafen = zg_frame_make(plan.plan, &header, turns, sizeof turns);
    (void)state;
    boot();
    for (guint i = 0; i < deafen->len; i++)
        avr_chip_give(chip, deafen->data[i]);
    assert_true(avr_chip_run(chip, BOOT + (deafen->len + 20) * (uint64_t)BYTE));
    for (unsigned i = 0; i < 20; i++)
        avr_chip_give(chip, 0);
    assert_true(avr_chip_run(chip, BOOT + 3000 * BYTE));
    assert_int_equal(avr_chip_interrupt(chip, AVR_VECTOR_RECEIVE)->count, deafen->len + 3);
    assert_in_range(avr_chip_overrun(chip), 17, 20); /* those lost, and those held too late */
    give_echo(plan.plan, 10);
    assert_true(avr_chip_run(chip, BOOT + 3100 * BYTE));
    assert_int_equal(count, 10 + 6);
    avr_chip_free(chip);
    test_plan_clear(&plan);
}

/* --- the checks, on the chip */

static void collect(void *data, uint8_t byte)
{
    g_byte_array_append(data, &byte, 1);
}

/* The catalogue's CRC, bit by bit. */
static uint16_t value_of(const char *name, const uint8_t *bytes, size_t length)
{
    const struct zg_crc_parameters *p = zg_crc_table;
    struct zg_crc crc;
    static zg_check_word table[ZG_CRC_TABLE_ENTRIES];

    while (strcmp(p->name, name) != 0)
        p++;
    assert_int_equal(zg_crc_make(&crc, p->width, p->poly, p->init, p->reflect_in, p->reflect_out, p->xor_out, table),
                     0);
    zg_check_word reg = zg_crc_start(&crc);
    for (size_t i = 0; i < length; i++) {
        reg ^= crc.reflected ? bytes[i] : ZG_CRC_TOP(bytes[i], 8);
        reg = zgi_crc_step(&crc, reg, 8);
    }
    return (uint16_t)zg_crc_finish(&crc, reg);
}

/* Each form of the table, and those without a table, agree with the catalogue. */
static void test_checks(void **state)
{
    static const char *const names[] = { "crc16/ibm-3740", "crc16/kermit", "crc16/modbus", "crc16/t10-dif" };
    static const char *const forms[] = { "0-Os", "4-Os", "8-Os", "0-O2" };
    uint8_t bytes[LONGEST];
    (void)state;
    for (unsigned i = 0; i < LONGEST; i++)
        bytes[i] = byte_of(i);
    for (unsigned t = 0; t < G_N_ELEMENTS(forms); t++) {
        g_autofree char *elf = g_strdup_printf(TEST_CHECKS "/checks_avr_%s.elf", forms[t]);
        g_autoptr(GByteArray) told = g_byte_array_new();
        struct avr_chip *own = avr_chip_new(elf, HZ, BYTE, collect, told);
        assert_non_null(own);
        assert_true(avr_chip_run(own, HZ));
        assert_int_equal(told->len, CHECKS * LENGTHS * 4);
        for (guint i = 0, at = 0; i < CHECKS * LENGTHS; i++, at += 4) {
            const unsigned length = length_of(i % LENGTHS);
            const uint16_t value = value_of(names[i / LENGTHS], bytes, length);
            for (unsigned k = 0; k < 2; k++)
                if ((told->data[at + 2 * k] | told->data[at + 2 * k + 1] << 8) != value)
                    fail_msg("%s, %s, %u bytes in %u", names[i / LENGTHS], forms[t], length, k + 1);
        }
        avr_chip_free(own);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_times), cmocka_unit_test(test_response),
                                        cmocka_unit_test(test_overrun), cmocka_unit_test(test_checks) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
