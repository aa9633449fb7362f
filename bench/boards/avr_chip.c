/* SPDX-License-Identifier: MIT */
#include "avr_chip.h"

#include <simavr/avr_ioport.h>
#include <simavr/avr_uart.h>
#include <simavr/sim_avr.h>
#include <simavr/sim_elf.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { QUEUE = 1 << 16, RESPONSE = 4, VECTORS = 32, MANY = 100, HELD = 3, STRETCHES = 4, GPIOR0 = 0x3E };
#define NEVER (UINT64_C(1) << 60)

/* A running interrupt; they may nest. */
struct running {
    uint64_t since;
    bool on;
};

/* Pins of port B from outside. */
enum { PINS = 2 };

struct driven {
    avr_irq_t *irq;
    const uint64_t *changes;
    unsigned left;
    bool high;
};

struct watched {
    avr_changed changed;
    void *data;
};

struct avr_chip {
    avr_t *avr;
    avr_uart_t *uart;
    uint32_t byte_cycles;
    avr_sent sent;
    void *data;
    /* towards the chip */
    uint8_t queue[QUEUE];
    unsigned first, last; /* counts */
    bool receiving;       /* a byte is on the line */
    uint64_t arrived[HELD];
    unsigned unread, reads; /* received bytes that were not read yet; those that were read */
    uint64_t overrun, late; /* bytes lost; bytes read more than two byte times late */
    /* from the chip */
    uint64_t free; /* when the shift register becomes empty */
    uint8_t shifting[2];
    unsigned in_transmitter;
    struct running running[VECTORS];
    struct avr_times times[VECTORS];
    /* GPIOR0 */
    uint8_t stretch;
    uint64_t stretch_since; /* without the cycles of interrupts in it */
    uint64_t in_interrupts;
    struct avr_times stretches[STRETCHES];
    uint16_t least_stack;
    struct driven driven[PINS];
    struct watched watched[PINS];
    unsigned drives, watches;
};

/* --- towards the chip */

/* Notes the bytes that the program has read since. One that waited for more than two byte times was at risk. */
static void note_reads(struct avr_chip *chip)
{
    unsigned unread = (unsigned)(chip->uart->input.write - chip->uart->input.read) % uart_fifo_fifo_size;

    for (; chip->unread > unread; chip->unread--, chip->reads++)
        if (chip->avr->cycle - chip->arrived[chip->reads % HELD] > 2 * (uint64_t)chip->byte_cycles)
            chip->late++;
}

static avr_cycle_count_t byte_ended(avr_t *avr, avr_cycle_count_t when, void *param)
{
    struct avr_chip *chip = param;
    uint8_t byte = chip->queue[chip->first++ % QUEUE];

    if (chip->unread == HELD) {
        chip->overrun++;
        avr_regbit_set(avr, chip->uart->dor);
    } else {
        chip->arrived[(chip->reads + chip->unread++) % HELD] = when;
        chip->uart->cycles_per_byte = 1;
        avr_raise_irq(chip->uart->io.irq + UART_IRQ_INPUT, byte);
        chip->uart->cycles_per_byte = NEVER;
    }
    chip->receiving = chip->first != chip->last;
    return chip->receiving ? when + chip->byte_cycles : 0;
}

void avr_chip_give(struct avr_chip *chip, uint8_t byte)
{
    if (chip->last - chip->first == QUEUE) {
        (void)fprintf(stderr, "more than %d bytes wait for the chip\n", QUEUE);
        abort();
    }
    chip->queue[chip->last++ % QUEUE] = byte;
    if (!chip->receiving)
        avr_cycle_timer_register(chip->avr, chip->byte_cycles, byte_ended, chip);
    chip->receiving = true;
}

/* --- from the chip */

static avr_cycle_count_t byte_sent(avr_t *avr, avr_cycle_count_t when, void *param)
{
    struct avr_chip *chip = param;
    uint8_t byte = chip->shifting[0];

    (void)avr;
    chip->shifting[0] = chip->shifting[1];
    chip->in_transmitter--;
    chip->uart->tx_cnt = 0;
    chip->sent(chip->data, byte);
    return chip->in_transmitter > 0 ? when + chip->byte_cycles : 0;
}

