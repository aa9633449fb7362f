/* SPDX-License-Identifier: MIT */
/* What a real device says of damage on the way out, found among the bytes that left. */
#include "soak/journal.h"
#include "soak/live.h"

enum { AT, EXPECTED, SIZE, DATA /* fields of traffic_damage */ };

/* Where the frame with this position ended in the bytes that left. */
static uint64_t end_of(const struct zgi_end *host, uint32_t position)
{
    return host->ends[position % ZGI_SOAK_WINDOW];
}

/* How many of the first bytes are in their places, if the stretch began at this place. */
static unsigned likeness(const struct zgi_end *host, uint64_t from, const uint8_t *bytes, unsigned count)
{
    g_autoptr(GBytes) sent = zgi_tape_cut(host->went, from, from + count);
    const uint8_t *left = sent ? g_bytes_get_data(sent, NULL) : NULL;
    unsigned same = 0;

    for (unsigned i = 0; left && i < count; i++)
        same += left[i] == bytes[i];
    return same;
}

/* Behind which frame the stretch began: the last of the stream that arrived whole, or an echo after it that it shows no
 * trace of. */
static uint32_t frame_before(const struct zgi_end *host, uint32_t first, uint32_t next, const struct zg_value *data)
{
    uint32_t best = first;
    unsigned most = 0;

    for (uint32_t at = first; at != next; at++) {
        const unsigned same = likeness(host, end_of(host, at), data->bytes, data->count);
        if (same > most) {
            most = same;
            best = at;
        }
    }
    return best;
}

void zgi_live_note_damage(struct zgi_live *live, const struct zg_value *values)
{
    struct zgi_soak *soak = &live->soak;
    struct zgi_end *host = &soak->ends[HOST];
    const uint32_t expected = (uint32_t)values[EXPECTED].raw.u, size = (uint32_t)values[SIZE].raw.u;
    const uint32_t number = soak->stream_first[ZG_FLOW_STREAM_OUT] + expected;
    const struct zg_ledger_entry *before =
        expected > 0 ? zg_ledger_find(soak->ledger, ZG_FLOW_STREAM_OUT, number - 1) : NULL;

    if (!host->went || !before)
        return;
    const struct zg_ledger_entry *after = zg_ledger_find(soak->ledger, ZG_FLOW_STREAM_OUT, number);
    const uint32_t next = after ? after->position : host->position;
    const uint32_t first = frame_before(host, before->position, next, &values[DATA]);
    uint32_t last = first + 1;
    while (last + 1 < host->position && end_of(host, last) < end_of(host, first) + size)
        last++;
    struct zg_damage_found found = { .from_ns = before->sent_ns,
                                     .to_ns = soak->now_ns,
                                     .first = first + 1,
                                     .frames = last - first,
                                     .rejected = 1,
                                     .sent = zgi_tape_cut(host->went, end_of(host, first), end_of(host, last)),
                                     .arrived = g_bytes_new(values[DATA].bytes, values[DATA].count) };
    zg_journal_stretch(soak->journal, &found);
}
