/* SPDX-License-Identifier: MIT */
/* The soak of a real link, in real time. */
#include <string.h>

#include "codec/as_text.h"
#include "plan/fingerprint.h"
#include "sim/packets.h"
#include "soak/arrivals.h"
#include "soak/listening.h"
#include "soak/live.h"
#include "soak/proof.h"

enum {
    HELD_BACK_US = 250000, /* bytes, by the operating system */
    OUTAGE_NS = 100000000  /* nothing comes for that longer than a slow answer, or three frames, take */
};

/* The device says who it is: again after a restart. */
/* Its name, and its boot number if that is new. */
static void note_identity(const struct zgi_live *live, const struct zg_value *values, uint16_t boot)
{
    enum { NAME = 6 };
    struct zg_soak_result *result = live->soak.result;
    g_autoptr(GString) name = g_string_new(NULL);
    unsigned known = 0;

    zg_value_to_text(zg_block_step(&live->hello->payload, NAME), &values[NAME], name);
    if (name->len >= 2 && name->str[0] == '"') { /* text is written in quotation marks */
        g_string_truncate(name, name->len - 1);
        g_string_erase(name, 0, 1);
    }
    g_strlcpy(result->device, name->str, sizeof result->device);
    while (known < ZG_SOAK_RESTARTS && result->boots[known] != 0 && result->boots[known] != boot)
        known++;
    if (known < ZG_SOAK_RESTARTS)
        result->boots[known] = boot;
}

static void note_hello(struct zgi_live *live, const struct zg_value *values)
{
    struct zg_soak_result *result = live->soak.result;
    const uint16_t boot = (uint16_t)values[4].raw.u;

    result->fingerprint = (uint32_t)values[2].raw.u;
    result->same_definition = result->fingerprint == zg_fingerprint(live->soak.plan);
    note_identity(live, values, boot);
    if (live->boot != 0 && boot != live->boot && !live->restarted) {
        live->restarted = true;
        live->last_answer_ns =
            live->soak.silent_from_ns > live->followed_ns ? live->soak.silent_from_ns : live->soak.answered_ns;
    }
    live->boot = boot;
}

static void take_own(struct zgi_soak *soak, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zgi_live *live = (struct zgi_live *)(void *)soak;
    struct zg_header header = frame->header;
    size_t ignored;

    const struct zg_plan_message *message = zg_plan_heard(soak->plan, ZG_SIDE_DEVICE, &frame->header, payload, length);

    soak->result->own++;
    if (message != live->reply && message != live->hello && message != live->traffic_report &&
        message != live->traffic_damage)
        return;
    struct zg_value *values = zg_values_new(&message->payload);
    if (zg_payload_unpack(message, payload, length, &header, values, &ignored)) {
        if (message == live->reply)
            zgi_live_note_counters(live, frame, payload, length, values);
        else if (message == live->traffic_report)
            zgi_live_note_report(live, values);
        else if (message == live->traffic_damage)
            zgi_live_note_damage(live, values);
        else
            note_hello(live, values);
    }
    zg_values_free(&message->payload, values);
}

/* Makes the device follow our sequence numbers from their beginning, not from where an earlier program left them. */
static void announce(struct zgi_live *live)
{
    const uint16_t boot = (uint16_t)(1 + g_get_real_time() / 1000 % UINT16_MAX);

    live->asked += zg_node_announce(live->soak.ends[HOST].node, boot) == 0;
}

/* --- the run */

/* Whether another echo may be sent. One whose answer is slow no longer counts as open. */
static bool may_open(struct zgi_live *live)
{
    const struct zg_ledger *ledger = live->soak.ledger;
    uint32_t next = zg_ledger_next(ledger, ZG_FLOW_ECHO_OUT);

    for (; live->oldest != next; live->oldest++) {
        const struct zg_ledger_entry *entry = zg_ledger_find(ledger, ZG_FLOW_ECHO_OUT, live->oldest);
        if (entry && !entry->arrived && live->soak.now_ns - entry->sent_ns <= live->soak.settings->slow_ns)
            break;
    }
    const unsigned most = live->soak.settings->open, usual = live->soak.plan->turn_ns > 0 ? 1 : 16;
    return next - live->oldest < (most > 0 ? most : usual);
}

/* Sends the echoes that are due. Those held back, because too many are open or the ring is full, are made up for as
 * soon as they may be: how late they are is part of what is measured. */