static void data_written(struct avr_irq_t *irq, uint32_t value, void *param)
{
    struct avr_chip *chip = param;
    avr_t *avr = chip->avr;
    uint64_t now = avr->cycle;
    uint64_t start = chip->free > now ? chip->free : now;

    (void)irq;
    if (chip->in_transmitter == 2) {
        (void)fprintf(stderr, "the program wrote to a full transmitter\n");
        abort();
    }
    chip->shifting[chip->in_transmitter++] = (uint8_t)value;
    if (chip->in_transmitter == 1)
        avr_cycle_timer_register(avr, start + chip->byte_cycles - now, byte_sent, chip);
    chip->free = start + chip->byte_cycles;
    chip->uart->tx_cnt =
        chip->in_transmitter == 2 ? MANY : 0; /* the library's own timing raises nothing while it is full */
}

/* --- times */

static void note(struct avr_times *times, uint64_t took)
{
    times->count++;
    times->cycles += took;
    times->most = took > times->most ? (uint32_t)took : times->most;
}

static void interrupt_runs(struct avr_irq_t *irq, uint32_t value, void *param)
{
    struct avr_chip *chip = param;
    unsigned vector = irq->irq;
    struct running *running = &chip->running[vector];

    (void)irq;
    if (value && !running->on) {
        running->since = chip->avr->cycle;
        chip->avr->cycle += RESPONSE;
    } else if (!value && running->on) {
        uint64_t took = chip->avr->cycle - running->since;
        note(&chip->times[vector], took);
        chip->in_interrupts += took;
    }
    running->on = value != 0;
}

static void stretch_written(avr_t *avr, avr_io_addr_t address, uint8_t value, void *param)
{
    struct avr_chip *chip = param;
    uint64_t now = avr->cycle - chip->in_interrupts;

    avr->data[address] = value;
    note(&chip->stretches[chip->stretch], now - chip->stretch_since);
    chip->stretch = value % STRETCHES;
    chip->stretch_since = now;
}

/* --- the chip */

static avr_uart_t *find_uart(const avr_t *avr)
{
    for (avr_io_t *io = avr->io_port; io; io = io->next)
        if (strcmp(io->kind, "uart") == 0 && ((avr_uart_t *)(void *)io)->name == '0')
            return (avr_uart_t *)(void *)io;
    return NULL;
}

static void watch_interrupts(struct avr_chip *chip)
{
    for (unsigned vector = 1; vector < 26; vector++) {
        avr_irq_t *irq = avr_get_interrupt_irq(chip->avr, (uint8_t)vector);
        if (!irq)
            continue;
        irq[AVR_INT_IRQ_RUNNING].irq = vector;
        avr_irq_register_notify(irq + AVR_INT_IRQ_RUNNING, interrupt_runs, chip);
    }
}

/* Suppresses the library's message about the overrun that is counted here. */
static void keep_quiet(avr_t *avr, const int level, const char *format, va_list list)
{
    (void)avr;
    if (level <= LOG_OUTPUT)
        (void)vfprintf(stderr, format, list);
}

struct avr_chip *avr_chip_new(const char *elf, uint32_t hz, uint32_t byte_cycles, avr_sent sent, void *data)
{
    elf_firmware_t firmware = { 0 };
    struct avr_chip *chip = calloc(1, sizeof *chip);
    uint32_t flags = 0;

    avr_global_logger_set(keep_quiet);
    if (!chip || elf_read_firmware(elf, &firmware) != 0 || !(chip->avr = avr_make_mcu_by_name("atmega328p"))) {
        (void)fprintf(stderr, "%s cannot be loaded\n", elf);
        free(chip);
        return NULL;
    }
    avr_init(chip->avr);
    avr_load_firmware(chip->avr, &firmware);
    chip->avr->frequency = hz;
    chip->byte_cycles = byte_cycles;
    chip->sent = sent;
    chip->data = data;
    chip->least_stack = 0xFFFF;
    chip->uart = find_uart(chip->avr);
    avr_ioctl(chip->avr, AVR_IOCTL_UART_SET_FLAGS('0'), &flags); /* no echo, no sleeping */
    avr_irq_register_notify(chip->uart->io.irq + UART_IRQ_OUTPUT, data_written, chip);
    avr_register_io_write(chip->avr, GPIOR0, stretch_written, chip);
    watch_interrupts(chip);
    return chip;
}

