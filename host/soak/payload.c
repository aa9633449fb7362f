/* SPDX-License-Identifier: MIT */
/* What the frames of a soak hold in the run that goes on. The newest are kept, because each is wanted several times:
 * when it is sent, when it arrives, and when it is answered. */
#include "soak/payload.h"

#include "soak/ends.h"

enum { KEPT = 64 /* of each kind, a power of two */ };

struct slot {
    uint32_t number;
    uint32_t length; /* 0: none is there */
};

struct zgi_payloads {
    struct slot slots[ZG_FLOWS][KEPT];
    uint64_t stream_seed; /* of those of streams */
    size_t most;
    uint8_t *bytes;
};

struct zgi_payloads *zgi_payloads_new(const struct zg_plan *plan)
{
    struct zgi_payloads *payloads = g_new0(struct zgi_payloads, 1);

    payloads->most = plan->max_payload;
    payloads->bytes = g_malloc(ZG_FLOWS * KEPT * payloads->most);
    return payloads;
}

void zgi_payloads_free(struct zgi_payloads *payloads)
{
    if (!payloads)
        return;
    g_free(payloads->bytes);
    g_free(payloads);
}

/* Those of another run of the streams, on a real link, are others. */
static void forget_streams(struct zgi_payloads *payloads, uint64_t seed)
{
    for (unsigned flow = ZG_FLOW_STREAM_OUT; flow < ZG_FLOWS && payloads->stream_seed != seed; flow++)
        for (unsigned i = 0; i < KEPT; i++)
            payloads->slots[flow][i].length = 0;
    payloads->stream_seed = seed;
}

const uint8_t *zgi_soak_payload(const struct zgi_soak *soak, enum zg_flow flow, uint32_t number, size_t *length)
{
    struct zgi_payloads *payloads = soak->payloads;
    const enum zg_flow source = flow == ZG_FLOW_ECHO_BACK ? ZG_FLOW_ECHO_OUT : flow;
    const bool is_stream = flow >= ZG_FLOW_STREAM_OUT;
    struct slot *slot = &payloads->slots[source][number % KEPT];
    uint8_t *bytes = payloads->bytes + ((size_t)source * KEPT + number % KEPT) * payloads->most;

    if (is_stream)
        forget_streams(payloads, soak->stream_seed);
    if (slot->length == 0 || slot->number != number)
        *slot = (struct slot){ number, (uint32_t)zg_traffic_make(
                                           soak->plan, is_stream ? soak->stream_seed : soak->settings->seed,
                                           soak->settings->size, flow, number - soak->stream_first[flow], bytes) };
    *length = slot->length;
    return bytes;
}
