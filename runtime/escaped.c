/* SPDX-License-Identifier: MIT */
#include "zeugma/escaped.h"

#include "stuffing.h"

/* The two special bytes, their images after an escape, and which other bytes are escaped. */
struct zgi_escapes {
    uint8_t delimiter;
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
