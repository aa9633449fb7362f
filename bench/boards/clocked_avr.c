/* SPDX-License-Identifier: MIT */
/*
 * A pair of wires on an ATmega328P, which sends back what it receives: the clock comes in on PB0, the input capture of
 * timer 1, with its data on PB2, and goes out on PB1 with its data on PB3. Data is sampled at the falling edge; the
 * clock idles low, for GAP clocks between bytes. The cycles of a clock are in GPIOR1 (low) and GPIOR2 (high) at the
 * start.
 */
#include <avr/interrupt.h>
#include <avr/io.h>

#include "clocked/clocked.h"

enum { GAP = 4 };

static const struct zg_clocked_format format = { .samples_rising = false };
static struct zg_link link;
static uint8_t receive_memory[32], transmit_memory[32];
static struct zg_clocked_sender sender;
static struct zg_clocked_receiver receiver;
static uint16_t half;

ISR(TIMER1_COMPA_vect)
{
    PORTB = (uint8_t)((sender.clock ? _BV(PORTB1) : 0) | (sender.data ? _BV(PORTB3) : 0));
    OCR1A += half;
    if (!zg_clocked_next(&sender, &link))
        TIMSK1 &= (uint8_t)~_BV(OCIE1A);
}

static void start_transmit(void *context)
{
    (void)context;
    cli();
    if ((TIMSK1 & _BV(OCIE1A)) == 0) {
        OCR1A = (uint16_t)(TCNT1 + half);
        TIMSK1 |= _BV(OCIE1A);
    }
    sei();
}

ISR(TIMER1_CAPT_vect)
{
    zg_clocked_edge(&receiver, &link, ICR1, (PINB & _BV(PINB2)) != 0);
}

int main(void)
{
    uint8_t byte;

    half = (uint16_t)((GPIOR2 << 8 | GPIOR1) / 2);
    (void)zg_ring_init(&link.receive, receive_memory, sizeof receive_memory);
    (void)zg_ring_init(&link.transmit, transmit_memory, sizeof transmit_memory);
    zg_clocked_sender_init(&sender, &format, GAP);
    zg_clocked_receiver_init(&receiver, &format, (uint16_t)(GAP * half));
    DDRB = _BV(DDB1) | _BV(DDB3);
    TCCR1B = _BV(CS10); /* every cycle; captures falling edges */
    TIFR1 = _BV(ICF1);
    TIMSK1 |= _BV(ICIE1);
    sei();
    for (;;) {
        cli();
        zg_clocked_idle(&receiver, TCNT1);
        sei();
        if (zg_ring_get(&link.receive, &byte)) {
            (void)zg_ring_put(&link.transmit, byte);
            start_transmit(0);
        }
    }
}
