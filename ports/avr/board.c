/* SPDX-License-Identifier: MIT */
#include "board.h"

#include <avr/eeprom.h>

static volatile uint32_t overflows_us; /* time of the timer's overflows, 32768 us each */

ISR(TIMER1_OVF_vect)
{
    overflows_us += 32768;
}

/* The timer counts half microseconds. */
static uint32_t now_us(void *context)
{
    uint8_t status = SREG;

    (void)context;
    cli();
    uint16_t ticks = TCNT1;
    uint32_t us = overflows_us;
    if ((TIFR1 & _BV(TOV1)) != 0 && ticks < 0x8000) /* it has overflowed, but the interrupt has not run yet */
        us += 32768;
    SREG = status;
    return us + (ticks >> 1);
}

static void start_transmit(void *context)
{
    (void)context;
    UCSR0B = _BV(RXCIE0) | _BV(UDRIE0) | _BV(RXEN0) | _BV(TXEN0);
}

static void hold(void *context)
{
    (void)context;
    cli();
}

static void release(void *context)
{
    (void)context;
    sei();
}

/* Counts the starts in EEPROM. A cell endures some 100,000 of them. */
static uint16_t boot_number(void *context)
{
    uint16_t number = (uint16_t)(eeprom_read_word(0) + 1U);

    (void)context;
    eeprom_write_word(0, number);
    return number;
}

const struct zg_port zg_board_port = {
    .now_us = now_us, .start_transmit = start_transmit, .hold = hold, .release = release, .boot_number = boot_number
};

void zg_board_begin(uint32_t baud)
{
    UCSR0A = _BV(U2X0); /* double speed mode: finer divisors */
    UCSR0C = _BV(UCSZ01) | _BV(UCSZ00);
    UBRR0 = (uint16_t)((F_CPU / 8 + baud / 2) / baud - 1);
    UCSR0B = _BV(RXCIE0) | _BV(RXEN0) | _BV(TXEN0);
    TCCR1B = _BV(CS11);
    TIMSK1 = _BV(TOIE1);
    sei();
}
