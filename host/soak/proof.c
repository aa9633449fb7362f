/* SPDX-License-Identifier: MIT */
#include "soak/proof.h"

#include "soak/ends.h"

enum { LEAST_HITS = 10, ONE_IN = 20 /* frames are hit */, FRAMES = 1000 /* or so, if the line takes no longer: */ };
static const uint64_t least_ns = UINT64_C(5000000000), most_ns = UINT64_C(120000000000);

/* An echo that left. */
struct frame {
    uint32_t number;
    uint64_t from, to; /* its bytes */
    bool delivered;
    bool hit, harmed;
};

struct zgi_proof {
    struct zg_soak_watch watch;
    GArray *frames; /* of struct frame, by number from 0 */
    uint64_t hit_back;
};

static void note_frame(void *data, unsigned end, enum zg_flow flow, uint32_t number, bool extra, uint64_t from,
                       uint64_t to)
{
    const struct frame frame = { .number = number, .from = from, .to = to };

    (void)end;
    (void)extra;
    if (flow == ZG_FLOW_ECHO_OUT)
        g_array_append_val(((struct zgi_proof *)data)->frames, frame);
}

/* The frame that a byte belongs to, among the newest; the first byte after its end mark is the next one's. */
static void note_touch(void *data, unsigned end, uint64_t place, unsigned touches)
{
    struct zgi_proof *proof = data;

    if (end == DEVICE) {
        proof->hit_back++;
        return;
    }
    for (guint i = proof->frames->len; i-- > 0;) {
        struct frame *frame = &g_array_index(proof->frames, struct frame, i);
        if (frame->to <= place)
            return;
        if (frame->from > place)
            continue;
        const bool at_edge = place == frame->from || place + 1 == frame->to;
        frame->hit = true;
        frame->harmed = frame->harmed || !at_edge || (touches & ZG_TOUCH_CHANGED) != 0;
    }
}

static void note_fate(void *data, enum zg_flow flow, uint32_t number, enum zg_class class_, int count)
{
    struct zgi_proof *proof = data;
    const bool delivered = class_ <= ZG_CLASS_OUT_OF_ORDER;

    if (flow == ZG_FLOW_ECHO_OUT && number < proof->frames->len && delivered)
        g_array_index(proof->frames, struct frame, number).delivered = count > 0;
}

struct zgi_proof *zgi_proof_new(void)
{
    struct zgi_proof *proof = g_new0(struct zgi_proof, 1);

    proof->watch = (struct zg_soak_watch){ proof, note_frame, note_touch, note_fate };
    proof->frames = g_array_new(FALSE, FALSE, sizeof(struct frame));
    return proof;
}

struct zg_soak_settings zgi_proof_settings(struct zgi_proof *proof, const struct zg_plan *plan,
                                           const struct zg_soak_settings *settings)
{
    struct zg_soak_settings proving = *settings;
    const double byte_ns = (double)zg_line_byte_ns(&plan->definition->line),
                 bits = 8 * (zg_soak_frame_ns(plan, settings) - (double)plan->send_gap_ns) / byte_ns;

    const double wanted_ns = FRAMES * zg_soak_frame_ns(plan, settings) / settings->load;
    proving.duration_ns = MIN(MAX((uint64_t)wanted_ns, least_ns), most_ns);
    proving.traffic = ZG_SOAK_ECHO;
    proving.journal = NULL;
    proving.until = NULL;
    proving.stop_on = 0;
    proving.prove = false;
    proving.watch = &proof->watch;
    for (unsigned i = 0; i < 2; i++) {
        proving.faults.way[i].line.bit_error_rate = 1 / (ONE_IN * bits) / 2;
        proving.faults.way[i].line.drop = 8 / (ONE_IN * bits) / 2;
    }
    return proving;
}

struct zg_soak_proof zgi_proof_end(struct zgi_proof *proof, const struct zg_soak_result *result)
{
    struct zg_soak_proof found = { .sent = proof->frames->len,
                                   .hit_back = proof->hit_back,
                                   .damages = result ? result->damages[HOST] : 0 };

    for (guint i = 0; i < proof->frames->len; i++) {
        const struct frame *frame = &g_array_index(proof->frames, struct frame, i);
        found.hit += frame->hit;
        found.seen += frame->hit && !frame->delivered;
        found.harmless += frame->hit && frame->delivered && !frame->harmed;
        found.missed += frame->hit && frame->delivered && frame->harmed;
    }
    /* A byte back may be hit in a stretch that has damage already, or where it does no harm. */
    found.holds = found.missed == 0 && found.hit >= LEAST_HITS && found.damages * 2 >= found.hit_back;
    g_array_unref(proof->frames);
    g_free(proof);
    return found;
}
