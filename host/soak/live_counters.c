/* SPDX-License-Identifier: MIT */
/* The counters of a real device, read over the link. */
#include "soak/live.h"

#include "codec/frame.h"

enum { READ_TIMES = 4 }; /* from their first */

void zgi_live_note_counters(struct zgi_live *live, const struct zg_frame *frame, const uint8_t *payload, size_t length,
                            const struct zg_value *values)
{
    const struct zg_counters *ours = &zgi_live_link(live)->counters;
    struct zgi_reading *reading = live->reading;

    if (!reading || values[0].raw.u != live->known)
        return;
    g_autoptr(GByteArray) wire = zg_frame_make(live->soak.plan, &frame->header, payload, length);
    for (unsigned i = 0; i < values[1].count && live->known < ZG_COUNTERS; i++) {
        switch (live->known) {
        case ZG_COUNTER_INDEX(bytes_in): reading->written = zgi_bytes_passed(&live->out.totals); break;
        case ZG_COUNTER_INDEX(bytes_out): reading->read = live->back.totals.sent - wire->len; break;
        case ZG_COUNTER_INDEX(frames_in): reading->frames_out = ours->frames_out; break;
        case ZG_COUNTER_INDEX(frames_out):
            reading->frames_in = ours->frames_in - 1;
            reading->missed = ours->lost - ours->late - ours->repeated;
            break;
        default: break;
        }
        reading->device[live->known++] = (uint32_t)values[1].items[i].raw.u;
    }
    while (values[1].count == 0 && live->known < ZG_COUNTERS) /* its runtime is older and has fewer counters */
        reading->device[live->known++] = 0;
}

/* Asks for counters. False: not now, the line is busy. */
static bool ask(struct zgi_live *live)
{
    struct zg_value *values = zg_values_new(&live->request->payload);

    values[0].raw.u = live->known;
    const bool is_sent = zg_node_send_plain(live->soak.ends[HOST].node, live->request, values) == 0;
    zg_values_free(&live->request->payload, values);
    live->asked += is_sent;
    return is_sent;
}

bool zgi_live_read_counters(struct zgi_live *live, struct zgi_reading *reading)
{
    bool is_repeated = false;
    unsigned readings = 1;

    live->damaging = false;
    live->known = 0;
    for (unsigned times = 0; live->known < ZG_COUNTERS && times < ZGI_LIVE_ASK_TIMES && !live->error;) {
        const unsigned before = live->known;
        const uint64_t until_ns = live->soak.now_ns + ZGI_LIVE_SECOND_NS;
        live->reading = reading;
        while (!ask(live) && live->soak.now_ns < until_ns && !live->error)
            zgi_live_pump(live, live->soak.now_ns + ZGI_LIVE_STEP_NS, NULL, 0);
        zgi_live_pump(live, until_ns, &live->known, before + 1);
        live->reading = NULL;
        if (live->known == before) {
            times++;
            is_repeated = true;
            continue;
        }
        times = 0;
        if (is_repeated && readings++ < READ_TIMES) {
            zgi_live_pump(live, live->soak.now_ns + ZGI_LIVE_SECOND_NS, NULL, 0);
            live->known = 0;
            is_repeated = false;
        }
    }
    live->damaging = true;
    if (live->known < ZG_COUNTERS && !live->error)
        g_set_error(&live->error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_LINK,
                    "%s: no device answered a request for its counters in %d s; is it running, with this definition "
                    "and its services echo and counters?%s",
                    live->soak.settings->link->text, ZGI_LIVE_ASK_TIMES,
                    live->soak.plan->gap_ns > 0 ? " The framing gap needs a link that preserves silences, which "
                                                  "pseudo-terminals, USB adapters and networks do not."
                                                : "");
    return live->error == NULL;
}
