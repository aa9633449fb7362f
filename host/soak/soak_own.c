/* SPDX-License-Identifier: MIT */
/* The soak of a real link with the definition's own messages: the device is as it is. Messages with an answer end as
 * their tickets settle; what the device sends is told by the numbers in the headers. */
#include <string.h>

#include "node/session.h"
#include "plan/end.h"
#include "soak/ends.h"
#include "soak/listening.h"
#include "zeugma/error.h"

enum { WINDOW = 65536, TICKETS = 256, STEP_NS = 1000000, QUERY = TICKETS /* the place of a request without ticket */ };

struct own_soak {
    const struct zg_plan *plan;
    const struct zg_soak_settings *settings;
    struct zg_soak_result *result;
    struct zg_wire *wire;
    struct zg_session *session;
    struct zg_ledger *ledger;
    struct zgi_listening *listening; /* NULL: the header has no numbers */
    struct zg_random random;
    uint64_t begin_ns, now_ns;
    uint64_t frames; /* that came */
    uint64_t failed; /* candidates of what the device sent */
    bool in_damage;
    GArray *due;              /* of uint64_t: when each kind is sent next */
    unsigned turn;            /* the kind that is looked at first */
    uint32_t open[QUERY + 1]; /* the number of the message with this ticket, plus one; 0: none */
    uint32_t asked, told;     /* numbers of messages with an answer, and without one */
};

static void settled(void *data, zg_header_number peer, const struct zg_plan_message *message, uint8_t ticket,
                    const struct zg_value *values, enum zg_settled how)
{
    struct own_soak *soak = data;
    uint32_t *const open = &soak->open[message->tickets > 0 ? ticket : QUERY];
    const uint32_t number = *open - 1;

    (void)peer;
    (void)values;
    if (*open == 0)
        return;
    *open = 0;
    const struct zg_ledger_entry *entry = zg_ledger_find(soak->ledger, ZG_FLOW_ECHO_OUT, number);
    if (!entry || entry->arrived || how == ZG_SETTLED_NO_ANSWER || how == ZG_SETTLED_RESTART)
        return; /* nobody knows which way it was lost */
    zgi_note_trip(soak->result, soak->settings, ZG_FLOW_ECHO_BACK, entry, soak->now_ns);
    (void)zg_ledger_arrived(soak->ledger, ZG_FLOW_ECHO_OUT, number, soak->now_ns, UINT64_MAX);
}

static void take(void *data, const struct zg_frame *frame, const struct zg_plan_message *message,
                 const struct zg_value *values)
{
    (void)data;
    (void)frame;
    (void)message;
    (void)values;
}

static void changed(void *data, zg_header_number address, enum zg_link_event event)
{
    struct own_soak *soak = data;

    (void)address;
    if (event == ZG_LINK_RESTARTED)
        zgi_note_restart(soak->result, soak->settings->journal, soak->begin_ns, soak->now_ns, true,
                         "the device restarted");
}

/* A stretch passed: what the device sends is told by its numbers. */
static void take_stretch(void *data, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    struct own_soak *soak = data;

    if (out)
        return;
    soak->frames += stretch->kind == ZG_STRETCH_FRAME;
    if (stretch->kind == ZG_STRETCH_FRAME && soak->listening)
        soak->result->guessed += zgi_listening_take(soak->listening, &stretch->header, at_ns);
    /* Pieces with no frame between them are one damage. */
    const uint64_t failed = zgi_candidates_failed(zg_session_counters(soak->session, false));
    if (failed != soak->failed && !soak->in_damage) {
        soak->result->damages[1]++;
        zg_journal_damage(soak->settings->journal, at_ns, true);
    }
    soak->in_damage = stretch->kind != ZG_STRETCH_FRAME && (soak->in_damage || failed != soak->failed);
    soak->failed = failed;
}

static const struct zg_session_calls calls = { .stretch = take_stretch,
                                               .node = { .take = take, .settled = settled, .changed = changed } };

