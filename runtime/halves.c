/* SPDX-License-Identifier: MIT */
#include "zeugma/halves.h"

#include <string.h>

#include "stuffing.h"

/* What became of the content that was handed up. */
enum {
    NOTHING, /* there is none; or it failed */
    SHOWN,   /* it is judged, and if it passes it is the frame */
    TRIED,   /* it is judged, but other characters are to be accounted for before it */
    PASSED,  /* it will be shown */
    TOLD     /* there is none, and the event stands for `told` */
};

/* Bytes that are joined at a time. */
enum { PIECE = 32 };

/* A decoder's memory: a struct zgi_halves, which need not be aligned there, each side's, then the characters kept. The
 * upper half of a character's byte is the zg_outcome of a failure of the lead that ends with it; 0: none does. */
struct halves {
    const struct zg_halves *options;
    struct zg_decoder *decoder;
    uint8_t *kept;
    struct zgi_halves state;
};

static const struct zg_halves *options_of(const struct zg_framing *framing)
{
    return (const struct zg_halves *)framing->options;
}

/* --- sending */

void zgi_halves_begin(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    const struct zg_framing *inner = options_of(framing)->inner;
    inner->begin(inner, encoder);
}

void zgi_halves_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
    const struct zg_framing *inner = options_of(framing)->inner;
    inner->put(inner, encoder, bytes, count);
}

/* Spreads the frame's bytes from the last on, in their place. */
void zgi_halves_end(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    const struct zg_halves *options = options_of(framing);
    const struct zg_ring *ring = encoder->ring;

    options->inner->end(options->inner, encoder);
    if (encoder->used > encoder->room / 2)
        encoder->overflow = true;
    if (encoder->overflow)
        return;
    for (zg_index i = encoder->used; i > 0;) {
        i--;
        const zg_index at = (zg_index)(ring->head + i) & ring->mask;
        const uint8_t byte = ring->bytes[at], high = byte >> 4, low = byte & 15U;
        zgi_poke(encoder, (zg_index)(2U * i), options->high_first ? high : low);
        zgi_poke(encoder, (zg_index)(2U * i + 1U), options->high_first ? low : high);
    }
    encoder->used = (zg_index)(2U * encoder->used);
}

/* --- the sides */

static void load(struct halves *halves, const struct zg_framing *framing, struct zg_decoder *decoder)
{
    halves->options = options_of(framing);
    halves->decoder = decoder;
    halves->kept = decoder->window + sizeof halves->state + 2 * halves->options->room;
    memcpy(&halves->state, decoder->window, sizeof halves->state);
}

static void store(const struct halves *halves)
{
    memcpy(halves->decoder->window, &halves->state, sizeof halves->state);
}

/* Begins a side anew at a character. */
static void begin_side(struct halves *halves, unsigned index, size_t read)
{
    struct zgi_half_side *side = &halves->state.side[index];
    const struct zg_halves *options = halves->options;

    memset(side, 0, sizeof *side);
    zgi_decoder_begin(&side->decoder, options->inner, halves->decoder->limit,
                      halves->decoder->window + sizeof halves->state + index * options->room, options->room);
    side->read = read;
}

/* The first character of what a side has not accounted for. */
static size_t beginning(const struct zgi_half_side *side)
{
    return side->read - 2 * side->decoder.pending;
}

static unsigned other_of(const struct halves *halves)
{
    return halves->state.lead ^ 1U;
}

/* Whether a side has nothing to do until more characters come. */
static bool is_idle(const struct halves *halves, const struct zgi_half_side *side)
{
    return side->quiet && side->read + 2 > halves->state.kept;
}

/* Lets a side take up to `most` bytes, once what it has is searched. */
static enum zg_framing_event advance(struct halves *halves, struct zgi_half_side *side, size_t most)
{
    const struct zg_halves *options = halves->options;
    const size_t kept = halves->state.kept, there = side->read < kept ? (kept - side->read) / 2 : 0;
    const size_t count = !side->quiet ? 0 : there < most ? there : most;
    uint8_t bytes[PIECE];
    enum zg_framing_event event;

    for (size_t i = 0; i < count; i++) {
        const uint8_t *at = halves->kept + side->read + 2 * i, first = at[0] & 15U, second = at[1] & 15U;
        bytes[i] = (uint8_t)(options->high_first ? first << 4 | second : second << 4 | first);
    }
    side->read += 2 * zg_decoder_take(&side->decoder, options->inner, bytes, count, &event);
    side->quiet = event == ZG_FRAMING_MORE;
    return event;
}

/* --- what is accounted for */

static void find_due(struct halves *halves)
{
    struct zgi_halves *state = &halves->state;
    size_t i = 0;

    while (i < state->kept && halves->kept[i] >> 4 == 0)
        i++;
    state->due = i < state->kept ? i + 1 : 0;
}

static size_t less(size_t a, size_t b)
{
    return a > b ? a - b : 0;
}

