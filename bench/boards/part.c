/* SPDX-License-Identifier: MIT */
/* A program that uses one part of the runtime, PART, and nothing else: the difference to one that uses none is the size
 * of that part. */
#include <stdint.h>

#define RING 1
#define CHECK 2
#define FRAMING 3
#define MESSAGE 4
#define LINK 5

volatile uint8_t byte;
uint8_t bytes[64];

#if PART == RING

#include "zeugma/ring.h"

static struct zg_ring ring;

int main(void)
{
    const uint8_t *span;
    uint8_t value = 0;

    (void)zg_ring_init(&ring, bytes, sizeof bytes);
    for (;;) {
        if (!zg_ring_put(&ring, byte))
            byte = 1;
        zg_ring_release(&ring, zg_ring_span(&ring, &span));
        if (zg_ring_get(&ring, &value))
            byte = value;
    }
}

#elif PART == CHECK

#include "duplex_frame.h"

volatile zg_check_word word;

int main(void)
{
    word = duplex_check.finish(0, duplex_check.update(0, duplex_check.start, bytes, byte));
    return 0;
}

#elif PART == FRAMING

#include "zeugma/cobs.h"
#include "zeugma/escaped.h"
#include "zeugma/gap.h"
#include "zeugma/marks.h"
#include "zeugma/sized.h"

static size_t measure(const void *context, const uint8_t *content)
{
    (void)context;
    return (size_t)content[0] + 4;
}

static const struct zg_sized by_length = { measure, 0, 0, 1, 2, 0, { 0xA5, 0x5A }, { 0 } };
static const struct zg_sized by_size = { 0, 0, 16, 0, 2, 0, { 0xA5, 0x5A }, { 0 } };
static const struct zg_marks by_marks = { 1, 1, { 2 }, { 3 }, 0, 0x1B, 0x20 };
static const struct zg_framing length = ZG_SIZED(&by_length);
static const struct zg_framing fixed = ZG_SIZED(&by_size);
static const struct zg_framing marks = ZG_MARKS(&by_marks);
static const struct zg_framing *const unused[] = { &length, &fixed, &marks, &zg_cobs, &zg_slip, &zg_hdlc, &zg_gap };

static struct zg_ring ring;
static struct zg_encoder encoder;
static struct zg_decoder decoder;
static uint8_t memory[128];
volatile size_t wire;

int main(void)
{
    enum zg_framing_event event;
    size_t size;

    (void)unused;
    zg_encoder_begin(&encoder, &KIND, &ring);
    zg_encoder_put(&encoder, &KIND, bytes, byte);
    if (zg_encoder_end(&encoder, &KIND, &size) == 0)
        wire = size;
    KIND.reset(&KIND, &decoder);
    decoder.content = decoder.window = memory;
    wire = zg_decoder_take(&decoder, &KIND, bytes, byte, &event);
    if (event == ZG_FRAMING_CONTENT)
        zg_decoder_reject(&decoder, &KIND);
    zg_decoder_pause(&decoder, &KIND, &event);
    return event;
}

#elif PART == MESSAGE || PART == LINK

#include <string.h>

#include "duplex_device.h"

static struct duplex_block block;

#if PART == MESSAGE

/* What every program has: memcpy() and memset(), which compilers call on their own. */
int main(void)
{
    size_t size = 0;

    memset(bytes, byte, byte);
    (void)duplex_block_pack(&block, bytes, sizeof bytes, &size);
    (void)duplex_block_unpack(&block, bytes, byte, &size);
    byte = (uint8_t)size;
    return 0;
}

#else

struct duplex_device device;
static const struct zg_port port;

static void on_block(void *context, const struct duplex_block *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    block = *message;
}

int main(void)
{
    static const struct duplex_device_handlers handlers = { on_block };
    uint8_t next = 0;

    if (duplex_device_init(&device, &port, 0, &handlers, 0) != 0)
        return 1;
    for (;;) {
        duplex_device_receive_isr(&device, byte, byte);
        if (duplex_device_transmit_isr(&device, &next))
            byte = next;
        duplex_device_poll(&device);
        (void)duplex_device_send_block(&device, &block);
    }
}

#endif

#else

int main(void)
{
    return byte + bytes[byte];
}

#endif