/* Sends what is due of a kind. What has no room now is sent later, and its lateness counts. */
static bool send_due(struct own_soak *soak, unsigned index, GError **error)
{
    struct zg_own *own = soak->settings->own;
    const struct zg_plan_message *message = zg_own_message(own, index);
    uint64_t *due_ns = &g_array_index(soak->due, uint64_t, index);
    uint8_t ticket = 0;

    if (soak->now_ns < *due_ns)
        return true;
    const struct zg_value *values = zg_own_values(own, index, &soak->random, error);
    if (!values)
        return false;
    const int sent =
        zg_node_send(zg_session_node(soak->session), (zg_header_number)soak->settings->to, message, values, &ticket);
    if (sent == ZG_EROOM)
        return true;
    if (sent != 0) {
        g_set_error(error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_PLAN, "%s: %s", message->message->name,
                    sent == ZG_ESIZE ? "it is longer than max_payload" : "it cannot be sent to this device");
        return false;
    }
    const bool is_query = zg_side_queries(ZG_SIDE_HOST, message->message),
               is_answered = message->tickets > 0 || is_query;
    const enum zg_flow flow = is_answered ? ZG_FLOW_ECHO_OUT : ZG_FLOW_STREAM_OUT;
    /* One that is sent again is answered later, which is no disorder of the line. */
    const struct zg_ledger_entry entry = { .sent_ns = soak->now_ns,
                                           .due_ns = *due_ns,
                                           .bytes = (uint32_t)zg_payload_size(message, values) };
    zg_ledger_sent(soak->ledger, flow, is_answered ? soak->asked : soak->told, &entry);
    if (is_answered)
        soak->open[is_query ? QUERY : ticket] = ++soak->asked;
    else
        soak->told++;
    *due_ns += zg_own_period_ns(own, index);
    return true;
}

static bool step(struct own_soak *soak, GError **error)
{
    const bool fine = zg_session_step(soak->session, -1, STEP_NS, error);

    soak->now_ns = zg_wire_now_ns(soak->wire);
    return fine;
}

static bool run(struct own_soak *soak, zg_soak_progress progress, void *data, GError **error)
{
    struct zg_soak_result *result = soak->result;
    const uint64_t length_ns = soak->settings->duration_ns;
    uint64_t note_due_ns = 0;
    bool fine = true;

    soak->now_ns = soak->begin_ns = zg_wire_now_ns(soak->wire);
    zg_journal_begin(soak->settings->journal, soak->begin_ns, 0, true);
    for (unsigned i = 0; i < zg_own_count(soak->settings->own); i++)
        g_array_append_val(soak->due, soak->begin_ns);
    while (fine && result->ran_ns < length_ns && zgi_soak_goes_on(result)) {
        for (unsigned i = 0; i < soak->due->len && fine; i++) /* only one request without a ticket is open at a time */
            fine = send_due(soak, (soak->turn + i) % soak->due->len, error);
        soak->turn++;
        fine = fine && step(soak, error);
        result->ran_ns = MIN(soak->now_ns - soak->begin_ns, length_ns);
        if (!zgi_soak_is_time(soak->now_ns, &note_due_ns))
            continue;
        zgi_soak_settle(soak->ledger, soak->settings, result, soak->now_ns, 4 * soak->settings->slow_ns, soak->failed);
        if (progress)
            result->stopped = !progress((double)result->ran_ns / (double)length_ns, result, data);
    }
    /* What awaits its answer gets it, or is given up. */
    const uint64_t until_ns = soak->now_ns + UINT64_C(10000000000);
    while (fine && soak->now_ns < until_ns && !zg_node_is_settled(zg_session_node(soak->session)) && !result->stopped)
        fine = step(soak, error);
    return fine;
}

