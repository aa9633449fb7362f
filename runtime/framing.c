/* SPDX-License-Identifier: MIT */
#include "zeugma/framing.h"

#include <string.h>

void zg_decoder_init(struct zg_decoder *decoder, const struct zg_framing *framing, size_t limit, uint8_t *memory,
                     size_t size)
{
    memset(decoder, 0, sizeof *decoder);
    zgi_decoder_begin(decoder, framing, limit, memory, size);
}
