/* SPDX-License-Identifier: MIT */
#include "zeugma/marks.h"

#include <string.h>

#include "stuffing.h"
#include "window.h"
#include "zeugma/detail/runs.h"

static const struct zg_marks *marks_of(const struct zg_framing *framing)
{
    return (const struct zg_marks *)framing->options;
}

/* What only some protocols need, as constants where it is left out. */
static uint8_t others_of(const struct zg_marks *marks)
{
    return ZG_MARKS_MORE ? marks->others : 0;
}

static uint8_t trailing_of(const struct zg_marks *marks)
{
    return ZG_MARKS_MORE ? marks->trailing : 0;
}

/* Whether the frame may end behind the content so far. */
static enum zg_ends ends_of(const struct zg_marks *marks, const struct zg_decoder *decoder)
{
    return ZG_MARKS_MORE && marks->ends ? marks->ends(marks->context, decoder->content, decoder->length)
                                        : ZG_ENDS_ANYWHERE;
}

static bool is_in(const uint8_t *mark, uint8_t size, uint8_t byte)
{
    for (uint8_t i = 0; i < size; i++)
        if (mark[i] == byte)
            return true;
    return false;
}

/* Whether an end mark also opens the next frame: there is no start mark, or both are the same byte. */
static bool end_opens(const struct zg_marks *marks)
{
    return marks->start_size == 0 ||
           (marks->start_size == 1 && marks->end_size == 1 && marks->start[0] == marks->end[0]);
}

static const uint8_t *mark_of(const struct zg_marks *marks, uint8_t index)
{
    return index == 0 ? marks->end : marks->other[index - 1].bytes;
}

static uint8_t size_of(const struct zg_marks *marks, uint8_t index)
{
    return index == 0 ? marks->end_size : marks->other[index - 1].size;
}

/* The end mark with which `count` bytes begin, as its size; of several the shortest, which is complete first. 0: none;
 * `*may`: with more bytes there may be one. */
static uint8_t end_at(const struct zg_marks *marks, const uint8_t *bytes, size_t count, bool *may)
{
    uint8_t found = 0;

    *may = false;
    for (uint8_t i = 0; i <= others_of(marks); i++) {
        const uint8_t *const mark = mark_of(marks, i);
        const uint8_t size = size_of(marks, i);
        if (memcmp(bytes, mark, count < size ? count : size) != 0)
            continue;
        if (count < size)
            *may = true;
        else if (found == 0 || size < found)
            found = size;
    }
    return found;
}

/* An end mark of this size was used up. What follows may continue a longer one. */
static void note_end(const struct zg_marks *marks, struct zg_decoder *decoder, const uint8_t *bytes, uint8_t size)
{
    decoder->code = 0;
    for (uint8_t i = 0; others_of(marks) > 0 && i <= others_of(marks); i++)
        if (size_of(marks, i) == size && memcmp(bytes, mark_of(marks, i), size) == 0)
            decoder->code = (uint8_t)(i + 1U);
}

/* Bytes of the longest end mark. */
static uint8_t longest_end(const struct zg_marks *marks)
{
    uint8_t size = marks->end_size;

    for (uint8_t i = 0; i < others_of(marks); i++)
        if (marks->other[i].size > size)
            size = marks->other[i].size;
    return size;
}

/* Whether this byte never appears unescaped in the content. */
static bool is_special(const struct zg_marks *marks, uint8_t byte)
{
    if (marks->plain)
        return false;
    if (byte == marks->escape || marks->doubled)
        return byte == marks->escape;
    return is_in(marks->start, marks->start_size, byte) || is_in(marks->end, marks->end_size, byte);
}

#if ZGI_WHOLE_FRAMES

enum { SPECIALS = 2 * ZG_MARK_MAX + 1 };

