/* SPDX-License-Identifier: MIT */
#include "soak/tape.h"

#include <string.h>

enum { SIZE = 1 << 18, PASSAGES = 1 << 13 };

struct zgi_tape {
    uint64_t count;
    uint8_t bytes[SIZE];                     /* byte n at n % SIZE */
    uint8_t kept[ZG_STRETCH_BYTES_MOST / 2]; /* from this byte on */
    uint64_t kept_from;
    bool is_kept;
    uint64_t passages; /* count; number n at n % PASSAGES */
    struct {
        uint64_t end, last_ns;
    } passed[PASSAGES];
};

struct zgi_tape *zgi_tape_new(void)
{
    return g_new0(struct zgi_tape, 1);
}

void zgi_tape_free(struct zgi_tape *tape)
{
    g_free(tape);
}

void zgi_tape_add(struct zgi_tape *tape, const uint8_t *bytes, size_t count, uint64_t last_ns)
{
    if (!tape || count == 0)
        return;
    tape->passed[tape->passages % PASSAGES].end = tape->count + count;
    tape->passed[tape->passages++ % PASSAGES].last_ns = last_ns;
    while (count > 0) {
        const size_t at = tape->count % SIZE, span = MIN(count, SIZE - at);
        memcpy(tape->bytes + at, bytes, span);
        tape->count += span;
        bytes += span;
        count -= span;
    }
}

static void copy(const struct zgi_tape *tape, uint64_t from, size_t count, uint8_t *to)
{
    for (size_t i = 0; i < count; i++)
        to[i] = tape->bytes[(from + i) % SIZE];
}

GBytes *zgi_tape_cut(const struct zgi_tape *tape, uint64_t from, uint64_t to)
{
    const bool is_kept = tape && tape->kept_from == from && tape->is_kept && to - from > ZG_STRETCH_BYTES_MOST;

    if (!tape || to > tape->count || from > to || (!is_kept && tape->count - from > SIZE))
        return NULL;
    const size_t length = (size_t)MIN(to - from, (uint64_t)ZG_STRETCH_BYTES_MOST), half = length / 2;
    uint8_t *bytes = g_malloc(length + 1);
    if (is_kept)
        memcpy(bytes, tape->kept, half);
    else
        copy(tape, from, half, bytes);
    copy(tape, to - (length - half), length - half, bytes + half);
    return g_bytes_new_take(bytes, length);
}

void zgi_tape_keep(struct zgi_tape *tape, uint64_t from)
{
    if (!tape || tape->count - from < SIZE / 2 || tape->count - from > SIZE ||
        (tape->is_kept && tape->kept_from == from))
        return;
    copy(tape, from, sizeof tape->kept, tape->kept);
    tape->kept_from = from;
    tape->is_kept = true;
}

GArray *zgi_tape_times(const struct zgi_tape *tape, uint64_t from, uint64_t to)
{
    GArray *times = g_array_new(FALSE, FALSE, sizeof(struct zg_passed));
    const uint64_t oldest = tape->passages - MIN(tape->passages, (uint64_t)PASSAGES);
    uint64_t first = tape->passages;

    while (first > oldest && tape->passed[(first - 1) % PASSAGES].end > from)
        first--;
    for (uint64_t i = first; i < tape->passages; i++) {
        const uint64_t end = tape->passed[i % PASSAGES].end;
        const struct zg_passed passed = { (uint32_t)(end - from), tape->passed[i % PASSAGES].last_ns };
        g_array_append_val(times, passed);
        if (end >= to)
            break;
    }
    return times;
}