static void send_due(struct zgi_live *live)
{
    struct zgi_soak *soak = &live->soak;
    double *due_ns = &soak->due_ns[ZG_FLOW_ECHO_OUT];
    double now_ns = (double)soak->now_ns, before_ns = -1;

    while (*due_ns <= now_ns && *due_ns > before_ns && may_open(live)) {
        before_ns = *due_ns;
        zgi_soak_send_due(soak, ZG_FLOW_ECHO_OUT, zgi_live_share(live), 1);
    }
}

/* Sends what is due of all flows, and asks for a report often, so that a restart leaves little unknown. */
static void send_all(struct zgi_live *live)
{
    struct zgi_soak *soak = &live->soak;

    if (soak->result->traffic & ZG_SOAK_ECHO)
        send_due(live);
    if (soak->result->streams[HOST])
        zgi_soak_send_due(soak, ZG_FLOW_STREAM_OUT, zgi_live_share(live), UINT_MAX);
    if ((soak->result->traffic & ZG_SOAK_STREAM) && soak->now_ns >= live->report_due_ns &&
        zgi_live_ask_traffic(live, 0, 0))
        live->report_due_ns = soak->now_ns + MAX(ZGI_LIVE_SECOND_NS / 4, 100 * soak->plan->max_frame * soak->byte_ns);
}

/* Whether every echo was answered. */
static bool all_came(const struct zgi_live *live)
{
    const struct zg_ledger_sums *sums = zg_ledger_sums(live->soak.ledger);
    const bool loops = live->soak.result->traffic == ZG_SOAK_LOOPBACK;
    const uint64_t *came = sums->entries[loops ? ZG_FLOW_STREAM_OUT : ZG_FLOW_ECHO_BACK];

    return sums->sent[loops ? ZG_FLOW_STREAM_OUT : ZG_FLOW_ECHO_OUT] ==
           came[ZG_CLASS_DELIVERED] + came[ZG_CLASS_LATE] + came[ZG_CLASS_OUT_OF_ORDER];
}

/* The time since echoes began, in words. */
static char *time_of(const struct zgi_live *live, uint64_t ns)
{
    return g_strdup_printf("%.3f s", (double)(ns - MIN(ns, live->begin_ns)) * 1e-9);
}

/* The link broke, or the device fell silent: what was measured is kept. */
static void note_end(struct zgi_live *live)
{
    g_autofree char *now = time_of(live, live->soak.now_ns), *heard = time_of(live, live->heard_ns);

    if (live->error->domain == ZG_SOAK_ERROR)
        g_snprintf(live->soak.result->ended, sizeof live->soak.result->ended,
                   "the device no longer answers; its last byte came at %s", heard);
    else
        g_snprintf(live->soak.result->ended, sizeof live->soak.result->ended, "at %s: %s", now, live->error->message);
    g_clear_error(&live->error);
}

/* The device restarted: open echoes are lost with it, and its counters start from 0. */
static void follow_restart(struct zgi_live *live)
{
    struct zgi_soak *soak = &live->soak;
    const uint64_t from_ns = live->last_answer_ns - MIN(live->last_answer_ns, soak->settings->slow_ns);

    zgi_live_note_restart(live, true);
    announce(live);
    (void)zgi_live_read_counters(live, &live->readings[0]);
    zg_ledger_close_since(soak->ledger, from_ns, ZG_CLASS_LOST_RESTART, ZG_CLASS_LOST_EITHER);
    zgi_live_close_streams(live, ZG_CLASS_CUT_OFF);
    (void)zgi_live_begin_streams(live);
    live->oldest = zg_ledger_next(soak->ledger, ZG_FLOW_ECHO_OUT);
    live->restarted = soak->placed = false;
    live->followed_ns = soak->now_ns;
}

/* A turn of the loop, after what was due was sent. True ten times a second. */
static bool turn(struct zgi_live *live)
{
    struct zgi_soak *soak = &live->soak;
    const struct zg_sim_totals *line[2] = { &live->back.totals, &live->out.totals };
    const uint64_t before_ns = soak->now_ns;

    zgi_live_pump(live, before_ns + ZGI_LIVE_STEP_NS, NULL, 0);
    if (soak->now_ns - before_ns >
        ZGI_LIVE_HELD_UP_NS) /* whatever took its time: the system, or those who asked to be called */
        zg_journal_held(soak->journal, before_ns, soak->now_ns);
    if (live->restarted && !live->error)
        follow_restart(live);
    return zgi_soak_note(soak, line);
}

