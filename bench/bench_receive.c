/* SPDX-License-Identifier: MIT */
/* How fast a link decodes a stream of frames (delimiters, unstuffing, check, header, delivery), as a ratio to memcpy()
 * of the same bytes, for a stream that fits into the processor's second cache and for one that does not; next to it a
 * simple state machine that works byte by byte. And how fast each check is, as a ratio to zlib's crc32(). Everything is
 * measured in turns within one run; medians. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <zlib.h>

#include "codec/frame.h"
#include "measure.h"
#include "node/node.h"
#include "sim/random.h"

enum { SMALL = 1 << 20, LARGE = 1 << 26 };

static const char definition_text[] =
    "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: cobs, header: [id: u8, sequence: u8], check: "
    "{ name: crc16/ibm-3740, order: big }, max_payload: 256 }\nmessages: { m: { id: 1, from: both, fields: { data: "
    "\"bytes[..]\" } } }\n";

/* A stream of frames with random payloads of one size. */
static GByteArray *stream_of(const struct zg_plan *plan, unsigned payload, unsigned least)
{
    struct zg_random random = zg_random_seeded(payload, 0);
    GByteArray *stream = g_byte_array_new();
    uint8_t bytes[256];

    for (uint32_t n = 0; stream->len < least; n++) {
        const struct zg_header header = { .id = 1, .sequence = n };
        for (unsigned i = 0; i < payload; i++)
            bytes[i] = (uint8_t)zg_random_next(&random);
        g_autoptr(GByteArray) frame = zg_frame_make(plan, &header, bytes, payload);
        g_byte_array_append(stream, frame->data, frame->len);
    }
    return stream;
}

/* What one writes first: a state for each byte, and a table for the check. Returns how many frames passed. */
static unsigned plain_receive(const uint8_t *bytes, size_t count, const uint16_t *table)
{
    uint8_t content[512];
    unsigned length = 0, left = 0, code = 255, frames = 0;

    for (size_t i = 0; i < count; i++) {
        uint8_t byte = bytes[i];
        if (byte == 0) {
            uint16_t crc = 0xFFFF;
            for (unsigned k = 0; k < length; k++)
                crc = (uint16_t)(crc << 8 ^ table[crc >> 8 ^ content[k]]);
            frames += left == 0 && length > 3 && crc == 0;
            length = 0;
            left = 0;
            code = 255;
        } else if (left == 0) {
            if (code < 255 && length < sizeof content)
                content[length++] = 0;
            code = byte;
            left = byte - 1U;
        } else if (length < sizeof content) {
            content[length++] = byte;
            left--;
        }
    }
    return frames;
}

static void fill_table(uint16_t *table)
{
    for (unsigned i = 0; i < 256; i++) {
        uint16_t reg = (uint16_t)(i << 8);
        for (unsigned bit = 0; bit < 8; bit++)
            reg = (uint16_t)(reg & 0x8000U ? reg << 1 ^ 0x1021 : reg << 1);
        table[i] = reg;
    }
}

static void bench_stream(const struct zg_plan *plan, unsigned payload, unsigned size)
{
    static const struct zg_node_calls calls = { .deliver = deliver };
    g_autoptr(GByteArray) stream = stream_of(plan, payload, size);
    g_autofree uint8_t *copy = g_malloc0(stream->len);
    double receive[TURNS], copying[TURNS], plain[TURNS];
    unsigned repeats = LARGE / size, plainly = 0;
    uint16_t table[256];

    fill_table(table);
    for (unsigned turn = 0; turn < TURNS; turn++) {
        struct zg_node *node = zg_node_new(plan, 0, 2, &still_port, NULL, &calls, NULL);
        delivered = plainly = 0;
        double begin = seconds();
        for (unsigned i = 0; i < repeats; i++)
            for (guint at = 0; at < stream->len; at += 65536) /* as read from a system */
                zg_node_receive(node, stream->data + at, MIN(stream->len - at, 65536U));
        receive[turn] = seconds() - begin;
        begin = seconds();
        for (unsigned i = 0; i < repeats; i++)
            memcpy(copy, stream->data, stream->len);
        copying[turn] = seconds() - begin;
        begin = seconds();
        for (unsigned i = 0; i < repeats; i++)
            plainly += plain_receive(stream->data, stream->len, table);
        plain[turn] = seconds() - begin;
        zg_node_free(node);
    }
    g_assert(plainly == delivered);
    double bytes = (double)repeats * stream->len, fast = median(copying), slow = median(receive);
    printf("  %3u-byte payloads, %2u MB %8.1f MB/s  %6.3f of memcpy's speed; byte by byte %6.3f\n", payload, size >> 20,
           bytes / slow * 1e-6, fast / slow, fast / median(plain));
}

/* `portable`: without carry-less multiplication. */
static void bench_check(const char *name, const struct zg_check_choice *choice, const uint8_t *bytes, bool portable)
{
    struct zg_checker checker;
    double ours[TURNS], theirs[TURNS];
    volatile uint64_t kept = 0;

    zg_checker_init(&checker, choice, 0);
    g_assert(checker.check.size > 0); /* otherwise nothing is computed */
    if (portable)
        checker.fast->folds = false;
    for (unsigned turn = 0; turn < TURNS; turn++) {
        double begin = seconds();
        kept += zg_check_value(&checker.check, bytes, SMALL);
        ours[turn] = seconds() - begin;
        begin = seconds();
        kept += crc32(0, bytes, SMALL);
        theirs[turn] = seconds() - begin;
    }
    double slow = median(ours), fast = median(theirs);
    printf("  %-14s%s %8.1f MB/s  %6.3f of zlib's crc32\n", name, portable ? " portable" : "         ",
           SMALL / slow * 1e-6, fast / slow);
    (void)kept; /* volatile: the values are computed all the same */
    zg_checker_clear(&checker);
}

int main(void)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("p");
    struct zg_definition *definition = zg_definition_parse("p", definition_text, strlen(definition_text), diagnostics);
    struct zg_plan *plan = zg_plan_new(definition, diagnostics);
    g_autofree uint8_t *bytes = g_malloc(SMALL);
    struct zg_random random = zg_random_seeded(1, 0);

    for (unsigned i = 0; i < SMALL; i++)
        bytes[i] = (uint8_t)zg_random_next(&random);
    printf("a link receives COBS frames with CRC-16 (goals: 0.25 of memcpy at 32 bytes, 0.5 at 256)\n");
    for (unsigned i = 0; i < 4; i++)
        bench_stream(plan, i % 2 ? 256 : 32, i < 2 ? SMALL : LARGE);
    printf(
        "checks (goals: portable as fast as zlib's crc32, twice that where the processor multiplies without carry)\n");
    for (unsigned i = 0; i < zg_crc_table_length; i += 5) {
        const struct zg_check_choice choice = { .crc = zg_crc_table[i] };
        bench_check(zg_crc_table[i].name, &choice, bytes, true);
        bench_check(zg_crc_table[i].name, &choice, bytes, false);
    }
    for (unsigned i = 0; i < zg_sum_table_length; i++) {
        const struct zg_check_choice choice = { .kind = ZG_CHECK_SUM,
                                                .sum = &zg_sum_table[i],
                                                .crc = { .width = zg_sum_table[i].width } };
        bench_check(zg_sum_table[i].name, &choice, bytes, false);
    }
    zg_plan_free(plan);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
    return 0;
}
