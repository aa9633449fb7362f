/* SPDX-License-Identifier: MIT */
/* A link between an interrupt and a loop, both led by the input: bytes, line errors, silence, frames to send. */
#include <string.h>

#include "fuzz.h"
#include "node/node.h"
#include "support.h"
#include "zeugma/error.h"

static int deliver(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    uint8_t copy[256] = { 0 };
    (void)data;
    memcpy(copy, payload, MIN(length, sizeof copy)); /* every byte must be readable */
    return frame->header.id % 2 ? ZG_EUNKNOWN : copy[0] % 2 ? ZG_ESIZE : 0;
}

static void check_sums(struct zg_node *node, uint32_t fed)
{
    const struct zg_counters *c = &zg_node_link(node)->counters;
    g_assert(c->bytes_in + c->bytes_dropped == fed);
    g_assert(c->bytes_in == c->bytes_of_frames + c->bytes_failed + c->bytes_noise + c->bytes_console + c->bytes_idle +
                                zg_any_link_pending(zg_node_any_link(node)));
    g_assert(c->unknown_id + c->bad_payload + c->other_version + c->not_for_us <= c->frames_in);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const struct zg_node_calls calls = { .deliver = deliver };
    const struct zg_plan *plan = fuzz_plan(size > 0 ? data[0] : 0);
    struct zg_node *node = zg_node_new(plan, 0, 64, &test_port, NULL, &calls, NULL);
    struct zg_link *link = zg_node_link(node);
    uint32_t fed = 0;
    uint8_t byte;

    test_clock_us = 0xFFFFF000U; /* about to wrap */
    for (size_t i = 1; i + 1 < size; i += 2) {
        switch (data[i] % 8) {
        case 0: zg_any_link_poll(zg_node_any_link(node)); break;
        case 1: test_clock_us += (uint32_t)data[i + 1] << 8; break;
        case 2:
            (void)zg_any_link_send(zg_node_any_link(node), data[i + 1], data, MIN(size, (size_t)data[i + 1]));
            break;
        case 3:
            while (zg_link_transmit_isr(link, &byte)) { /* what it sends, it receives */
                zg_link_receive_isr(link, byte, 0);
                fed++;
            }
            break;
        case 4: {
            const size_t count = MIN(size - i, (size_t)data[i + 1]);
            zg_node_receive(node, data + i, count);
            fed += (uint32_t)count;
            break;
        }
        default:
            zg_link_receive_isr(link, data[i + 1], data[i] >> 3 & 31U);
            fed++;
            break;
        }
    }
    for (unsigned i = 0; i < 3; i++) /* what is dropped is counted by a later poll */
        zg_any_link_poll(zg_node_any_link(node));
    check_sums(node, fed);
    zg_node_free(node);
    return 0;
}
