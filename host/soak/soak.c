/* SPDX-License-Identifier: MIT */
/* The soak over the simulated line. */
#include "analysis/timing.h"
#include "soak/arrivals.h"
#include "soak/sim.h"

enum {
    STEP_BYTES = 20, /* byte times between two turns of the loops */
    STEP_MOST_NS = 1000000,
    DRAIN_MOST = 20 /* limit for draining, in multiples of the sending time */
};

static void send_flow(struct zgi_sim *sim, enum zg_flow flow)
{
    struct zgi_soak *soak = &sim->soak;
    const unsigned end = zg_flow_is_back(flow) ? DEVICE : HOST;
    const double load = soak->settings->load;

    if (sim->plights[end].stands_still || !zgi_soak_is_due(soak, flow))
        return;
    zg_sim_settle(sim->line, end, zgi_soak_room(soak));
    zgi_soak_send_due(soak, flow, soak->ids.echo ? load / 2 : load, UINT_MAX);
}

/* What the ends send on their own. */
static void send_all(struct zgi_sim *sim)
{
    if (sim->soak.ids.echo)
        send_flow(sim, ZG_FLOW_ECHO_OUT);
    send_flow(sim, ZG_FLOW_STREAM_OUT);
    send_flow(sim, ZG_FLOW_STREAM_BACK);
}

static void put_on_tape(void *data, const uint8_t *bytes, size_t count)
{
    zgi_tape_add(((struct zgi_end *)data)->went, bytes, count, 0);
}

static void take_on_tape(void *data, const uint8_t *bytes, size_t count, uint64_t last_ns, uint64_t each_ns)
{
    zgi_note_came(data, bytes, count, last_ns, each_ns);
}

static void touched_of_device(void *data, uint64_t place, unsigned touches)
{
    const struct zg_soak_watch *watch = data;
    watch->touched(watch->data, DEVICE, place, touches);
}

static void touched_of_host(void *data, uint64_t place, unsigned touches)
{
    const struct zg_soak_watch *watch = data;
    watch->touched(watch->data, HOST, place, touches);
}

/* A packet arrives while the line's time advances. */
static void take_packet(void *data, const uint8_t *bytes, size_t size)
{
    struct zgi_end *end = data;
    struct zgi_sim *sim = (struct zgi_sim *)(void *)end->soak; /* its first member */

    sim->soak.now_ns = MAX(sim->soak.now_ns, zg_sim_now(sim->line));
    zg_node_receive(end->node, bytes, size);
}

/* When a byte is read: at the third sample of its stop bit; of a clocked line, at the last edge of its clock. */
static unsigned read_16ths(const struct zg_line *line)
{
    const struct zg_uart_format format = zg_line_format(line);
    return line->is_clocked ? 8 * 16 : 16U * zg_uart_before_stop(&format) + 9;
}

/* The device's rate is what its clock makes of the line's. */
static struct zg_sim_bits bits_of(const struct zg_line *line)
{
    const struct zg_clock *clock = &line->clock;
    struct zg_sim_bits bits = { .format = zg_line_format(line),
                                .carrier_hz = line->carrier_hz,
                                .ends = { { 1, 16 }, { 1, 16 } } };

    if (clock->device_hz > 0) {
        bits.ends[DEVICE].rate = 1 + zg_timing_rate(clock->device_hz, clock->divider, 0, (double)line->baud).error;
        bits.ends[DEVICE].samples = clock->divider.samples;
    }
    return bits;
}

/* The byte upon which alone a framing acts, as it ends its frames; -1: there is none. A delimiter that may also open a
 * frame is not that: after a while of silence it is idle. */
static int delimiter_of(const struct zg_framing_choice *framing)
{
    const bool is_plain = !framing->lead && !framing->halves && !framing->coding;

    return !is_plain ? -1 : framing->kind == ZG_FRAMING_COBS ? 0x00 : framing->kind == ZG_FRAMING_SLIP ? 0xC0 : -1;
}

/* Polls at which no frame ends are left out where they show nothing: nothing happens to the ends, and nobody looks at
 * single bytes. */
static void defer_polls(const struct zgi_sim *sim)
{
    const struct zgi_soak *soak = &sim->soak;
    const struct zg_protocol *protocol = zg_node_any_link(soak->ends[HOST].node)->receiver->protocol;
    const int delimiter = delimiter_of(&soak->plan->definition->framing);

    if (delimiter < 0 || !zgi_sim_is_calm(sim) || soak->settings->watch || protocol->console || protocol->hear ||
        protocol->ignores > 0 || protocol->bares > 0 || protocol->send_gap_us > 0)
        return;
    for (unsigned i = 0; i < 2; i++)
        zg_sim_defer(sim->line, i, (uint8_t)delimiter, soak->plan->max_frame);
}

