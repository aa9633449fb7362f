/* SPDX-License-Identifier: MIT */
#include "plan/sliced_crc.h"

#include <glib.h>
#include <string.h>

/* How many words are processed side by side, and their bytes. */
enum { WORDS = 5, BLOCK = 8 * WORDS };

G_STATIC_ASSERT(ZG_CHECK_BITS == 64);

/* A register in the order of the tables: the bits that meet the first byte are lowest. */
static uint64_t turned(const struct zg_crc *crc, uint64_t reg)
{
    return crc->reflected ? reg : GUINT64_SWAP_LE_BE(reg);
}

void zg_sliced_crc_init(struct zg_sliced_crc *sliced, const struct zg_crc *crc)
{
    static const uint8_t zero = 0;

    sliced->crc = *crc;
    for (unsigned byte = 0; byte < 256; byte++) {
        const uint8_t first = (uint8_t)byte;
        zg_check_word reg = zg_crc_update(crc, 0, &first, 1);
        for (unsigned after = 0; after < BLOCK; after++) { /* bytes that follow it */
            if (after < 8)
                sliced->near[7 - after][byte] = turned(crc, reg);
            if (after >= BLOCK - 8)
                sliced->far[BLOCK - 1 - after][byte] = turned(crc, reg);
            reg = zg_crc_update(crc, reg, &zero, 1);
        }
    }
}

static inline uint64_t load(const uint8_t *at)
{
    uint64_t word;
    memcpy(&word, at, sizeof word);
    return GUINT64_FROM_LE(word);
}

static inline uint64_t look_up(const zg_check_word tables[8][256], uint64_t word)
{
    uint64_t reg = 0;
    for (unsigned i = 0; i < 8; i++)
        reg ^= tables[i][word >> 8 * i & 0xFF];
    return reg;
}

zg_check_word zg_sliced_crc_update(const struct zg_sliced_crc *sliced, zg_check_word reg, const uint8_t *bytes,
                                   size_t count)
{
    if (count < 8)
        return zg_crc_update(&sliced->crc, reg, bytes, count);
    reg = turned(&sliced->crc, reg);
    if (count >= 2 * BLOCK) {
        uint64_t regs[WORDS] = { reg };
        for (; count >= 2 * BLOCK; bytes += BLOCK, count -= BLOCK)
            for (unsigned i = 0; i < WORDS; i++)
                regs[i] = look_up(sliced->far, regs[i] ^ load(bytes + 8 * i));
        reg = 0;
        for (unsigned i = 0; i < WORDS; i++, bytes += 8, count -= 8) /* combines them over a last block */
            reg = look_up(sliced->near, reg ^ regs[i] ^ load(bytes));
    }
    for (; count >= 8; bytes += 8, count -= 8)
        reg = look_up(sliced->near, reg ^ load(bytes));
    return zg_crc_update(&sliced->crc, turned(&sliced->crc, reg), bytes, count);
}
