/* SPDX-License-Identifier: MIT */
/* Which settings of a check give a value that was seen, starting with those closest to the ones tried. */
#ifndef ZEUGMA_NEARBY_H
#define ZEUGMA_NEARBY_H

#include <glib.h>

#include "definition/check_choice.h"

struct zg_nearby {
    struct zg_check_choice choice; /* its name is borrowed */
    bool swapped;                  /* the value was seen with its bytes in reverse order */
    unsigned steps;                /* how many settings differ from the ones tried */
    char *text;                    /* what differs: "initial value 0xffff, not 0x0000" */
};

/* All settings that give `seen` for the bytes. Tried are the named checks of the same size; and for the CRCs among
 * them, and the one tried, every reflection, initial values and final XORs of 0, all ones or those of a named CRC, and
 * the polynomial reversed. Closest first. An array of struct zg_nearby; free with g_ptr_array_unref(). */
GPtrArray *zg_check_nearby(const struct zg_check_choice *tried, const uint8_t *bytes, size_t count, uint64_t seen);

#endif
