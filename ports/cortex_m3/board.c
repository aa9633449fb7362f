/* SPDX-License-Identifier: MIT */
#include "board.h"

enum { HZ = 25000000, TICKS_A_US = HZ / 1000000, RX_IRQ = 0, TX_IRQ = 1 };

#define SYSTICK_CONTROL (*(volatile uint32_t *)0xE000E010)
#define SYSTICK_RELOAD (*(volatile uint32_t *)0xE000E014)
#define SYSTICK_MASK 0xFFFFFFU
#define SYSTICK_VALUE (*(volatile uint32_t *)0xE000E018)
#define NVIC_ENABLE (*(volatile uint32_t *)0xE000E100)
#define NVIC_PEND (*(volatile uint32_t *)0xE000E200)

/* SysTick counts down 24 bits. The time since the last look is added up, at the latest when it wraps. */
static uint32_t clock_us, last_value, odd_ticks;

static uint32_t advance_clock(void)
{
    uint32_t value = SYSTICK_VALUE;
    uint32_t ticks = ((last_value - value) & SYSTICK_MASK) + odd_ticks;

    last_value = value;
    clock_us += ticks / TICKS_A_US;
    odd_ticks = ticks % TICKS_A_US;
    return clock_us;
}

static void tick_isr(void)
{
    (void)advance_clock();
}

static uint32_t now_us(void *context)
{
    uint32_t masked;

    (void)context;
    __asm volatile("mrs %0, primask\n\tcpsid i" : "=r"(masked)::"memory");
    uint32_t us = advance_clock();
    __asm volatile("msr primask, %0" ::"r"(masked) : "memory");
    return us;
}

/* Software can trigger the transmit interrupt, which checks by itself whether the UART has room. */
static void start_transmit(void *context)
{
    (void)context;
    NVIC_PEND = 1U << TX_IRQ;
}

static void hold(void *context)
{
    (void)context;
    __asm volatile("cpsid i" ::: "memory");
}

static void release(void *context)
{
    (void)context;
    __asm volatile("cpsie i" ::: "memory");
}

/* Counts the starts since power came on: this word is not cleared by a reset. A board with memory that survives a power
 * cycle, or a source of noise, should use that instead. */
static uint32_t starts __attribute__((section(".noinit")));

static uint16_t boot_number(void *context)
{
    (void)context;
    starts++;
    return (uint16_t)(starts * 40503U);
}

const struct zg_port zg_board_port = {
    .now_us = now_us, .start_transmit = start_transmit, .hold = hold, .release = release, .boot_number = boot_number
};

void zg_board_begin(uint32_t baud)
{
    SYSTICK_RELOAD = SYSTICK_MASK;
    SYSTICK_VALUE = 0;
    last_value = SYSTICK_VALUE;
    SYSTICK_CONTROL = 7; /* processor clock, interrupt enabled, counter enabled */
    ZGI_UART->divisor = HZ / baud;
    ZGI_UART->control = 0xF; /* both directions and their interrupts */
    NVIC_ENABLE = 1U << RX_IRQ | 1U << TX_IRQ;
}

/* Start-up. */

extern uint32_t zgi_data_from[], zgi_data[], zgi_data_end[], zgi_bss[], zgi_bss_end[], zgi_stack_top[];
int main(void);
void zgi_reset(void);

void zgi_reset(void)
{
    const uint32_t *from = zgi_data_from;

    for (uint32_t *at = zgi_data; at != zgi_data_end; at++)
        *at = *from++;
    for (uint32_t *at = zgi_bss; at != zgi_bss_end; at++)
        *at = 0;
    (void)main();
    for (;;)
        ;
}

static void fault(void)
{
    for (;;)
        ;
}

typedef void (*zgi_vector)(void);

__attribute__((section(".vectors"), used)) static const zgi_vector vectors[18] = {
    (zgi_vector)(uintptr_t)zgi_stack_top,
    zgi_reset,
    fault,
    fault,
    fault,
    fault,
    fault,
    [15] = tick_isr,
    [16 + RX_IRQ] = zg_board_receive_isr,
    [16 + TX_IRQ] = zg_board_transmit_isr,
};
