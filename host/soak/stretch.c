/* SPDX-License-Identifier: MIT */
#include "soak/stretch.h"

#include <string.h>

#include "soak/journal.h"
#include "soak/similar.h"

enum {
    LOOKED_BACK = 4, /* frames: what their bytes brought was counted when they came, before they were taken */
    WINDOW = 65536,  /* positions that are remembered */
    RECENT = 32      /* frames of each flow that an unknown one is compared with */
};

struct zgi_stretch {
    struct zgi_end *end;
    uint32_t next;                           /* the position after that of the newest intact frame */
    uint32_t like_one;                       /* unknown frames since then that resemble one sent, */
    uint32_t brief;                          /* are too short to tell, */
    uint32_t other;                          /* resemble none */
    uint64_t trouble;                        /* counted by the link up to then */
    uint64_t failed;                         /* candidates, by then */
    uint64_t since_ns;                       /* when that frame came, */
    uint64_t taken;                          /* and how many bytes the link had accounted for */
    uint64_t sent;                           /* where it ended in what the other end sent */
    uint32_t flagged[LOOKED_BACK][ZG_FLAGS]; /* by the link up to then, and up to the intact frames before, in turn */
    unsigned turn;
    uint8_t came[WINDOW / 8];
    GByteArray *recent;
};

struct zgi_stretch *zgi_stretch_new(struct zgi_end *end)
{
    struct zgi_stretch *stretch = g_new0(struct zgi_stretch, 1);

    stretch->end = end;
    stretch->recent = g_byte_array_new();
    return stretch;
}

void zgi_stretch_free(struct zgi_stretch *stretch)
{
    if (!stretch)
        return;
    g_byte_array_unref(stretch->recent);
    g_free(stretch);
}

static uint8_t *byte_of(struct zgi_stretch *stretch, uint32_t position)
{
    return &stretch->came[position % WINDOW / 8];
}

static uint8_t bit_of(uint32_t position)
{
    return (uint8_t)(1U << position % 8);
}

void zgi_stretch_sent(struct zgi_stretch *stretch, uint32_t position)
{
    *byte_of(stretch, position) &= (uint8_t)~bit_of(position);
}

/* Whether a frame between the newest intact one and this position has not come. */
static bool any_missing(struct zgi_stretch *stretch, uint32_t position)
{
    if (position - stretch->next > INT32_MAX)
        return false;
    for (uint32_t at = position - stretch->next > WINDOW ? position - WINDOW : stretch->next; at != position; at++)
        if ((*byte_of(stretch, at) & bit_of(at)) == 0)
            return true;
    return false;
}

static uint64_t trouble_in(const struct zg_counters *counters, bool with_lost)
{
    return zgi_candidates_failed(counters) + counters->bytes_noise + counters->bytes_dropped + counters->not_for_us +
           (with_lost ? counters->lost : 0);
}

static uint64_t trouble_of(const struct zgi_stretch *stretch)
{
    const struct zgi_soak *soak = stretch->end->soak;
    const bool is_real = soak->take_own != NULL;

    return trouble_in(&zg_node_link(stretch->end->node)->counters, is_real) +
           trouble_in(&soak->before[stretch->end->is_host], is_real);
}

/* Bytes that the end's links have accounted for. */
static uint64_t taken_by(const struct zgi_stretch *stretch)
{
    const struct zgi_soak *soak = stretch->end->soak;
    return zgi_bytes_judged(&zg_node_link(stretch->end->node)->counters) +
           zgi_bytes_judged(&soak->before[stretch->end->is_host]) + soak->erased[stretch->end->is_host];
}

static void count_flagged(const struct zgi_stretch *stretch, uint32_t flagged[ZG_FLAGS])
{
    const struct zg_counters *before = &stretch->end->soak->before[stretch->end->is_host],
                             *since = &zg_node_link(stretch->end->node)->counters;

    flagged[ZG_FLAGGED_DROPPED] = before->bytes_dropped + since->bytes_dropped;
    flagged[ZG_FLAGGED_OVERRUN] = before->line_overrun + since->line_overrun;
    flagged[ZG_FLAGGED_FRAMING] = before->line_framing + since->line_framing;
    flagged[ZG_FLAGGED_PARITY] = before->line_parity + since->line_parity;
    flagged[ZG_FLAGGED_BREAK] = before->line_break + since->line_break;
}

/* Where the frame with this position ended in what the other end sent; of one that was never sent, the one before. */
static uint64_t end_in_sent(const struct zgi_end *other, uint32_t position)
{
    if (!other->ends || other->position == 0)
        return 0;
    return other->ends[(position == other->position ? position - 1 : position) % WINDOW];
}

/* Notes the stretch in the journal, with its bytes, and begins the next one at the end of the frame with this position.
 */
