/* SPDX-License-Identifier: MIT */
/* Each framing's decoder by itself: any bytes in pieces of any size, with silence in between, and contents accepted or
 * rejected. Every byte is accounted for once, in the same events however the bytes are cut, within the memory that it
 * was given. */
#include <string.h>

#include "fuzz.h"
#include "streams.h"
#include "zeugma/receiver.h"

struct log {
    GString *events;
    size_t wire;
    bool is_halved;
};

static void note(struct zg_decoder *decoder, const struct zg_framing *framing, enum zg_framing_event event,
                 struct log *log)
{
    struct zg_found found = { .outcome = (enum zg_outcome)(event - ZG_FRAMING_MALFORMED + ZG_OUTCOME_MALFORMED) };
    if (event == ZG_FRAMING_MORE)
        return;
    if (event == ZG_FRAMING_CONTENT) {
        unsigned sum = 0;
        for (size_t i = 0; i < decoder->length; i++) /* all of it must be readable */
            sum += decoder->content[i];
        found.outcome = sum % 3 == 0 ? ZG_OUTCOME_FAILED_CHECK : ZG_OUTCOME_FRAME;
        if (sum % 3 == 0)
            zg_decoder_reject(decoder, framing);
        g_string_append_printf(log->events, "content %u ", sum);
    }
    if (log->is_halved)
        ((const struct zg_judging *)framing->options)->judged(framing, decoder, &found);
    log->wire += decoder->wire;
    if (found.outcome == ZG_OUTCOME_NOISE) /* may come in pieces, or stand for what is not told yet */
        g_string_append_c(log->events, g_str_has_suffix(log->events->str, "~") || decoder->wire == 0 ? '\b' : '~');
    else
        g_string_append_printf(log->events, "%d+%zu ", found.outcome, decoder->wire);
    if (g_str_has_suffix(log->events->str, "\b"))
        g_string_truncate(log->events, log->events->len - 1);
}

static void take(struct zg_decoder *decoder, const struct zg_framing *framing, const uint8_t *bytes, size_t count,
                 struct log *log)
{
    enum zg_framing_event event;

    do {
        size_t taken = zg_decoder_take(decoder, framing, bytes, count, &event);
        g_assert(taken <= count && (event != ZG_FRAMING_MORE || taken == count));
        bytes += taken;
        count -= taken;
        note(decoder, framing, event, log);
    } while (event != ZG_FRAMING_MORE);
}

/* Feeds the bytes in pieces of `piece`; a byte 0xFE at every 64th place stands for silence. */
static GString *feed(const struct zg_plan *plan, const uint8_t *data, size_t size, size_t piece)
{
    const struct zg_framing *framing = &plan->framer.framing;
    g_autofree uint8_t *memory = g_malloc(plan->receive_room);
    struct log log = { g_string_new(NULL), 0, plan->definition->framing.halves != ZG_HALVES_NONE };
    struct zg_decoder decoder;
    size_t fed = 0;

    zg_decoder_init(&decoder, framing, plan->max_content, memory, plan->receive_room);
    for (size_t at = 0; at < size;) {
        size_t block = MIN(64 - at % 64, size - at); /* up to the next place where silence may be */
        for (size_t done = 0; done < block; done += MIN(piece, block - done)) {
            take(&decoder, framing, data + at + done, MIN(piece, block - done), &log);
            fed += MIN(piece, block - done);
            g_assert(log.wire + decoder.pending == fed);
        }
        at += block;
        if (data[at - 1] != 0xFE && at < size)
            continue;
        enum zg_framing_event event;
        do {
            zg_decoder_pause(&decoder, framing, &event);
            note(&decoder, framing, event, &log);
            take(&decoder, framing, data, 0, &log);
        } while (event != ZG_FRAMING_MORE);
        g_assert(decoder.pending == 0 && log.wire == fed);
    }
    return log.events;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    if (size < 2)
        return 0;
    const struct zg_plan *plan = fuzz_framing_plan(data[0]);
    GString *whole = feed(plan, data + 2, size - 2, 64);
    GString *pieces = feed(plan, data + 2, size - 2, 1U + data[1] % 16U);
    GString *bytes = feed(plan, data + 2, size - 2, 1);

    g_assert(g_string_equal(whole, pieces) && g_string_equal(whole, bytes));
    g_string_free(whole, TRUE);
    g_string_free(pieces, TRUE);
    g_string_free(bytes, TRUE);
    return 0;
}