/* Lets go of the oldest characters. */
static void forget(struct halves *halves, size_t count)
{
    struct zgi_halves *state = &halves->state;

    state->kept -= count;
    memmove(halves->kept, halves->kept + count, state->kept);
    for (unsigned i = 0; i < 2; i++)
        state->side[i].read = less(state->side[i].read, count);
    state->from = less(state->from, count);
    state->to = less(state->to, count);
    state->failure_end = less(state->failure_end, count);
    find_due(halves);
}

/* Accounts for the oldest characters, as what failed there, or else as noise; not beyond the first failure. */
static enum zg_framing_event tell(struct halves *halves, size_t count)
{
    struct zgi_halves *state = &halves->state;
    const struct zgi_half_failure noise = { ZG_OUTCOME_NOISE, 0, 0, false };

    state->told = noise;
    if (state->due > 0) {
        if (state->failure_end == state->due)
            state->told = state->failure;
        else
            state->told.unreadable = true; /* which check it was is forgotten */
        state->told.outcome = (enum zg_outcome)(halves->kept[state->due - 1] >> 4);
        if (count > state->due)
            count = state->due;
    }
    forget(halves, count);
    if (state->stage != PASSED)
        state->stage = TOLD;
    return ZG_FRAMING_NOISE;
}

/* Begins anew behind the oldest characters, with the bytes of a side. */
static void begin(struct halves *halves, size_t count, unsigned lead)
{
    struct zgi_halves *state = &halves->state;

    forget(halves, count);
    for (size_t i = 0; i < state->kept; i++)
        halves->kept[i] &= 15U;
    state->lead = (uint8_t)lead;
    state->searching = false;
    state->due = 0;
    state->failure_end = 0;
    if (state->stage != TOLD)
        state->stage = NOTHING;
    begin_side(halves, lead, 0);
}

/* Nothing is open any more: accounts for all characters. */
static enum zg_framing_event abandon(struct halves *halves)
{
    if (halves->state.due > 0)
        return tell(halves, halves->state.due);
    const enum zg_framing_event event = halves->state.kept > 0 ? tell(halves, halves->state.kept) : ZG_FRAMING_MORE;
    begin(halves, 0, halves->state.lead);
    return event;
}

/* The lead's candidate failed: from now on the characters are read both ways. */
static void note_failure(struct halves *halves, const struct zgi_half_failure *failure)
{
    struct zgi_halves *state = &halves->state;

    state->failure = *failure;
    state->failure_end = beginning(&state->side[state->lead]);
    halves->kept[state->failure_end - 1] |= (uint8_t)(failure->outcome << 4);
    if (state->due == 0)
        state->due = state->failure_end;
    if (!state->searching)
        begin_side(halves, other_of(halves), 1);
    state->searching = true;
}

/* Hands up the shown content, to be judged. */
static enum zg_framing_event hand_up(struct halves *halves, uint8_t stage)
{
    const struct zg_decoder *inner = &halves->state.side[halves->state.shown].decoder;

    halves->state.stage = stage;
    halves->decoder->content = inner->content;
    halves->decoder->length = inner->length;
    return ZG_FRAMING_CONTENT;
}

/* Shows the content that a side found. */
static enum zg_framing_event show(struct halves *halves, unsigned index)
{
    struct zgi_halves *state = &halves->state;

    state->shown = (uint8_t)index;
    state->to = beginning(&state->side[index]);
    state->from = state->to - 2 * state->side[index].decoder.wire;
    return hand_up(halves, state->searching ? TRIED : SHOWN);
}

/* --- receiving */

/* Takes what a side came to. False: nothing of it concerns the stream yet. */
static bool take_event(struct halves *halves, unsigned index, enum zg_framing_event *event)
{
    if (*event == ZG_FRAMING_CONTENT) {
        *event = show(halves, index);
        return true;
    }
    if (index == halves->state.lead && *event != ZG_FRAMING_MORE) {
        const struct zgi_half_failure failure = {
            (enum zg_outcome)(*event - ZG_FRAMING_MALFORMED + ZG_OUTCOME_MALFORMED), 0, 0, false
        };
        note_failure(halves, &failure);
    }
    return false;
}

/* Reads the lead alone, or both sides, whichever is behind, until something is to be told. What comes of it is the same
 * whatever the pieces in which the characters came. */
static enum zg_framing_event read_on(struct halves *halves)
{
    struct zgi_halves *state = &halves->state;

    for (;;) {
        const unsigned other = other_of(halves);
        const struct zgi_half_side *lead = &state->side[state->lead];
        if (state->due > 0 && beginning(&state->side[other]) >= state->due)
            return tell(halves, state->due);
        const bool at_rest = !state->searching || is_idle(halves, &state->side[other]);
        if (is_idle(halves, lead) && at_rest)
            return ZG_FRAMING_MORE;
        const bool is_lead =
            at_rest || !lead->quiet ||
            (state->side[other].quiet && !is_idle(halves, lead) && lead->read < state->side[other].read);
        const unsigned next = is_lead ? state->lead : other;
        enum zg_framing_event event = advance(halves, &state->side[next], state->searching ? 1 : PIECE);
        if (take_event(halves, next, &event))
            return event;
    }
}

