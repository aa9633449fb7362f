/* SPDX-License-Identifier: MIT */
#include "zeugma/coding.h"

static const struct zg_coding *coding_of(const struct zg_framing *framing)
{
    return (const struct zg_coding *)framing->options;
}

void zgi_coded_begin(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    const struct zg_framing *inner = coding_of(framing)->inner;
    inner->begin(inner, encoder);
}

void zgi_coded_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
    const struct zg_coding *coding = coding_of(framing);
    const uint8_t letter = coding->upper ? 'A' - 10 : 'a' - 10;

    for (; count > 0; count--, bytes++) {
        const uint8_t high = *bytes >> 4, low = *bytes & 15U;
        const uint8_t digits[2] = { (uint8_t)(high + (high < 10 ? '0' : letter)),
                                    (uint8_t)(low + (low < 10 ? '0' : letter)) };
        coding->inner->put(coding->inner, encoder, digits, sizeof digits);
    }
}

void zgi_coded_end(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    const struct zg_framing *inner = coding_of(framing)->inner;
    inner->end(inner, encoder);
}

void zgi_coded_reset(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    const struct zg_framing *inner = coding_of(framing)->inner;
    inner->reset(inner, decoder);
}

void zgi_coded_reject(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    const struct zg_framing *inner = coding_of(framing)->inner;
    inner->reject(inner, decoder);
}

/* What a digit stands for; 16: it is none. */
static uint8_t digit(uint8_t byte)
{
    if (byte >= '0' && byte <= '9')
        return (uint8_t)(byte - '0');
    byte |= 0x20U; /* lower case */
    return byte >= 'a' && byte <= 'f' ? (uint8_t)(byte - 'a' + 10) : 16;
}

/* Replaces a content of digits by what they stand for. False: it is none. */
static bool take_digits(struct zg_decoder *decoder)
{
    uint8_t *const content = decoder->content;

    for (size_t i = 0; i + 1 < decoder->length; i += 2) {
        const uint8_t high = digit(content[i]), low = digit(content[i + 1]);
        if (high > 15 || low > 15)
            return false;
        content[i / 2] = (uint8_t)(high << 4 | low);
    }
    const bool even = decoder->length % 2 == 0;
    decoder->length /= 2;
    return even;
}

/* What the inner framing's event is, once the content is bytes. */
static enum zg_framing_event take(const struct zg_framing *framing, struct zg_decoder *decoder,
                                  enum zg_framing_event event)
{
    if (event != ZG_FRAMING_CONTENT || take_digits(decoder))
        return event;
    zgi_coded_reject(framing, decoder);
    return ZG_FRAMING_MALFORMED;
}

size_t zgi_coded_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes,
                        size_t count, enum zg_framing_event *event)
{
    const struct zg_framing *inner = coding_of(framing)->inner;
    const size_t taken = inner->decode(inner, decoder, bytes, count, event);

    *event = take(framing, decoder, *event);
    return taken;
}

enum zg_framing_event zgi_coded_pause(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    const struct zg_framing *inner = coding_of(framing)->inner;
    return take(framing, decoder, inner->pause(inner, decoder));
}
