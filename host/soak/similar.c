/* SPDX-License-Identifier: MIT */
#include "soak/similar.h"

#include <glib.h>

enum { SHORT = 8 };

bool zgi_similar(const uint8_t *sent, size_t sent_length, const uint8_t *found, size_t found_length)
{
    size_t shorter = MIN(sent_length, found_length);
    size_t start = 0, end = 0, bits = 0;

    if (shorter < SHORT)
        return found_length < SHORT;
    if (sent_length == found_length) {
        for (size_t i = 0; i < shorter; i++)
            bits += (size_t)__builtin_popcount((unsigned)(sent[i] ^ found[i]));
        if (4 * bits <= 8 * shorter)
            return true;
    }
    while (start < shorter && sent[start] == found[start])
        start++;
    while (end < shorter - start && sent[sent_length - 1 - end] == found[found_length - 1 - end])
        end++;
    return 2 * (start + end) >= shorter;
}
