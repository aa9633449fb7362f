/* SPDX-License-Identifier: MIT */
#include "soak/tape.h"

#include <string.h>

enum { SIZE = 1 << 18 };

struct zgi_tape {
    uint64_t count;
    uint8_t bytes[SIZE]; /* byte n at n % SIZE */
};

struct zgi_tape *zgi_tape_new(void)
{
    return g_new0(struct zgi_tape, 1);
}

void zgi_tape_free(struct zgi_tape *tape)
{
    g_free(tape);
}

void zgi_tape_add(struct zgi_tape *tape, const uint8_t *bytes, size_t count)
{
    while (tape && count > 0) {
        const size_t at = tape->count % SIZE, span = MIN(count, SIZE - at);
        memcpy(tape->bytes + at, bytes, span);
        tape->count += span;
        bytes += span;
        count -= span;
    }
}

GBytes *zgi_tape_cut(const struct zgi_tape *tape, uint64_t from, uint64_t to)
{
    if (!tape || to > tape->count || from > to || tape->count - from > SIZE)
        return NULL;
    const size_t length = (size_t)MIN(to - from, (uint64_t)ZGI_TAPE_CUT);
    uint8_t *bytes = g_malloc(length + 1);
    for (size_t i = 0; i < length; i++)
        bytes[i] = tape->bytes[(from + i) % SIZE];
    return g_bytes_new_take(bytes, length);
}
