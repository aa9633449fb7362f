/* SPDX-License-Identifier: MIT */
/* What the frames of a soak hold in the run that goes on. */
#include "soak/ends.h"

size_t zgi_soak_make(const struct zgi_soak *soak, enum zg_flow flow, uint32_t number, uint8_t *payload)
{
    const bool is_stream = flow >= ZG_FLOW_STREAM_OUT;

    return zg_traffic_make(soak->plan, is_stream ? soak->stream_seed : soak->settings->seed, flow,
                           number - soak->stream_first[flow], payload);
}