/* Those bytes. Returns how many. */
static unsigned specials_of(const struct zg_marks *marks, uint8_t specials[SPECIALS])
{
    unsigned kinds = 0;

    if (marks->plain)
        return 0;
    specials[kinds++] = marks->escape;
    for (uint8_t i = 0; i < marks->start_size && !marks->doubled; i++)
        specials[kinds++] = marks->start[i];
    for (uint8_t i = 0; i < marks->end_size && !marks->doubled; i++)
        specials[kinds++] = marks->end[i];
    return kinds;
}

/* zgi_run_without(), with the usual numbers of kinds known to the compiler. */
static size_t run_without(const uint8_t *bytes, size_t count, const uint8_t *specials, unsigned kinds)
{
    switch (kinds) {
    case 1: return zgi_run_without(bytes, count, specials, 1);
    case 2: return zgi_run_without(bytes, count, specials, 2);
    case 3: return zgi_run_without(bytes, count, specials, 3);
    default: return zgi_run_without(bytes, count, specials, kinds);
    }
}

#endif

void zg_marks_begin(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    const struct zg_marks *marks = marks_of(framing);
    zgi_append_all(encoder, marks->start, marks->start_size);
}

void zg_marks_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
    const struct zg_marks *marks = marks_of(framing);

#if ZGI_WHOLE_FRAMES
    uint8_t specials[SPECIALS];
    const unsigned kinds = specials_of(marks, specials);
#endif
    for (size_t i = 0; i < count && !encoder->overflow; i++) {
#if ZGI_WHOLE_FRAMES
        const size_t run = run_without(bytes + i, count - i, specials, kinds);
        zgi_append_all(encoder, bytes + i, run);
        i += run;
        if (i == count)
            break;
#endif
        uint8_t byte = bytes[i];
        if (is_special(marks, byte)) {
            zgi_append(encoder, marks->escape);
            if (!marks->doubled)
                byte ^= marks->escape_xor;
        }
        zgi_append(encoder, byte);
    }
}

void zg_marks_end(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    const struct zg_marks *marks = marks_of(framing);
    const struct zg_ring *const ring = encoder->ring;
    const zg_index at = (zg_index)(ring->head + encoder->used - trailing_of(marks));
    const struct zg_end_mark *const sent = ZG_MARKS_MORE ? marks->sent : NULL;
    const uint8_t *const mark = sent ? sent->bytes : marks->end;
    const uint8_t size = sent ? sent->size : marks->end_size;

    zgi_append_all(encoder, mark, size);
    if (encoder->overflow || trailing_of(marks) == 0)
        return;
    for (uint8_t i = trailing_of(marks); i > 0; i--) /* the content's last bytes change places with the end mark */
        ring->bytes[(zg_index)(at + size + i - 1) & ring->mask] = ring->bytes[(zg_index)(at + i - 1) & ring->mask];
    for (uint8_t i = 0; i < size; i++)
        ring->bytes[(zg_index)(at + i) & ring->mask] = mark[i];
}

/* Opens a candidate. Where an end mark opens it, that mark came before. */
static void open(const struct zg_marks *marks, struct zg_decoder *decoder)
{
    decoder->state = ZGI_OPEN;
    decoder->seen = end_opens(marks) ? 0 : marks->start_size;
    decoder->length = 0;
}

void zg_marks_reset(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    const struct zg_marks *marks = marks_of(framing);

    if (decoder->window == decoder->content) { /* the two parts of the memory */
        decoder->window += decoder->limit;
        decoder->room -= decoder->limit;
    }
    decoder->code = 0;
    decoder->state = ZGI_SEEKING;
    if (end_opens(marks))
        open(marks, decoder);
}

/* A candidate failed, of which `examined` bytes are left. If they are an end mark that opens the next one, that mark is
 * part of what failed. */
