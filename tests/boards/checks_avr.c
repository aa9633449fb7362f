/* SPDX-License-Identifier: MIT */
/* Sends the check values of the same bytes by four CRCs, as computed on the chip: for each of LENGTHS, in one piece and
 * in two. */
#include "checks_avr.h"

#include "board.h"
#include "zeugma/check.h"

extern const struct zg_check *const check_usual, *const check_kermit, *const check_modbus, *const check_t10_dif;

static uint8_t bytes[LONGEST], values[4 * LENGTHS * CHECKS];
static volatile uint16_t filled, sent;

ISR(USART_UDRE_vect)
{
    if (sent == filled)
        UCSR0B = _BV(TXEN0);
    else
        UDR0 = values[sent++];
}

static void add(zg_check_word value)
{
    values[filled++] = (uint8_t)value;
    values[filled++] = (uint8_t)(value >> 8);
}

static void add_values(const struct zg_check *check)
{
    for (unsigned i = 0; i < LENGTHS; i++) {
        const unsigned length = length_of(i), first = length / 3;
        zg_check_word state = check->update(check->parameters, check->start, bytes, length);
        add(check->finish(check->parameters, state));
        state = check->update(check->parameters, check->start, bytes, first);
        state = check->update(check->parameters, state, bytes + first, length - first);
        add(check->finish(check->parameters, state));
    }
}

int main(void)
{
    for (unsigned i = 0; i < LONGEST; i++)
        bytes[i] = byte_of(i);
    add_values(check_usual);
    add_values(check_kermit);
    add_values(check_modbus);
    add_values(check_t10_dif);
    zg_board_begin(500000);
    UCSR0B = _BV(UDRIE0) | _BV(TXEN0);
    for (;;)
        ;
}