void avr_chip_free(struct avr_chip *chip)
{
    if (!chip)
        return;
    avr_terminate(chip->avr);
    free(chip);
}

void avr_chip_set(struct avr_chip *chip, uint16_t address, uint8_t value)
{
    chip->avr->data[address] = value;
}

void avr_chip_drive(struct avr_chip *chip, unsigned pin, const uint64_t *changes, unsigned count)
{
    struct driven *driven = &chip->driven[chip->drives++ % PINS];

    driven->irq = avr_io_getirq(chip->avr, AVR_IOCTL_IOPORT_GETIRQ('B'), (int)pin);
    driven->changes = changes;
    driven->left = count;
    driven->high = true;
    avr_raise_irq(driven->irq, 1);
}

/* Changes the driven pins as far as it is time to. */
static void change_pins(struct avr_chip *chip)
{
    for (unsigned i = 0; i < PINS; i++)
        for (struct driven *driven = &chip->driven[i]; driven->left > 0 && *driven->changes <= chip->avr->cycle;) {
            driven->high = !driven->high;
            driven->changes++;
            driven->left--;
            avr_raise_irq(driven->irq, driven->high);
        }
}

static void pin_changed(struct avr_irq_t *irq, uint32_t value, void *param)
{
    const struct watched *watched = param;

    (void)irq;
    watched->changed(watched->data, value != 0);
}

void avr_chip_watch(struct avr_chip *chip, unsigned pin, avr_changed changed, void *changed_data)
{
    struct watched *watched = &chip->watched[chip->watches++ % PINS];

    watched->changed = changed;
    watched->data = changed_data;
    avr_irq_register_notify(avr_io_getirq(chip->avr, AVR_IOCTL_IOPORT_GETIRQ('B'), (int)pin), pin_changed, watched);
}

unsigned avr_chip_queued(const struct avr_chip *chip)
{
    return chip->last - chip->first;
}

uint64_t avr_chip_overrun(const struct avr_chip *chip)
{
    return chip->overrun + chip->late;
}

uint64_t avr_chip_now(const struct avr_chip *chip)
{
    return chip->avr->cycle;
}

bool avr_chip_run(struct avr_chip *chip, uint64_t until)
{
    avr_t *avr = chip->avr;

    while (avr->cycle < until) {
        uint16_t stack = (uint16_t)(avr->data[R_SPL] | avr->data[R_SPH] << 8);
        change_pins(chip);
        if (chip->in_transmitter < 2 && !chip->uart->udrc.pending && avr_regbit_get(avr, chip->uart->udrc.enable))
            avr_raise_interrupt(avr, &chip->uart->udrc); /* requested as long as the buffer is empty */
        if (chip->unread > 0 && !chip->uart->rxc.pending)
            avr_raise_interrupt(avr, &chip->uart->rxc); /* as long as there is a byte to read */
        int state = avr_run(avr);
        if (state == cpu_Done || state == cpu_Crashed)
            return false;
        if (chip->unread > 0)
            note_reads(chip);
        chip->uart->cycles_per_byte = NEVER; /* the program may have set its divisor */
        if (stack < chip->least_stack && stack > 0x100)
            chip->least_stack = stack;
    }
    return true;
}

const struct avr_times *avr_chip_interrupt(const struct avr_chip *chip, unsigned vector)
{
    return &chip->times[vector];
}

const struct avr_times *avr_chip_stretch(const struct avr_chip *chip, unsigned number)
{
    return &chip->stretches[number];
}

void avr_chip_reset_times(struct avr_chip *chip)
{
    memset(chip->times, 0, sizeof chip->times);
    memset(chip->stretches, 0, sizeof chip->stretches);
}

unsigned avr_chip_stack(const struct avr_chip *chip)
{
    return chip->avr->ramend - chip->least_stack;
}