static void let_end_open(const struct zg_marks *marks, struct zg_decoder *decoder, size_t examined)
{
    bool may;
    const uint8_t size = end_opens(marks) ? end_at(marks, decoder->window + decoder->begin, examined, &may) : 0;

    if (size > 0 && examined >= (size_t)size + trailing_of(marks)) {
        note_end(marks, decoder, decoder->window + decoder->begin, size);
        zgi_window_drop(decoder, (size_t)size + trailing_of(marks));
        open(marks, decoder);
    }
}

/* Bytes behind the first of a failed candidate up to any end mark, or the beginning of one. */
static size_t before_any_end(const struct zg_marks *marks, const struct zg_decoder *decoder, size_t extent)
{
    const uint8_t *const candidate = decoder->window + decoder->begin;
    size_t at = 1;
    bool may = false;

    while (at < extent && end_at(marks, candidate + at, extent - at, &may) == 0 && !may)
        at++;
    return at;
}

/* A candidate failed after `extent` bytes. What it does next depends on those only, not on what is held behind them. */
static enum zg_framing_event fail(const struct zg_marks *marks, struct zg_decoder *decoder, size_t extent,
                                  enum zg_framing_event event)
{
    const bool started = !end_opens(marks);
    const size_t held = decoder->filled - decoder->begin;

    decoder->code = 0;
    if (!started && others_of(marks) > 0) {
        zgi_window_drop(decoder, before_any_end(marks, decoder, extent));
        decoder->state = ZGI_SEEKING;
    } else {
        zgi_window_fail(decoder, extent, started ? marks->start : marks->end,
                        started ? marks->start_size : marks->end_size);
    }
    const size_t dropped = held - (decoder->filled - decoder->begin);
    if (event != ZG_FRAMING_CUT)
        let_end_open(marks, decoder, extent - dropped);
    return event;
}

/* The byte `ahead` places after the bytes examined so far. False: it has not come yet. */
static bool peek(struct zg_decoder *decoder, struct zgi_input *input, size_t ahead, uint8_t *byte)
{
    if (!zgi_window_fill(decoder, input, decoder->seen + ahead + 1))
        return false;
    *byte = decoder->window[decoder->begin + decoder->seen + ahead];
    return true;
}

static enum zg_framing_event add(const struct zg_marks *marks, struct zg_decoder *decoder, uint8_t byte, size_t size)
{
    decoder->seen += size;
    if (decoder->length + trailing_of(marks) >= decoder->limit)
        return fail(marks, decoder, decoder->seen, ZG_FRAMING_TOO_LONG);
    decoder->content[decoder->length++] = byte;
    return ZG_FRAMING_MORE;
}

/* The end mark, of `size` bytes, is complete, with what follows it: so is the frame, unless it is empty. */
static enum zg_framing_event close(const struct zg_marks *marks, struct zg_decoder *decoder, uint8_t size)
{
    const uint8_t *const behind = decoder->window + decoder->begin + decoder->seen + size;

    note_end(marks, decoder, behind - size, size);
    decoder->total = decoder->seen + size;
    decoder->state = ZGI_CONSUMED;
    if (end_opens(marks) && decoder->length == 0)
        return ZG_FRAMING_IDLE;
    for (uint8_t i = 0; i < trailing_of(marks); i++)
        decoder->content[decoder->length++] = behind[i];
    decoder->total += trailing_of(marks);
    return ZG_FRAMING_CONTENT;
}

/* At a byte that never appears unescaped in the content, and is no escape: the end mark, or else the candidate failed.
 */
static enum zg_framing_event take_end(const struct zg_marks *marks, struct zg_decoder *decoder, struct zgi_input *input)
{
    uint8_t byte;

    for (uint8_t i = 0; i < marks->end_size; i++) {
        if (!peek(decoder, input, i, &byte))
            return ZG_FRAMING_MORE;
        if (byte != marks->end[i])
            return fail(marks, decoder, decoder->seen + i + 1, ZG_FRAMING_MALFORMED);
    }
    return close(marks, decoder, marks->end_size);
}

