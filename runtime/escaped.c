/* SPDX-License-Identifier: MIT */
#include "zeugma/escaped.h"

#include "stuffing.h"
#include "zeugma/detail/runs.h"

/* The two special bytes, their images after an escape, and which other bytes are escaped. */
struct zgi_escapes {
    uint8_t delimiter; /* these two are next to each other, as zgi_run_without() wants them */
    uint8_t escape;
    uint8_t delimiter_image;
    uint8_t escape_image;
    uint8_t turn;    /* any other byte is sent as itself XOR this; 0: no other byte is escaped */
    uint8_t control; /* bytes below it are escaped as well */
};

const struct zgi_escapes zgi_slip = { 0xC0, 0xDB, 0xDC, 0xDD, 0, 0 };
const struct zgi_escapes zgi_hdlc = { 0x7E, 0x7D, 0x5E, 0x5D, 0x20, 0 };
const struct zgi_escapes zgi_hdlc_control = { 0x7E, 0x7D, 0x5E, 0x5D, 0x20, 0x20 };

static const struct zgi_escapes *escapes_of(const struct zg_framing *framing)
{
    return (const struct zgi_escapes *)framing->options;
}

void zgi_escaped_begin(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    if (encoder->lead)
        zgi_append(encoder, escapes_of(framing)->delimiter);
}

void zgi_escaped_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
    const struct zgi_escapes *escapes = escapes_of(framing);

    for (size_t i = 0; i < count && !encoder->overflow; i++) {
#if ZGI_WHOLE_FRAMES
        const size_t run = escapes->control > 0 ? 0 : zgi_run_without(bytes + i, count - i, &escapes->delimiter, 2);
        zgi_append_all(encoder, bytes + i, run);
        i += run;
        if (i == count)
            break;
#endif
        uint8_t byte = bytes[i];
        bool special = true;
        if (byte == escapes->delimiter)
            byte = escapes->delimiter_image;
        else if (byte == escapes->escape)
            byte = escapes->escape_image;
        else if (byte < escapes->control)
            byte ^= escapes->turn;
        else
            special = false;
        if (special)
            zgi_append(encoder, escapes->escape);
        zgi_append(encoder, byte);
    }
}

void zgi_escaped_end(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    zgi_append(encoder, escapes_of(framing)->delimiter);
}

enum { ESCAPED = ZGI_DATA + 1 };

/* Replaces a byte after an escape by what it stands for. False: it stands for nothing. */
static bool unescape(const struct zgi_escapes *escapes, uint8_t *byte)
{
    if (escapes->turn != 0)
        *byte ^= escapes->turn;
    else if (*byte == escapes->delimiter_image)
        *byte = escapes->delimiter;
    else if (*byte == escapes->escape_image)
        *byte = escapes->escape;
    else
        return false;
    return true;
}

static enum zg_framing_event take(const struct zgi_escapes *escapes, struct zg_decoder *decoder, uint8_t byte)
{
    bool escaped = decoder->state == ESCAPED;
    enum zg_framing_event failure = ZG_FRAMING_TOO_LONG;

    if (!escaped && byte == escapes->escape) {
        decoder->state = ESCAPED;
        return ZG_FRAMING_MORE;
    }
    decoder->state = ZGI_DATA;
    if (escaped && !unescape(escapes, &byte))
        failure = ZG_FRAMING_MALFORMED;
    else if (decoder->length < decoder->limit) {
        decoder->content[decoder->length++] = byte;
        return ZG_FRAMING_MORE;
    }
    decoder->state = ZGI_SKIP;
    return failure;
}

size_t zgi_escaped_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes,
                          size_t count, enum zg_framing_event *event)
{
    const struct zgi_escapes *escapes = escapes_of(framing);
    size_t i = 0;

    *event = ZG_FRAMING_MORE;
    if (decoder->state == ZGI_SKIP)
        i = zgi_skip_noise(decoder, escapes->delimiter, bytes, count, event);
    while (i < count && *event == ZG_FRAMING_MORE) {
        uint8_t byte = bytes[i++];
        *event = byte == escapes->delimiter ? zgi_delimiter(decoder, decoder->state != ESCAPED, i)
                                            : take(escapes, decoder, byte);
    }
    return i;
}

#if ZGI_WHOLE_FRAMES

/* Goes on behind the first `length` bytes of content, which are as they are: copies them, and the rest with its escapes
 * replaced. Returns what it took on the wire without the delimiter; 0: no sender produces this, it is not complete, or
 * it is too long. */
static size_t unescape_all(const struct zgi_escapes *escapes, const struct zg_decoder *decoder, const uint8_t *bytes,
                           size_t count, size_t *length)
{
    size_t at = *length;

    if (at > decoder->limit)
        return 0;
    memcpy(decoder->content, bytes, at);
    while (at < count && bytes[at] != escapes->delimiter) {
        uint8_t byte = count - at > 1 ? bytes[at + 1] : escapes->delimiter;
        if (byte == escapes->delimiter || *length == decoder->limit || !unescape(escapes, &byte))
            return 0;
        decoder->content[(*length)++] = byte;
        at += 2;
        const size_t run = zgi_run_without(bytes + at, count - at, &escapes->delimiter, 2);
        if (run > decoder->limit - *length)
            return 0;
        memcpy(decoder->content + *length, bytes + at, run);
        *length += run;
        at += run;
    }
    return at < count ? at : 0;
}

/* A frame without escapes contains its content as it is, which stays where it is. */
size_t zgi_escaped_whole(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes,
                         size_t count, const uint8_t **content, size_t *length)
{
    const struct zgi_escapes *escapes = escapes_of(framing);
    const size_t lead = decoder->lead && count > 0 && bytes[0] == escapes->delimiter;

    if (decoder->state != ZGI_EMPTY || decoder->pending > 0)
        return 0;
    bytes += lead;
    count -= lead;
    *length = zgi_run_without(bytes, count, &escapes->delimiter, 2);
    *content = bytes;
    size_t size = *length;
    if (size < count && bytes[size] == escapes->escape) {
        *content = decoder->content;
        size = unescape_all(escapes, decoder, bytes, count, length);
    }
    if (size == 0 || size == count || *length > decoder->limit)
        return 0;
    zgi_fetch_ahead(bytes, count);
    return lead + size + 1;
}

#endif
