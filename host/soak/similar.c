/* SPDX-License-Identifier: MIT */
#include "soak/similar.h"

#include <glib.h>

enum { PIECE = 3 }; /* bytes */

bool zgi_similar(const uint8_t *sent, size_t sent_length, const uint8_t *found, size_t found_length)
{
    size_t shorter = MIN(sent_length, found_length);
    size_t start = 0, end = 0, bits = 0;

    if (shorter < ZGI_SIMILAR_LEAST)
        return false;
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

/* The length of the longest piece of `sent` with which `found` begins. */
static size_t longest(const uint8_t *sent, size_t sent_length, const uint8_t *found, size_t found_length)
{
    size_t most = 0;

    for (size_t at = 0; at < sent_length && most < found_length; at++) {
        size_t length = 0;
        while (length < found_length && at + length < sent_length && sent[at + length] == found[length])
            length++;
        most = MAX(most, length);
    }
    return most;
}

bool zgi_is_made_of(const uint8_t *sent, size_t sent_length, const uint8_t *found, size_t found_length)
{
    size_t covered = 0;

    for (size_t at = 0; at + PIECE <= found_length;) {
        const size_t length = longest(sent, sent_length, found + at, found_length - at);
        covered += length >= PIECE ? length : 0;
        at += length >= PIECE ? length : 1;
    }
    return covered > 0 && 2 * covered >= found_length;
}