/* Plain marks: an end mark where it stands whole and may end the frame, or else one byte of content. */
static bool take_plain(const struct zg_marks *marks, struct zg_decoder *decoder, struct zgi_input *input,
                       enum zg_framing_event *event)
{
    uint8_t byte;
    bool may;

    (void)zgi_window_fill(decoder, input, decoder->seen + longest_end(marks));
    if (!peek(decoder, input, 0, &byte))
        return false;
    const enum zg_ends ends = ends_of(marks, decoder);
    const uint8_t *const at = decoder->window + decoder->begin + decoder->seen;
    const uint8_t size = end_at(marks, at, decoder->filled - decoder->begin - decoder->seen, &may);
    if (size == 0 && ends == ZG_ENDS_HERE && !may) {
        *event = fail(marks, decoder, decoder->seen + 1, ZG_FRAMING_MALFORMED);
        return true;
    }
    if (size == 0 && may && ends != ZG_ENDS_LATER)
        return false;
    if (size == 0 || ends == ZG_ENDS_LATER) {
        *event = add(marks, decoder, byte, 1);
        return true;
    }
    if (trailing_of(marks) > 0 && !(end_opens(marks) && decoder->length == 0) &&
        !peek(decoder, input, (size_t)size + trailing_of(marks) - 1, &byte))
        return false;
    *event = close(marks, decoder, size);
    return true;
}

/* One byte of content, plain or escaped, or the end. False, with *event ZG_FRAMING_MORE: more bytes are needed. */
static bool take(const struct zg_marks *marks, struct zg_decoder *decoder, struct zgi_input *input,
                 enum zg_framing_event *event)
{
    uint8_t byte, next;

    if (marks->plain)
        return take_plain(marks, decoder, input, event);
    if (!peek(decoder, input, 0, &byte))
        return false;
    if (!is_special(marks, byte)) {
        *event = add(marks, decoder, byte, 1);
        return true;
    }
    if (byte == marks->escape) {
        if (!peek(decoder, input, 1, &next))
            return false;
        if (marks->doubled && next == byte) {
            *event = add(marks, decoder, byte, 2);
            return true;
        }
        if (!marks->doubled) {
            uint8_t meant = next ^ marks->escape_xor;
            *event = is_special(marks, meant) ? add(marks, decoder, meant, 2)
                                              : fail(marks, decoder, decoder->seen + 2, ZG_FRAMING_MALFORMED);
            return true;
        }
    }
    *event = take_end(marks, decoder, input);
    return *event != ZG_FRAMING_MORE;
}

static void let_go_of_frame(const struct zg_marks *marks, struct zg_decoder *decoder)
{
    if (zgi_window_let_go(decoder) && end_opens(marks))
        open(marks, decoder);
}

/* Searches for any end mark, and drops what comes before it. Returns its size; 0: it is not there yet. */
static uint8_t seek_any(const struct zg_marks *marks, struct zg_decoder *decoder, struct zgi_input *input,
                        enum zg_framing_event *event)
{
    const uint8_t longest = longest_end(marks);
    uint8_t size = 0;
    bool noise = false, may = false;

    (void)zgi_window_fill(decoder, input, longest);
    while (decoder->filled > decoder->begin && size == 0 && !may) {
        size = end_at(marks, decoder->window + decoder->begin, decoder->filled - decoder->begin, &may);
        if (size == 0 && !may) {
            zgi_window_drop(decoder, 1);
            (void)zgi_window_fill(decoder, input, longest);
            noise = true;
        }
    }
    if (noise)
        *event = ZG_FRAMING_NOISE;
    return noise ? 0 : size;
}

/* Outside any candidate, where an end mark opens the next one: takes that mark, which is idle. */
static void seek_end(const struct zg_marks *marks, struct zg_decoder *decoder, struct zgi_input *input,
                     enum zg_framing_event *event)
{
    uint8_t size = marks->end_size;