/* What was handed up is done with, or else is handed up again, once all before it is told. False: nothing is left. */
static bool settle(struct halves *halves, enum zg_framing_event *event)
{
    struct zgi_halves *state = &halves->state;

    if (state->stage == SHOWN) {
        begin(halves, state->to, state->shown);
    } else if (state->stage == PASSED && state->from > 0) {
        *event = tell(halves, state->from);
        return true;
    } else if (state->stage == PASSED) {
        *event = hand_up(halves, SHOWN);
        return true;
    } else {
        state->stage = NOTHING;
    }
    return false;
}

/* Tells the decoder what the event accounts for. The check is computed once a content is whole: until then it is not
 * known which side's it will be. */
static void finish(struct halves *halves, enum zg_framing_event event)
{
    const struct zgi_halves *state = &halves->state;
    struct zg_decoder *decoder = halves->decoder;

    decoder->kept = state->kept - (event == ZG_FRAMING_CONTENT && state->stage == SHOWN ? state->to : 0);
    if (event == ZG_FRAMING_MORE)
        decoder->length = 0;
    store(halves);
}

void zgi_halves_reset(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    struct halves halves;

    memset(&halves, 0, sizeof halves);
    halves.options = options_of(framing);
    halves.decoder = decoder;
    begin_side(&halves, 0, 0);
    store(&halves);
}

size_t zgi_halves_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes,
                         size_t count, enum zg_framing_event *event)
{
    struct halves halves;

    load(&halves, framing, decoder);
    const size_t most = ZGI_HALVES_KEPT(halves.options->room, halves.options->max_frame);
    size_t taken = 0;
    if (!settle(&halves, event)) {
        do {
            while (taken < count && halves.state.kept < most)
                halves.kept[halves.state.kept++] = bytes[taken++] & 15U;
            *event = read_on(&halves);
            if (*event == ZG_FRAMING_MORE && halves.state.kept == most) { /* more than any candidate takes */
                halves.state.due = 0;
                *event = abandon(&halves);
            }
        } while (*event == ZG_FRAMING_MORE && taken < count);
    }
    finish(&halves, *event);
    return taken;
}

void zgi_halves_reject(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    struct halves halves;

    load(&halves, framing, decoder);
    zg_decoder_reject(&halves.state.side[halves.state.shown].decoder, halves.options->inner);
    halves.state.side[halves.state.shown].quiet = false;
    decoder->kept = halves.state.kept;
    store(&halves);
}

enum zg_framing_event zgi_halves_pause(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    struct halves halves;
    struct zgi_halves *state = &halves.state;
    enum zg_framing_event event = ZG_FRAMING_MORE;

    load(&halves, framing, decoder);
    if (!settle(&halves, &event)) {
        const unsigned other = other_of(&halves);
        const bool is_first =
            !state->searching || beginning(&state->side[state->lead]) < beginning(&state->side[other]);
        for (unsigned turn = 0; turn < (state->searching ? 2U : 1U) && event == ZG_FRAMING_MORE; turn++) {
            const unsigned index = (turn == 0) == is_first ? state->lead : other;
            zg_decoder_pause(&state->side[index].decoder, halves.options->inner, &event);
            state->side[index].quiet = event == ZG_FRAMING_MORE;
            if (event != ZG_FRAMING_MORE && !take_event(&halves, index, &event))
                event = ZG_FRAMING_NOISE; /* of no characters */
        }
        if (event == ZG_FRAMING_MORE)
            event = abandon(&halves);
    }
    finish(&halves, event);
    return event;
}

void zgi_halves_judged(const struct zg_framing *framing, struct zg_decoder *decoder, struct zg_found *found)
{
    struct halves halves;
    struct zgi_halves *state = &halves.state;
    const bool is_frame = found->outcome == ZG_OUTCOME_FRAME || found->outcome == ZG_OUTCOME_VERSION;

    load(&halves, framing, decoder);
    if (state->stage == TOLD || (state->stage == PASSED && found->outcome == ZG_OUTCOME_NOISE)) {
        found->outcome = state->told.outcome;
        found->expected = state->told.expected;
        found->found = state->told.found;
        found->unreadable = state->told.unreadable;
    } else if (state->stage == TRIED || (state->stage == SHOWN && !is_frame)) {
        if (!is_frame && state->shown == state->lead) {
            const struct zgi_half_failure failure = { found->outcome, found->expected, found->found,
                                                      found->unreadable };
            note_failure(&halves, &failure);
        }
        state->stage = is_frame ? PASSED : NOTHING;
        found->outcome = ZG_OUTCOME_NOISE;
    }
    store(&halves);
}