static void begin(struct zgi_sim *sim)
{
    struct zgi_soak *soak = &sim->soak;
    const struct zg_line *physical = &soak->plan->definition->line;
    const struct zg_soak_settings *settings = soak->settings;
    const struct zg_sim_bits bits = bits_of(physical);
    const struct zg_sim_settings line = { .baud = (uint32_t)(settings->baud > 0 ? settings->baud : physical->baud),
                                          .half_bits = zg_line_half_bits(physical),
                                          .data_bits = zg_line_data_bits(physical),
                                          .faults = { settings->faults.way[DEVICE].line,
                                                      settings->faults.way[HOST].line },
                                          .read_16ths = read_16ths(physical),
                                          .bits = settings->bits ? &bits : NULL,
                                          .byte_gap_ns = physical->is_clocked ? physical->pair.byte_gap_ns : 0,
                                          .seed = zg_soak_chance(settings),
                                          .clock_us = settings->clock_us };

    soak->take = zgi_take;
    sim->line = zg_sim_line_new(&line);
    soak->byte_ns = zg_sim_byte_ns(sim->line);
    soak->sent = zgi_sim_sent;
    soak->shorten = zgi_sim_shorten;
    for (unsigned i = 0; i < 2 && settings->watch; i++)
        zg_sim_watch(sim->line, i, i == HOST ? touched_of_host : touched_of_device, (void *)settings->watch);
    for (unsigned i = 0; i < 2 && soak->ends[i].came; i++) {
        const struct zg_sim_ears ears = { put_on_tape, take_on_tape, &soak->ends[i] };
        soak->ends[i].went = zgi_tape_new();
        soak->ends[i].ends = g_new0(uint64_t, ZGI_SOAK_WINDOW);
        zg_sim_listen(sim->line, i, &ears);
    }
    for (unsigned i = 0; i < 2 && soak->plan->packets; i++)
        zg_sim_keep_packets(sim->line, i, take_packet, &soak->ends[i]);
    zgi_sim_begin_plights(sim);
    for (unsigned i = 0; i < 2; i++)
        zgi_sim_boot(sim, i);
    defer_polls(sim);
}

static void step(struct zgi_sim *sim, uint64_t until_ns)
{
    struct zgi_soak *soak = &sim->soak;

    zgi_sim_advance(sim, until_ns);
    soak->now_ns = until_ns;
    for (unsigned i = 0; i < 2; i++) {
        if (sim->plights[i].stands_still)
            continue;
        if (zg_sim_brought(sim->line, i))
            zg_any_link_poll(zg_node_any_link(soak->ends[i].node));
        if (soak->ends[i].waiting.length > 0) {
            zg_sim_settle(sim->line, i, SIZE_MAX);
            zgi_soak_send_waiting(&soak->ends[i]);
        }
    }
    if (!sim->plights[DEVICE].stands_still && zgi_soak_has_replies(soak)) {
        zg_sim_settle(sim->line, DEVICE, zgi_soak_room(soak));
        zgi_soak_send_replies(soak);
    }
}

/* What the line holds for the ends reaches them. */
static void settle(const struct zgi_sim *sim)
{
    for (unsigned i = 0; i < 2; i++)
        zg_sim_settle(sim->line, i, SIZE_MAX);
}

/* Whether it was time to note what happened. */
static bool note(struct zgi_sim *sim)
{
    const struct zg_sim_totals *line[2] = { zg_sim_totals(sim->line, DEVICE), zg_sim_totals(sim->line, HOST) };

    if (sim->soak.now_ns < sim->soak.note_due_ns)
        return false;
    settle(sim);
    return zgi_soak_note(&sim->soak, line);
}

/* Passes over turns of the loops in which nothing would be sent, brought or noted. */
static void pass_over(struct zgi_sim *sim, uint64_t step_ns, uint64_t end_ns)
{
    struct zgi_soak *soak = &sim->soak;
    const uint64_t now_ns = soak->now_ns, noticed_ns = MIN(zg_sim_wake_ns(sim->line), soak->note_due_ns);
    uint64_t next_ns = noticed_ns - MIN(noticed_ns, step_ns);

    if (soak->ends[DEVICE].waiting.length + soak->ends[HOST].waiting.length > 0 || zgi_soak_has_replies(soak))
        return;
    for (unsigned flow = soak->ids.echo ? ZG_FLOW_ECHO_OUT : ZG_FLOW_STREAM_OUT; flow < ZG_FLOWS; flow++)
        if (flow != ZG_FLOW_ECHO_BACK)
            next_ns = MIN(next_ns, (uint64_t)soak->due_ns[flow]);
    if (next_ns <= now_ns)
        return;
    const uint64_t turns = MIN((next_ns - now_ns + step_ns - 1) / step_ns, (end_ns - now_ns) / step_ns);
    soak->result->ran_ns = soak->now_ns = now_ns + turns * step_ns;
    zgi_sim_advance(sim, soak->now_ns);
}