static void run(struct zgi_live *live, zg_soak_progress progress, void *data)
{
    struct zgi_soak *soak = &live->soak;
    struct zg_soak_result *result = soak->result;
    uint64_t begin_ns = soak->now_ns, length_ns = soak->settings->duration_ns;

    result->real = true;
    result->poll_ns = ZGI_LIVE_STEP_NS;
    live->begin_ns = live->heard_ns = begin_ns;
    live->silent_ns = 0;
    const double three_ns = 3 * zg_soak_frame_ns(soak->plan, soak->settings) / zgi_live_share(live);
    live->outage_ns =
        soak->listening ? UINT64_MAX : MAX(soak->settings->slow_ns, (uint64_t)three_ns) + (uint64_t)OUTAGE_NS;
    soak->due_ns[ZG_FLOW_ECHO_OUT] = soak->due_ns[ZG_FLOW_STREAM_OUT] = (double)begin_ns;
    live->report_due_ns = begin_ns;
    zg_journal_begin(soak->journal, begin_ns, soak->settings->first_second, result->traffic != ZG_SOAK_LOOPBACK);
    while (result->ran_ns < length_ns && zgi_soak_goes_on(result) && !live->error) {
        send_all(live);
        const bool is_time = turn(live);
        result->ran_ns = MIN(soak->now_ns - begin_ns, length_ns);
        if (is_time && progress)
            result->stopped = !progress((double)result->ran_ns / (double)length_ns, result, data);
    }
    /* What is on its way arrives; what is still late after that is lost. */
    const uint64_t until_ns = soak->now_ns + 3 * soak->settings->slow_ns + soak->plan->definition->line.byte_timeout_ns;
    while (soak->now_ns < until_ns && !all_came(live) && !live->error && !soak->listening) {
        (void)turn(live);
    }
    live->outage_ns = UINT64_MAX; /* from here on the device sends when it is asked */
}

/* What is wanted, or what the device has. */
static bool choose_traffic(struct zgi_live *live, GError **error)
{
    const struct zg_definition *definition = live->soak.plan->definition;
    const struct zg_soak_settings *settings = live->soak.settings;
    const unsigned has = (zg_definition_serves(definition, ZG_SERVICE_ECHO) ? ZG_SOAK_ECHO : 0U) |
                         (zg_definition_serves(definition, ZG_SERVICE_TRAFFIC) ? ZG_SOAK_STREAM : 0U);
    const bool is_numbered = live->soak.plan->sequence_bits > 0;
    const unsigned wanted = settings->traffic ? settings->traffic : has == 0 && is_numbered ? ZG_SOAK_LISTEN : has;
    struct zg_soak_result *result = live->soak.result;

    if (wanted == ZG_SOAK_LOOPBACK) {
        result->traffic = wanted;
        result->streams[HOST] = true;
        return true;
    }
    if (wanted == ZG_SOAK_LISTEN && !is_numbered) {
        g_set_error(error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_PLAN,
                    "listening needs numbers by which losses are found: the header has no sequence");
        return false;
    }
    if (wanted == ZG_SOAK_LISTEN) {
        result->traffic = wanted;
        live->soak.listening = zgi_listening_new(live->soak.ledger, live->soak.plan->sequence_bits);
        return true;
    }
    if (wanted == 0 || (wanted & ~has) != 0 || !zg_definition_serves(definition, ZG_SERVICE_COUNTERS)) {
        g_set_error(error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_PLAN,
                    "the soak of a real link needs a device that answers: add `services: [%s, counters]` to the "
                    "definition, and build the device from it",
                    wanted & ZG_SOAK_STREAM ? wanted & ZG_SOAK_ECHO ? "echo, traffic" : "traffic" : "echo");
        return false;
    }
    result->traffic = wanted;
    result->streams[DEVICE] = (wanted & ZG_SOAK_STREAM) && (settings->way & ZG_TRAFFIC_DEVICE_SENDS);
    result->streams[HOST] = (wanted & ZG_SOAK_STREAM) && (settings->way & ZG_TRAFFIC_HOST_SENDS);
    live->soak.streams_back = live->soak.awaits_stream = result->streams[DEVICE];
    return true;
}

