/* SPDX-License-Identifier: MIT */
/*
 * An ATmega328P, run by libsimavr, at the end of a serial line with exactly ten bit times a byte in both directions.
 * This corrects what the library's version 1.6 gets wrong about the USART: the time of a byte, the second byte that the
 * transmitter buffers, the three that the receiver holds, with its overrun flag, and the cycles of an interrupt's
 * response (data sheet, "Interrupt Response Time": 4). Times are the processor's cycles.
 */
#ifndef ZEUGMA_AVR_CHIP_H
#define ZEUGMA_AVR_CHIP_H

#include <stdbool.h>
#include <stdint.h>

struct avr_chip;

/* How long an interrupt or another piece of code took. */
struct avr_times {
    uint64_t count;
    uint64_t cycles; /* response and instructions */
    uint32_t most;
};

/* Called for each byte that the chip sent, when its stop bit has ended. */
typedef void (*avr_sent)(void *data, uint8_t byte);

/* Loads an ELF file; `byte_cycles` is the time of a byte on the line. NULL, with a message printed, if it cannot be
 * read. */
struct avr_chip *avr_chip_new(const char *elf, uint32_t hz, uint32_t byte_cycles, avr_sent sent, void *data);
void avr_chip_free(struct avr_chip *chip);

/* Queues a byte for the chip: its start bit comes as soon as the line is free. */
void avr_chip_give(struct avr_chip *chip, uint8_t byte);

/* Bytes in the queue; bytes that the receiver lost, or that were read more than two byte times late. */
unsigned avr_chip_queued(const struct avr_chip *chip);
uint64_t avr_chip_overrun(const struct avr_chip *chip);

/* Sets a byte of the data memory, before the program runs. */
void avr_chip_set(struct avr_chip *chip, uint16_t address, uint8_t value);

/* Drives a pin of port B, high at first, which changes at these cycles; up to two. They are the caller's. */
void avr_chip_drive(struct avr_chip *chip, unsigned pin, const uint64_t *changes, unsigned count);

/* Calls a function when a pin of port B changes; up to two. */
typedef void (*avr_changed)(void *data, bool high);
void avr_chip_watch(struct avr_chip *chip, unsigned pin, avr_changed changed, void *changed_data);

/* Runs until a cycle count. False: the program crashed or stopped. */
bool avr_chip_run(struct avr_chip *chip, uint64_t until);
uint64_t avr_chip_now(const struct avr_chip *chip);

/* How long an interrupt took, by its vector: 7 timer 2 compare A; 10 capture, 11 compare A and 12 compare B of timer 1;
 * 18 receive, 19 data register empty. How long the program took while GPIOR0
 * held a number, without interrupts. Both since avr_chip_reset_times(). */
enum { AVR_VECTOR_RECEIVE = 18, AVR_VECTOR_TRANSMIT = 19 };
const struct avr_times *avr_chip_interrupt(const struct avr_chip *chip, unsigned vector);
const struct avr_times *avr_chip_stretch(const struct avr_chip *chip, unsigned number);
void avr_chip_reset_times(struct avr_chip *chip);

/* The most bytes of stack in use. */
unsigned avr_chip_stack(const struct avr_chip *chip);

#endif