static void note_stretch(struct zgi_stretch *stretch, uint32_t position, bool damaged, uint32_t accepted,
                         uint32_t unexpected)
{
    struct zgi_soak *soak = stretch->end->soak;
    const struct zgi_end *other = &soak->ends[stretch->end->is_host ? DEVICE : HOST];
    const uint64_t taken = taken_by(stretch), sent = end_in_sent(other, position);
    const uint64_t failed = zgi_candidates_failed(&zg_node_link(stretch->end->node)->counters);
    uint32_t flagged[ZG_FLAGS];

    count_flagged(stretch, flagged);
    if (damaged) {
        struct zg_damage_found found = { .at_host = stretch->end->is_host,
                                         .from_ns = stretch->since_ns,
                                         .to_ns = soak->now_ns,
                                         .first = other->ends ? stretch->next : 0,
                                         .frames = other->ends && position - stretch->next <= INT32_MAX
                                                       ? position - stretch->next
                                                       : 0,
                                         .rejected = (uint32_t)(failed - MIN(failed, stretch->failed)),
                                         .accepted = accepted,
                                         .unexpected = unexpected,
                                         .sent = other->went ? zgi_tape_cut(other->went, stretch->sent, sent) : NULL,
                                         .arrived = zgi_tape_cut(stretch->end->came, stretch->taken, taken),
                                         .times = zgi_tape_times(stretch->end->came, stretch->taken, taken),
                                         .byte_ns = soak->byte_ns };
        for (unsigned i = 0; i < ZG_FLAGS; i++)
            found.flagged[i] = flagged[i] - stretch->flagged[(stretch->turn + 1) % LOOKED_BACK][i];
        zg_journal_stretch(soak->journal, &found);
    }
    stretch->since_ns = soak->now_ns;
    stretch->taken = taken;
    stretch->sent = MAX(sent, stretch->sent);
    stretch->failed = failed;
    stretch->turn = (stretch->turn + 1) % LOOKED_BACK;
    memcpy(stretch->flagged[stretch->turn], flagged, sizeof flagged);
    for (unsigned i = 0; i < LOOKED_BACK && damaged; i++) /* what a damage has had is not the next one's */
        memcpy(stretch->flagged[i], flagged, sizeof flagged);
}

/* Ends the stretch before this position. */
static void end_stretch(struct zgi_stretch *stretch, uint32_t position)
{
    struct zgi_soak *soak = stretch->end->soak;
    const bool is_real = soak->take_own != NULL, is_host = stretch->end->is_host;
    const bool missing = !is_real && any_missing(stretch, position);
    const uint64_t trouble = trouble_of(stretch);
    const bool damaged = missing || trouble != stretch->trouble;

    uint32_t accepted = damaged || is_real ? stretch->like_one : 0;
    if (damaged && (missing || is_real))
        accepted += stretch->brief;
    const uint32_t unknown = stretch->like_one + stretch->brief + stretch->other;
    if (unknown > 0) {
        zg_ledger_other(soak->ledger, is_host, ZG_CLASS_ACCEPTED, accepted);
        zg_ledger_other(soak->ledger, is_host, ZG_CLASS_UNEXPECTED, unknown - accepted);
        zg_journal_other(soak->journal, soak->now_ns, is_host, ZG_CLASS_ACCEPTED, accepted);
        zg_journal_other(soak->journal, soak->now_ns, is_host, ZG_CLASS_UNEXPECTED, unknown - accepted);
    }
    if (damaged || accepted > 0) {
        soak->result->damages[is_host]++;
        zg_journal_damage(soak->journal, soak->now_ns, is_host);
    }
    if (stretch->end->came)
        note_stretch(stretch, position, damaged || accepted > 0, accepted, unknown - accepted);
    stretch->like_one = stretch->brief = stretch->other = 0;
    stretch->trouble = trouble;
}

void zgi_stretch_intact(struct zgi_stretch *stretch, uint32_t position)
{
    end_stretch(stretch, position);
    *byte_of(stretch, position) |= bit_of(position);
    if (position - stretch->next <= INT32_MAX)
        stretch->next = position + 1;
}

/* Whether what arrived resembles a frame recently sent to this end, or pieces of some: then it is these, damaged. */
static bool like_one_sent(struct zgi_stretch *stretch, const uint8_t *payload, size_t length)
{
    struct zgi_soak *soak = stretch->end->soak;

    g_byte_array_set_size(stretch->recent, 0);
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        const uint32_t next = zg_ledger_next(soak->ledger, (enum zg_flow)flow);
        const bool came = zg_flow_is_back((enum zg_flow)flow) == stretch->end->is_host;
        if (!came && !(soak->take_own && flow == ZG_FLOW_ECHO_OUT)) /* a real device's answer says the same */
            continue;
        for (uint32_t back = MIN((uint32_t)RECENT, next); back > 0; back--) {
            size_t sent;
            const uint8_t *expected = zgi_soak_payload(soak, (enum zg_flow)flow, next - back, &sent);
            if (zgi_similar(expected, sent, payload, length))
                return true;
            g_byte_array_append(stretch->recent, expected, (guint)sent);
        }
    }
    return zgi_is_made_of(stretch->recent->data, stretch->recent->len, payload, length);
}

void zgi_stretch_unknown(struct zgi_stretch *stretch, const uint8_t *payload, size_t length)
{
    if (like_one_sent(stretch, payload, length))
        stretch->like_one++;
    else if (length < ZGI_SIMILAR_LEAST)
        stretch->brief++;
    else
        stretch->other++;
}

void zgi_stretch_keep(struct zgi_stretch *stretch)
{
    const struct zgi_end *end = stretch->end, *other = &end->soak->ends[end->is_host ? DEVICE : HOST];

    zgi_tape_keep(end->came, stretch->taken);
    zgi_tape_keep(other->went, stretch->sent);
}

void zgi_stretch_close(struct zgi_stretch *stretch, uint32_t position)
{
    if (stretch->end->node)
        end_stretch(stretch, position);
}
