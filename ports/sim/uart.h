/* SPDX-License-Identifier: MIT */
/*
 * The receiving half of a UART with a buffer (FIFO) in front of its interrupt. While interrupts are masked, bytes wait
 * in it; what it has no room for is lost, and the next byte that is read bears the overrun flag. The caller owns the
 * memory.
 */
#ifndef ZEUGMA_SIM_UART_H
#define ZEUGMA_SIM_UART_H

#include "zeugma/link.h"

enum { ZG_SIM_UART_DEPTH = 16 /* as usual */, ZG_SIM_UART_MOST = 256 };

struct zg_sim_uart {
    unsigned depth; /* 1 to ZG_SIM_UART_MOST, set by the caller */
    /* read only */
    uint64_t overrun; /* bytes lost */
    bool masked;
    bool flag; /* the next byte bears the overrun flag */
    /* private */
    unsigned used;
    uint8_t bytes[ZG_SIM_UART_MOST], errors[ZG_SIM_UART_MOST];
};

/* A byte arrived from the line, with errors of enum zg_line_error. */
void zg_sim_uart_take(struct zg_sim_uart *uart, struct zg_link *link, uint8_t byte, uint8_t errors);

/* Masks interrupts, or allows them again: then the link gets what waits. */
void zg_sim_uart_mask(struct zg_sim_uart *uart, struct zg_link *link, bool masked);

#endif
