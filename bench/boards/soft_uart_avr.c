/* SPDX-License-Identifier: MIT */
/*
 * A UART in software on an ATmega328P, which sends back what it receives, 8N1: from pin PB0, the input capture of timer
 * 1, to pin PB1. The cycles of a bit are in GPIOR1 (low) and GPIOR2 (high) at the start. With -DSAMPLES it samples PB0
 * from timer 2, so often a bit, instead.
 */
#include <avr/interrupt.h>
#include <avr/io.h>

#include "soft_uart/soft_uart.h"

static const struct zg_uart_format format = { .data_bits = 8, .parity = 'N', .half_stops = 2 };
static struct zg_link link;
static uint8_t receive_memory[32], transmit_memory[32];
static struct zg_soft_uart_sender sender;
static uint16_t bit;

ISR(TIMER1_COMPA_vect)
{
    if (sender.high)
        PORTB |= _BV(PORTB1);
    else
        PORTB &= (uint8_t)~_BV(PORTB1);
    OCR1A += bit;
    if (!zg_soft_uart_next(&sender, &link))
        TIMSK1 &= (uint8_t)~_BV(OCIE1A);
}

static void start_transmit(void *context)
{
    (void)context;
    cli();
    if ((TIMSK1 & _BV(OCIE1A)) == 0) {
        OCR1A = (uint16_t)(TCNT1 + bit);
        TIMSK1 |= _BV(OCIE1A);
    }
    sei();
}

#ifdef SAMPLES

static struct zg_soft_uart_samples receiver;

ISR(TIMER2_COMPA_vect)
{
    zg_soft_uart_sample(&receiver, &link, (PINB & _BV(PINB0)) != 0);
}

static void begin_receiving(void)
{
    zg_soft_uart_samples_init(&receiver, &format, SAMPLES);
    OCR2A = (uint8_t)((bit / SAMPLES + 4) / 8 - 1);
    TCCR2A = _BV(WGM21);
    TCCR2B = _BV(CS21);
    TIMSK2 = _BV(OCIE2A);
}

#else

static struct zg_soft_uart_edges receiver;

/* On the chip TIFR1 = _BV(ICF1) follows a change of the edge (data sheet, "Input Capture Interrupt"). The emulator
 * would clear the other flags, too. */
ISR(TIMER1_CAPT_vect)
{
    const uint16_t at = ICR1;
    const bool high = (TCCR1B & _BV(ICES1)) != 0;
    uint16_t due;

    TCCR1B ^= _BV(ICES1);
    if (zg_soft_uart_edge(&receiver, &link, at, high) && zg_soft_uart_due(&receiver, &due)) {
        OCR1B = due;
        TIMSK1 |= _BV(OCIE1B);
    }
}

/* Perhaps of an older match, whose flag was left. */
ISR(TIMER1_COMPB_vect)
{
    uint16_t due;

    zg_soft_uart_quiet(&receiver, &link, TCNT1);
    if (!zg_soft_uart_due(&receiver, &due))
        TIMSK1 &= (uint8_t)~_BV(OCIE1B);
}

static void begin_receiving(void)
{
    zg_soft_uart_edges_init(&receiver, &format, (uint32_t)bit << 8);
    TIMSK1 |= _BV(ICIE1);
}

#endif

int main(void)
{
    uint8_t byte;

    bit = (uint16_t)(GPIOR2 << 8 | GPIOR1);
    (void)zg_ring_init(&link.receive, receive_memory, sizeof receive_memory);
    (void)zg_ring_init(&link.transmit, transmit_memory, sizeof transmit_memory);
    zg_soft_uart_sender_init(&sender, &format);
    PORTB = _BV(PORTB1);
    DDRB = _BV(DDB1);
    TCCR1B = _BV(CS10); /* every cycle; first a falling edge */
    begin_receiving();
    sei();
    for (;;)
        if (zg_ring_get(&link.receive, &byte)) {
            (void)zg_ring_put(&link.transmit, byte);
            start_transmit(0);
        }
}