static void run(struct zgi_sim *sim, zg_soak_progress progress, void *data)
{
    struct zgi_soak *soak = &sim->soak;
    struct zg_soak_result *result = soak->result;
    uint64_t step_ns = MIN(STEP_BYTES * soak->byte_ns, (uint64_t)STEP_MOST_NS);
    uint64_t end_ns = soak->settings->duration_ns;

    result->poll_ns = step_ns;
    zg_journal_begin(soak->journal, 0, soak->settings->first_second, false);
    while (result->ran_ns < end_ns && zgi_soak_goes_on(result)) {
        send_all(sim);
        result->ran_ns = MIN(result->ran_ns + step_ns, end_ns);
        step(sim, result->ran_ns);
        if (note(sim) && progress)
            result->stopped = !progress((double)result->ran_ns / (double)end_ns, result, data);
        pass_over(sim, step_ns, end_ns);
    }
    /* Only frames that wait, and replies, are still sent. What is on its way arrives; what is still late after that is
     * lost. */
    uint64_t rings_ns = 32 * ((soak->plan->max_frame + STEP_BYTES) * soak->byte_ns + soak->plan->send_gap_ns);
    uint64_t quiet_ns =
        2 * (MAX(soak->settings->late_ns, soak->settings->slow_ns) +
             MAX(soak->settings->faults.way[DEVICE].line.latency_ns, soak->settings->faults.way[HOST].line.latency_ns) +
             rings_ns) +
        soak->plan->definition->line.byte_timeout_ns;
    uint64_t now = result->ran_ns;
    for (uint64_t until = now + quiet_ns, most = now + DRAIN_MOST * (end_ns + quiet_ns); now < until && now < most;) {
        step(sim, now += step_ns);
        (void)note(sim);
        settle(sim);
        if (!zgi_soak_is_idle(soak))
            until = now + quiet_ns;
    }
}

static void balance(const struct zgi_sim *sim)
{
    struct zg_soak_result *result = sim->soak.result;
    const struct zgi_erased *one = &sim->erased[DEVICE], *other = &sim->erased[HOST];
    const struct zg_ledger_sums *sums = &result->sums;
    const struct zg_counters *device = &result->counters[DEVICE], *host = &result->counters[HOST];
    uint64_t passed = 0, detected = 0;

    for (unsigned end = 0; end < 2; end++)
        for (unsigned i = 0; i < ZG_CLASSES; i++)
            *(i == ZG_CLASS_DETECTED ? &detected : &passed) += sums->arrivals[end][i];
    const uint64_t sent = zgi_soak_balance_entries(result, "frames in the ledger");
    zgi_soak_balance(result, "frames in the ledger and from faults", sent + result->injected,
                     "frames that both links sent",
                     (uint64_t)device->frames_out + host->frames_out + one->frames + other->frames);
    zgi_soak_balance(result, "arrivals that passed the check", passed, "frames that both links accepted",
                     (uint64_t)device->frames_in + host->frames_in);
    zgi_soak_balance(result, "arrivals found damaged", detected, "candidates that both links failed",
                     zgi_candidates_failed(device) + zgi_candidates_failed(host));
    zgi_soak_balance(result, "bytes that both links received", (uint64_t)device->bytes_in + host->bytes_in,
                     "the sum of what they were",
                     zgi_bytes_accounted(sim->soak.ends[DEVICE].node) + zgi_bytes_accounted(sim->soak.ends[HOST].node) +
                         one->accounted + other->accounted);
    zgi_soak_balance(result, "bytes that both links sent", (uint64_t)device->bytes_out + host->bytes_out,
                     "bytes that the line carried",
                     result->line[DEVICE].sent + result->line[HOST].sent + one->to_send + other->to_send);
    zgi_soak_balance(result, "carried, after drops and additions",
                     zgi_bytes_passed(&result->line[DEVICE]) + zgi_bytes_passed(&result->line[HOST]),
                     "bytes received and dropped by full rings",
                     (uint64_t)device->bytes_in + device->bytes_dropped + host->bytes_in + host->bytes_dropped +
                         one->received + other->received + result->overrun[DEVICE] + result->overrun[HOST]);
}

static void end(struct zgi_sim *sim)
{
    struct zgi_soak *soak = &sim->soak;
    struct zg_soak_result *result = soak->result;

    zg_ledger_close(soak->ledger);
    zgi_soak_close_stretches(soak);
    zgi_soak_close_journal(soak->journal, result);
    for (unsigned i = 0; i < 2; i++) {
        result->counters[i] = zgi_soak_counters(soak, i);
        result->overrun[i] = zg_sim_overrun(sim->line, i);
        result->line[i] = *zg_sim_totals(sim->line, i);
        zg_ledger_other(soak->ledger, i == HOST, ZG_CLASS_DETECTED, zgi_candidates_failed(&result->counters[i]));
        zg_ledger_other(soak->ledger, i == HOST, ZG_CLASS_ACCEPTED, result->counters[i].not_for_us); /* none was sent */
    }
    result->sums = *zg_ledger_sums(soak->ledger);
    balance(sim);
    zgi_soak_clear(soak);
    zg_sim_line_free(sim->line);
}

struct zg_soak_result *zg_soak_run(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                                   zg_soak_progress progress, void *data, GError **error)
{
    struct zgi_sim sim = { .line = NULL };

    if (!zgi_soak_begin(&sim.soak, plan, settings, error))
        return NULL;
    begin(&sim);
    run(&sim, progress, data);
    end(&sim);
    return sim.soak.result;
}