static void end(struct own_soak *soak)
{
    struct zg_soak_result *result = soak->result;
    struct zg_ledger_sums *sums = &result->sums;

    zg_session_end(soak->session);
    zg_ledger_close(soak->ledger);
    zgi_soak_close_journal(soak->settings->journal, result);
    *sums = *zg_ledger_sums(soak->ledger);
    /* An answer that did not come, and a message that has none: nobody knows on which way, or whether. */
    sums->entries[ZG_FLOW_ECHO_OUT][ZG_CLASS_LOST_EITHER] += sums->entries[ZG_FLOW_ECHO_OUT][ZG_CLASS_LOST_OUT];
    sums->entries[ZG_FLOW_ECHO_OUT][ZG_CLASS_LOST_OUT] = 0;
    sums->entries[ZG_FLOW_STREAM_OUT][ZG_CLASS_CUT_OFF] += sums->sent[ZG_FLOW_STREAM_OUT];
    sums->entries[ZG_FLOW_STREAM_OUT][ZG_CLASS_LOST_OUT] = 0;
    result->counters[1] = zg_node_link(zg_session_node(soak->session))->counters;
    const struct zg_counters *host = &result->counters[1];
    result->line[1].sent = host->bytes_out;
    result->line[0].sent = (uint64_t)host->bytes_in + host->bytes_dropped;
    sums->arrivals[1][ZG_CLASS_DETECTED] = zgi_candidates_failed(host);
    if (!soak->listening)
        sums->arrivals[1][ZG_CLASS_DELIVERED] = soak->frames;
    uint64_t came = 0;
    for (unsigned i = 0; i < ZG_CLASSES; i++)
        came += i == ZG_CLASS_DETECTED ? 0 : sums->arrivals[1][i];
    (void)zgi_soak_balance_entries(result, "messages in the ledger");
    if (soak->listening)
        zgi_soak_balance(result, "frames from the device", came, "frames that were read", soak->frames);
    result->any_time = result->any_time || result->stopped || soak->settings->until != NULL;
}

struct zg_soak_result *zg_soak_run_own(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                                       zg_soak_progress progress, void *data, GError **error)
{
    const struct zg_wire_settings opening = { .plan = plan, .capture = settings->capture };
    struct own_soak soak = { .plan = plan, .settings = settings, .random = zg_random_seeded(settings->seed, 40) };
    g_autoptr(GError) trouble = NULL;

    for (unsigned i = 0; i < zg_own_count(settings->own); i++) /* wrong values show before anything is sent */
        if (!zg_own_values(settings->own, i, &soak.random, error))
            return NULL;
    soak.wire = zg_wire_open(settings->link, &opening, error);
    if (!soak.wire)
        return NULL;
    soak.result = g_new0(struct zg_soak_result, 1);
    soak.result->real = soak.result->adds_up = true;
    soak.result->traffic = ZG_SOAK_OWN;
    soak.result->echo = true;
    soak.result->poll_ns = STEP_NS;
    soak.ledger = zg_ledger_new(WINDOW, settings->journal, true);
    soak.listening = plan->sequence_bits > 0 ? zgi_listening_new(soak.ledger, plan->sequence_bits) : NULL;
    soak.due = g_array_new(FALSE, FALSE, sizeof(uint64_t));
    soak.session = zg_session_new(plan, soak.wire, true, &calls, &soak);
    if (settings->to > 0)
        (void)zg_node_follow(zg_session_node(soak.session), (zg_header_number)settings->to);
    if (!run(&soak, progress, data, &trouble))
        g_snprintf(soak.result->ended, sizeof soak.result->ended, "at %.3f s: %s",
                   (double)(soak.now_ns - soak.begin_ns) * 1e-9, trouble->message);
    end(&soak);
    zg_session_free(soak.session);
    zg_ledger_free(soak.ledger);
    zgi_listening_free(soak.listening);
    g_array_unref(soak.due);
    g_autoptr(GError) incomplete = NULL;
    if (!zg_wire_close(soak.wire, &incomplete) && soak.result->ended[0] == '\0')
        g_snprintf(soak.result->ended, sizeof soak.result->ended, "at the end: %s", incomplete->message);
    return soak.result;
}