    if (others_of(marks) > 0)
        size = seek_any(marks, decoder, input, event);
    else if (!zgi_window_seek(decoder, input, marks->end, marks->end_size, event))
        size = 0;
    if (size == 0 || !zgi_window_fill(decoder, input, (size_t)size + trailing_of(marks)))
        return;
    note_end(marks, decoder, decoder->window + decoder->begin, size);
    zgi_window_drop(decoder, (size_t)size + trailing_of(marks));
    open(marks, decoder);
    *event = ZG_FRAMING_IDLE;
}

/* Takes what is left of a longer end mark than the one just used up: it is idle. False: that must be waited for, or it
 * was taken. */
static bool pass_rest(const struct zg_marks *marks, struct zg_decoder *decoder, struct zgi_input *input,
                      enum zg_framing_event *event)
{
    const uint8_t last = (uint8_t)(decoder->code - 1U), size = size_of(marks, last);
    bool may = false;

    (void)zgi_window_fill(decoder, input, longest_end(marks));
    const uint8_t *const bytes = decoder->window + decoder->begin;
    const size_t held = decoder->filled - decoder->begin;
    for (uint8_t i = 0; i <= others_of(marks) && held > 0; i++) {
        const uint8_t rest = (uint8_t)(size_of(marks, i) - size);
        if (size_of(marks, i) <= size || memcmp(mark_of(marks, i), mark_of(marks, last), size) != 0 ||
            memcmp(bytes, mark_of(marks, i) + size, held < rest ? held : rest) != 0)
            continue;
        if (held < rest) {
            may = true;
            continue;
        }
        zgi_window_drop(decoder, rest);
        decoder->code = 0;
        *event = ZG_FRAMING_IDLE;
        return false;
    }
    if (held > 0 && !may)
        decoder->code = 0;
    return held > 0 && !may;
}

size_t zg_marks_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       enum zg_framing_event *event)
{
    const struct zg_marks *marks = marks_of(framing);
    struct zgi_input input = { bytes, count, 0 };

    *event = ZG_FRAMING_MORE;
    let_go_of_frame(marks, decoder);
    if (ZG_MARKS_MORE && decoder->code != 0 && !pass_rest(marks, decoder, &input, event)) {
        zgi_window_keep(decoder);
        return input.taken;
    }
    if (decoder->state == ZGI_SEEKING && end_opens(marks))
        seek_end(marks, decoder, &input, event);
    else if (decoder->state == ZGI_SEEKING && zgi_window_seek(decoder, &input, marks->start, marks->start_size, event))
        open(marks, decoder);
    while (decoder->state == ZGI_OPEN && *event == ZG_FRAMING_MORE && take(marks, decoder, &input, event))
        ;
    zgi_window_keep(decoder);
    return input.taken;
}

void zg_marks_reject(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    const struct zg_marks *marks = marks_of(framing);
    (void)fail(marks, decoder, decoder->total, ZG_FRAMING_MALFORMED);
    zgi_window_keep(decoder);
}

enum zg_framing_event zg_marks_pause(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    const struct zg_marks *marks = marks_of(framing);
    enum zg_framing_event event = ZG_FRAMING_NOISE;

    let_go_of_frame(marks, decoder);
    size_t held = decoder->filled - decoder->begin;
    if (held == 0)
        event = ZG_FRAMING_MORE;
    else if (decoder->state == ZGI_OPEN)
        event = fail(marks, decoder, held, ZG_FRAMING_CUT);
    else
        zgi_window_drop(decoder, held);
    if (decoder->filled == decoder->begin)
        zg_marks_reset(framing, decoder);
    zgi_window_keep(decoder);
    return event;
}

#if ZGI_WHOLE_FRAMES

/* Whether bytes are a mark, of one to four bytes: quicker than a call. */
static inline bool is_mark(const uint8_t *bytes, const uint8_t *mark, uint8_t size)
{
    for (uint8_t i = 0; i < size; i++)
        if (bytes[i] != mark[i])
            return false;
    return true;
}