/* The ids must be those of the services, because the device's own code answers. */
static bool find_services(struct zgi_live *live, GError **error)
{
    struct zgi_soak *soak = &live->soak;
    const struct zg_plan_message *echo = zg_plan_by_name(soak->plan, "echo_request");
    const struct zg_plan_message *back = zg_plan_by_name(soak->plan, "echo_reply");

    live->request = zg_plan_by_name(soak->plan, "counters_request");
    live->reply = zg_plan_by_name(soak->plan, "counters");
    if (zg_definition_serves(soak->plan->definition, ZG_SERVICE_HELLO))
        live->hello = zg_plan_by_name(soak->plan, "hello");
    if (!choose_traffic(live, error))
        return false;
    if (soak->result->traffic & ZG_SOAK_ECHO) {
        soak->ids.echo_request = (uint32_t)echo->message->id;
        soak->ids.echo_reply = (uint32_t)back->message->id;
    }
    if (soak->result->traffic & ZG_SOAK_STREAM) {
        live->traffic_request = zg_plan_by_name(soak->plan, "traffic_request");
        live->traffic_report = zg_plan_by_name(soak->plan, "traffic_report");
        live->traffic_damage = zg_plan_by_name(soak->plan, "traffic_damage");
        soak->ids.stream = (uint32_t)zg_plan_by_name(soak->plan, "traffic")->message->id;
    }
    return true;
}

/* Bytes that this end has sent or will send. */
static uint64_t sent_by_host(struct zgi_end *end)
{
    const struct zgi_live *live = (struct zgi_live *)(void *)end->soak; /* its first member */
    return live->out.totals.sent + zg_ring_used(&zg_node_link(end->node)->transmit);
}

static void touched_out(void *data, uint64_t place, unsigned touches)
{
    const struct zg_soak_watch *watch = data;
    watch->touched(watch->data, HOST, place, touches);
}

static void touched_back(void *data, uint64_t place, unsigned touches)
{
    const struct zg_soak_watch *watch = data;
    watch->touched(watch->data, DEVICE, place, touches);
}

/* What is to happen to the bytes of both ways here, or to the packets. */
static void begin_faults(struct zgi_live *live)
{
    const struct zg_soak_settings *settings = live->soak.settings;
    const struct zg_sim_faults *out = &settings->faults.way[HOST].line, *back = &settings->faults.way[DEVICE].line;
    const uint64_t chance = zg_soak_chance(settings);

    live->out = zg_damage_seeded(out, chance, HOST);
    live->back = zg_damage_seeded(back, chance, DEVICE);
    live->out.data_bits = live->back.data_bits = zg_line_data_bits(&live->soak.plan->definition->line);
    if (live->soak.plan->packets) {
        live->out_packets = zg_packets_new(out, chance, HOST, &live->out);
        live->back_packets = zg_packets_new(back, chance, DEVICE, &live->back);
    }
}

static bool begin(struct zgi_live *live, struct zg_wire *wire, GError **error)
{
    struct zgi_soak *soak = &live->soak;
    const struct zg_soak_settings *settings = soak->settings;
    struct zgi_end *host = &soak->ends[HOST];

    live->to_write = g_byte_array_new();
    if (!find_services(live, error))
        return false;
    live->wire = wire;
    soak->now_ns = live->read_ns = zg_wire_now_ns(wire);
    live->outage_ns = UINT64_MAX;
    begin_faults(live);
    soak->take_own = take_own;
    soak->take = soak->listening                             ? zgi_take_listening
                 : soak->result->traffic == ZG_SOAK_LOOPBACK ? zgi_take_loopback
                                                             : zgi_take_from_device;
    soak->sent = sent_by_host;
    if (settings->watch) {
        live->out.touched = touched_out;
        live->back.touched = touched_back;
        live->out.data = live->back.data = (void *)settings->watch;
    }
    soak->byte_ns = zg_line_byte_ns(&soak->plan->definition->line);
    if (settings->baud > 0)
        soak->byte_ns = soak->byte_ns * soak->plan->definition->line.baud / settings->baud;
    host->node =
        zg_node_new(soak->plan, 0, (size_t)8 * soak->plan->max_frame, &zgi_live_port, live, &zgi_soak_node_calls, host);
    if (host->came && soak->result->streams[HOST]) { /* the device may tell of damage */
        host->went = zgi_tape_new();
        host->ends = g_new0(uint64_t, ZGI_SOAK_WINDOW);
    }
    zg_link_set_addresses(zg_node_link(host->node), 0,
                          soak->result->traffic == ZG_SOAK_LOOPBACK ? 0 : (zg_header_number)settings->to);
    zg_node_allow_silence(host->node, HELD_BACK_US);
    return true;
}

