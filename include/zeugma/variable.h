/* SPDX-License-Identifier: MIT */
/* What a device keeps of its variables beside their values. Loop context. */
#ifndef ZEUGMA_VARIABLE_H
#define ZEUGMA_VARIABLE_H

#include <stdint.h>

/* What a host may do with a variable. */
enum { ZG_MAY_READ = 1, ZG_MAY_WRITE = 2 };

/* One that is sent again and again. */
struct zg_variable_stream {
    /* private */
    uint32_t due_us;
    uint16_t period_ms; /* 0: none */
    uint8_t index;
    uint8_t ticket; /* of the request, which all its values bear */
};

#endif