/* Content up to the first end mark, between plain marks. Returns its bytes; SIZE_MAX: the mark is not there. */
static size_t find_end(const struct zg_marks *marks, const uint8_t *bytes, size_t count)
{
    for (size_t at = 0; count - at >= marks->end_size; at++) {
        const uint8_t *const found = (const uint8_t *)memchr(bytes + at, marks->end[0], count - at);
        if (!found)
            break;
        at = (size_t)(found - bytes);
        if (count - at >= marks->end_size && is_mark(found, marks->end, marks->end_size))
            return at;
    }
    return SIZE_MAX;
}

/* Content up to the end mark. Without escapes it stays where it is; otherwise it is copied with them replaced. Returns
 * what it took on the wire; SIZE_MAX: no sender produces this, the mark is not there, or it is too long. */
static ZGI_INLINE size_t take_content_of(const struct zg_marks *marks, const struct zg_decoder *decoder,
                                         const uint8_t *bytes, size_t count, const uint8_t *specials, unsigned kinds,
                                         const uint8_t **content, size_t *length)
{
    const uint8_t escape = specials[0];
    size_t at = zgi_run_without(bytes, count, specials, kinds), size = at;

    *content = bytes;
    for (;;) {
        if (at == count)
            break;
        const bool doubled = marks->doubled && count - at > 1 && bytes[at + 1] == escape;
        if ((bytes[at] != escape || marks->doubled) && !doubled) {
            *length = size;
            return count - at >= marks->end_size && is_mark(bytes + at, marks->end, marks->end_size) ? at : SIZE_MAX;
        }
        if (count - at < 2)
            break;
        const uint8_t meant = doubled ? escape : bytes[at + 1] ^ marks->escape_xor;
        if (size >= decoder->limit || !is_in(specials, (uint8_t)kinds, meant))
            break;
        if (*content == bytes) {
            memcpy(decoder->content, bytes, at);
            *content = decoder->content;
        }
        decoder->content[size++] = meant;
        at += 2;
        const size_t left = count - at, room = decoder->limit - size;
        const size_t run =
            zgi_copy_without(decoder->content + size, bytes + at, left < room ? left : room, specials, kinds);
        at += run;
        size += run;
    }
    return SIZE_MAX;
}

/* The same, with the usual numbers of kinds known to the compiler. */
static size_t take_content(const struct zg_marks *marks, const struct zg_decoder *decoder, const uint8_t *bytes,
                           size_t count, const uint8_t **content, size_t *length)
{
    uint8_t specials[SPECIALS];
    const unsigned kinds = specials_of(marks, specials);

    switch (kinds) {
    case 1: return take_content_of(marks, decoder, bytes, count, specials, 1, content, length);
    case 3: return take_content_of(marks, decoder, bytes, count, specials, 3, content, length);
    default: return take_content_of(marks, decoder, bytes, count, specials, kinds, content, length);
    }
}

/* Content between plain marks stays where it is, as does what has no escapes. */
size_t zgi_marks_whole(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       const uint8_t **content, size_t *length)
{
    const struct zg_marks *marks = marks_of(framing);
    const size_t start = end_opens(marks) ? 0 : marks->start_size;

    if (!zgi_window_is_clear(decoder) || others_of(marks) > 0 || trailing_of(marks) > 0 || marks->ends ||
        (decoder->state == ZGI_SEEKING && start == 0) || (decoder->state == ZGI_OPEN && start > 0) || count < start ||
        !is_mark(bytes, marks->start, (uint8_t)start))
        return 0;
    *content = bytes + start;
    const size_t size = marks->plain ? *length = find_end(marks, bytes + start, count - start)
                                     : take_content(marks, decoder, bytes + start, count - start, content, length);
    if (size == SIZE_MAX || *length > decoder->limit || *length == 0)
        return 0;
    zgi_fetch_ahead(bytes, count);
    return start + size + marks->end_size;
}

#endif