static struct zg_soak_result *run_on(struct zg_wire *wire, const struct zg_plan *plan,
                                     const struct zg_soak_settings *settings, zg_soak_progress progress, void *data,
                                     GError **error)
{
    struct zgi_live live = { .wire = NULL };
    struct zg_soak_result *result = NULL;

    if (!zgi_soak_begin(&live.soak, plan, settings, error))
        return NULL;
    if (begin(&live, wire, error)) {
        const bool alone = live.soak.listening != NULL || live.soak.result->traffic == ZG_SOAK_LOOPBACK;
        if (!alone)
            announce(&live);
        else
            live.damaging = true;
        if (alone || (zgi_live_read_counters(&live, &live.readings[0]) && zgi_live_begin_streams(&live))) {
            run(&live, progress, data);
            live.soak.result->device_counted =
                !alone && zgi_live_end_streams(&live) && zgi_live_read_counters(&live, &live.readings[1]);
            if (live.error)
                note_end(&live);
            zgi_live_end(&live);
        }
        if (live.error)
            g_propagate_error(error, live.error);
        else
            result = g_steal_pointer(&live.soak.result);
    }
    g_byte_array_unref(live.to_write);
    zg_packets_free(live.out_packets);
    zg_packets_free(live.back_packets);
    zgi_soak_clear(&live.soak);
    g_free(live.soak.result);
    return result;
}

/* Whether the definition can be soaked so, before anything is opened. */
static bool suits(const struct zg_plan *plan, const struct zg_soak_settings *settings, GError **error)
{
    struct zg_soak_settings without = *settings;
    struct zgi_live live = { .wire = NULL };

    without.journal = NULL;
    if (!zgi_soak_begin(&live.soak, plan, &without, error))
        return false;
    const bool fine = find_services(&live, error);
    zgi_soak_clear(&live.soak);
    g_free(live.soak.result);
    return fine;
}

/* The port stays open for both, because opening one may reset the device. */
static struct zg_soak_result *warm_up_and_run(struct zg_wire *wire, const struct zg_plan *plan,
                                              const struct zg_soak_settings *settings, zg_soak_progress progress,
                                              void *data, GError **error)
{
    struct zg_soak_settings before = *settings;

    before.duration_ns = settings->warm_up_ns;
    before.journal = NULL;
    before.until = NULL;
    before.stop_on = 0;
    struct zg_soak_proof proof = { .sent = 0 };

    if (settings->prove) {
        struct zgi_proof *proving = zgi_proof_new();
        const struct zg_soak_settings harmful = zgi_proof_settings(proving, plan, settings);
        g_autofree struct zg_soak_result *proved = run_on(wire, plan, &harmful, progress, data, error);
        proof = zgi_proof_end(proving, proved);
        if (!proved || proved->stopped || proved->ended[0] != '\0')
            return g_steal_pointer(&proved);
    }
    if (settings->warm_up_ns > 0) {
        g_autofree struct zg_soak_result *warm = run_on(wire, plan, &before, progress, data, error);
        if (!warm || warm->stopped || warm->ended[0] != '\0')
            return g_steal_pointer(&warm);
    }
    struct zg_soak_result *result = run_on(wire, plan, settings, progress, data, error);
    if (result && settings->prove) {
        result->proof = proof;
        result->adds_up = result->adds_up && proof.holds;
    }
    return result;
}

struct zg_soak_result *zg_soak_run_live(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                                        zg_soak_progress progress, void *data, GError **error)
{
    const struct zg_wire_settings opening = { .plan = plan, .capture = settings->capture };
    struct zg_wire *wire = suits(plan, settings, error) ? zg_wire_open(settings->link, &opening, error) : NULL;

    if (!wire)
        return NULL;
    struct zg_soak_result *result = warm_up_and_run(wire, plan, settings, progress, data, error);
    g_autoptr(GError) incomplete = NULL;
    if (!zg_wire_close(wire, &incomplete) && result && result->ended[0] == '\0') /* its capture is incomplete */
        g_snprintf(result->ended, sizeof result->ended, "at the end: %s", incomplete->message);
    return result;
}
