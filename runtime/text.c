/* SPDX-License-Identifier: MIT */
#include "zeugma/text.h"

#include <string.h>

static bool is_plain(uint8_t byte)
{
    return (byte >= 0x20 && byte < 0x7F) || byte == '\t' || byte == '\r' || byte == '\n' || byte == 0x1B;
}

/* Bytes of the character that begins with this byte. 0: no character does. */
static size_t length_of(uint8_t first)
{
    if (is_plain(first))
        return 1;
    if (first < 0xC2 || first > 0xF4)
        return 0;
    return first < 0xE0 ? 2 : first < 0xF0 ? 3 : 4;
}

/* Whether a byte may be at this place of a character (RFC 3629, section 4). */
static bool continues(uint8_t first, size_t place, uint8_t byte)
{
    uint8_t least = 0x80, most = 0xBF;

    if (place == 1) {
        if (first == 0xE0)
            least = 0xA0; /* anything less has a shorter form */
        else if (first == 0xF0)
            least = 0x90;
        else if (first == 0xED)
            most = 0x9F; /* surrogates */
        else if (first == 0xF4)
            most = 0x8F; /* beyond U+10FFFF */
    }
    return byte >= least && byte <= most;
}

size_t zg_text_run(const uint8_t *bytes, size_t size, bool *cut)
{
    size_t at = 0;

    if (cut)
        *cut = false;
    while (at < size) {
        const size_t length = length_of(bytes[at]);
        size_t place = 1;
        while (place < length && at + place < size && continues(bytes[at], place, bytes[at + place]))
            place++;
        if (length == 0 || place < length) {
            if (cut)
                *cut = length > 0 && at + place == size;
            break;
        }
        at += length;
    }
    return at;
}

void zg_text_sorter_init(struct zg_text_sorter *sorter, uint8_t *raw, size_t room,
                         void (*text)(void *owner, const uint8_t *text, size_t size), void *owner)
{
    memset(sorter, 0, sizeof *sorter);
    sorter->raw = raw;
    sorter->room = room;
    sorter->text = text;
    sorter->owner = owner;
}

static void drop(struct zg_text_sorter *sorter, size_t count)
{
    sorter->count -= count;
    memmove(sorter->raw, sorter->raw + count, sorter->count);
}

static void hand_out(struct zg_text_sorter *sorter, struct zg_counters *counters, const uint8_t *text, size_t size)
{
    counters->bytes_console += (uint32_t)size;
    sorter->text(sorter->owner, text, size);
}

/* Sorts the first `count` bytes as text or noise. A character whose end is missing waits for it. */
static void sort_noise(struct zg_text_sorter *sorter, struct zg_counters *counters, size_t count)
{
    size_t at = 0;
    bool cut = false;

    while (at < count && !cut) {
        size_t run = zg_text_run(sorter->raw + at, count - at, &cut);
        if (run > 0) {
            counters->bytes_noise -= (uint32_t)run;
            hand_out(sorter, counters, sorter->raw + at, run);
        }
        at += run + (!cut && at + run < count); /* and one byte that is no text */
    }
    drop(sorter, at);
    sorter->cut = count - at;
}

void zg_text_uncount(struct zg_counters *counters, const struct zg_found *found)
{
    counters->bytes_failed -= (uint32_t)found->wire;
    switch (found->outcome) {
    case ZG_OUTCOME_FAILED_CHECK: counters->failed_check--; break;
    case ZG_OUTCOME_TOO_LONG: counters->too_long--; break;
    case ZG_OUTCOME_CUT: counters->timed_out--; break;
    default: counters->malformed--; break;
    }
}

/* A frame, a failed candidate, or a delimiter. Text longer than the longest frame may be cut in the middle of a
 * character, the end of which follows as noise. */
static void sort_other(struct zg_text_sorter *sorter, struct zg_counters *counters, const struct zg_found *found)
{
    const bool failed = found->outcome > ZG_OUTCOME_VERSION && found->outcome < ZG_OUTCOME_NOISE;
    size_t gone = found->wire, run;
    bool cut;

    drop(sorter, sorter->cut); /* it was noise */
    sorter->cut = 0;
    run = failed ? zg_text_run(sorter->raw, gone, &cut) : 0;
    if (run > 0 && (run == gone || cut)) {
        zg_text_uncount(counters, found);
        hand_out(sorter, counters, sorter->raw, run);
        sorter->cut = gone - run;
        counters->bytes_noise += (uint32_t)sorter->cut;
        gone = run;
    }
    drop(sorter, gone);
}

void zg_text_sorter_take(struct zg_text_sorter *sorter, struct zg_counters *counters, const uint8_t *bytes,
                         size_t taken, const struct zg_found *found)
{
    const size_t wire = found->wire;

    if (sorter->blind > 0 || taken > sorter->room - sorter->count) {
        sorter->blind += taken;
    } else if (taken > 0) {
        memcpy(sorter->raw + sorter->count, bytes, taken);
        sorter->count += taken;
    }
    if (found->outcome == ZG_OUTCOME_OPEN)
        return;
    if (wire > sorter->count - sorter->cut) {
        sorter->blind -= wire - (sorter->count - sorter->cut);
        sorter->count = sorter->cut = 0;
    } else if (found->outcome == ZG_OUTCOME_NOISE) {
        sort_noise(sorter, counters, sorter->cut + wire);
    } else {
        sort_other(sorter, counters, found);
    }
}
