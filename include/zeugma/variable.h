/* SPDX-License-Identifier: MIT */
/* What a device stores about its variables besides their values. Loop context. */
#ifndef ZEUGMA_VARIABLE_H
#define ZEUGMA_VARIABLE_H

#include <stdint.h>

/* What a host may do with a variable. */
enum { ZG_MAY_READ = 1, ZG_MAY_WRITE = 2 };

/* A variable that is sent periodically. */
struct zg_variable_stream {
    /* private */
    uint32_t due_us;
    uint16_t period_ms; /* 0: this place is free */
    uint8_t index;
    uint8_t ticket; /* of the request; all values sent carry it */
};

#endif
