/* SPDX-License-Identifier: MIT */
#include "zeugma/framing.h"

#include <string.h>

void zg_decoder_init(struct zg_decoder *decoder, const struct zg_framing *framing, size_t limit, uint8_t *memory,
                     size_t size)
{
    memset(decoder, 0, sizeof *decoder);
    decoder->limit = limit;
    decoder->lead = framing->lead;
    decoder->content = memory;
    decoder->window = memory;
    decoder->room = size;
    framing->reset(framing, decoder);
}
