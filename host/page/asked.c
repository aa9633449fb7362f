/* SPDX-License-Identifier: MIT */
/* What viewers ask for. */
#include <string.h>

#include "codec/from_json.h"
#include "codec/read_json.h"
#include "node/variables.h"
#include "page/parts.h"
#include "plan/end.h"
#include "zeugma/error.h"

enum { FOLLOWED_MOST = 32, SPANS_MOST = 50000, TYPED_MOST = 100, OPEN_MOST = 1000 };

struct ask {
    struct zg_live *live;
    const struct zgi_live_device *to; /* the device that it is about */
    unsigned viewer, device;
    const struct zg_json_node *object;
    gint64 number;
};

static const char *text_of(const struct ask *ask, const char *key)
{
    return zg_json_string_or(zg_json_member(ask->object, key), "");
}

void zgi_live_answer(struct zg_live *live, unsigned viewer, gint64 number, bool good, const char *text)
{
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "kind", "answer");
    zg_json_signed(&json, "asked", number);
    zg_json_bool(&json, "good", good);
    g_autofree char *valid = g_utf8_make_valid(text, -1);
    zg_json_string(&json, "text", valid);
    zg_json_close(&json, '}');
    g_autofree char *told = zg_json_end(&json);
    zg_page_server_tell(live->server, viewer, told);
}

static void answer(const struct ask *ask, bool good, const char *text)
{
    zgi_live_answer(ask->live, ask->viewer, ask->number, good, text);
}

/* --- values over time */

static struct zgi_followed *followed_of(const struct zg_live *live, const char *name)
{
    for (guint i = 0; i < live->followed->len; i++)
        if (strcmp(((struct zgi_followed *)live->followed->pdata[i])->name, name) == 0)
            return live->followed->pdata[i];
    const struct zg_series *series = zg_plotted_series(live->plotted, name);
    struct zgi_followed *followed = g_new0(struct zgi_followed, 1);
    followed->name = g_strdup(name);
    followed->viewers = g_array_new(FALSE, FALSE, sizeof(unsigned));
    if (series) { /* what there is already is asked for by itself */
        g_autoptr(GArray) spans = zg_series_read(series, 0, UINT64_MAX - 1, 1);
        if (spans->len > 0)
            followed->told_ns = g_array_index(spans, struct zg_series_span, spans->len - 1).to_ns;
    }
    g_ptr_array_add(live->followed, followed);
    return followed;
}

static void unfollow(const struct zg_live *live, unsigned viewer)
{
    for (guint i = live->followed->len; i > 0; i--) {
        const struct zgi_followed *followed = live->followed->pdata[i - 1];
        for (guint k = followed->viewers->len; k > 0; k--)
            if (g_array_index(followed->viewers, unsigned, k - 1) == viewer)
                g_array_remove_index(followed->viewers, k - 1);
        if (followed->viewers->len == 0)
            g_ptr_array_remove_index(live->followed, i - 1);
    }
}

void zgi_live_forget(struct zg_live *live, unsigned viewer)
{
    unfollow(live, viewer);
    for (guint i = live->open->len; i > 0; i--)
        if (g_array_index(live->open, struct zgi_open, i - 1).viewer == viewer)
            g_array_remove_index(live->open, i - 1);
}

static void follow(const struct ask *ask)
{
    const struct zg_json_node *names = zg_json_member(ask->object, "names");
    const struct zg_json_node *each = names && names->kind == ZG_JSON_LIST ? names->members : NULL;

    unfollow(ask->live, ask->viewer);
    for (guint i = 0; each && i < FOLLOWED_MOST; each = each->next, i++) {
        const char *name = zg_json_string_or(each, NULL);
        if (name)
            g_array_append_val(followed_of(ask->live, name)->viewers, ask->viewer);
    }
}

static void show_series(const struct ask *ask)
{
    const double from = zg_json_double_or(zg_json_member(ask->object, "from"), 0),
                 to = zg_json_double_or(zg_json_member(ask->object, "to"), 1e9);
    const int64_t most = zg_json_whole_or(zg_json_member(ask->object, "most"), SPANS_MOST);
    g_autofree char *told =
        zgi_live_series(ask->live, text_of(ask, "name"), ask->number, from, to, (guint)CLAMP(most, 10, SPANS_MOST));

    zg_page_server_tell(ask->live->server, ask->viewer, told);
}

/* --- sending */

/* The device that is spoken to, which is followed from now on; 0 if the line is not shared. */
static zg_header_number peer_of(const struct ask *ask)
{
    const int64_t to = zg_json_whole_or(zg_json_member(ask->object, "to"), ask->live->settings.to);
    const zg_header_number peer = (zg_header_number)CLAMP(to, 0, G_MAXUINT32);

    (void)zg_node_follow(zg_session_node(ask->to->session), peer);
    return peer;
}

/* What was sent, with this result, is open until it is settled. */
static void note_sent(const struct ask *ask, int error, const struct zgi_open *open, bool waits)
{
    if (error != 0) {
        answer(ask, false,
               error == ZG_EROOM   ? "the line has no room now: try again"
               : error == ZG_ESIZE ? "it is longer than max_payload"
                                   : "it needs the address of a device");
        return;
    }
    if (!waits || ask->live->open->len >= OPEN_MOST) {
        answer(ask, true, "sent");
        return;
    }
    g_array_append_vals(ask->live->open, open, 1);
}

static void send_message(const struct ask *ask)
{
    const struct zg_plan_message *message = zg_plan_by_name(ask->to->watched.viewed->plan, text_of(ask, "message"));
    g_autoptr(GError) error = NULL;

    if (!message || !(message->message->from & ZG_SIDE_HOST) || message->message->is_reply ||
        message->message->service) {
        answer(ask, false, "the host sends no such message");
        return;
    }
    struct zg_value *values = zg_values_new(&message->payload);
    if (!zg_values_from_json(message, text_of(ask, "fields"), values, &error)) {
        answer(ask, false, error->message);
    } else {
        struct zgi_open open = {
            .viewer = ask->viewer, .device = ask->device, .number = ask->number, .message = message, .to = peer_of(ask)
        };
        const int result = zg_node_send(zg_session_node(ask->to->session), open.to, message, values, &open.ticket);
        note_sent(ask, result, &open, message->tickets > 0 || message->message->ticketless);
    }
    zg_values_free(&message->payload, values);
}

static const struct zg_plan_variable *variable_of(const struct ask *ask)
{
    const struct zg_plan *plan = ask->to->watched.viewed->plan;

    for (unsigned i = 0; zg_definition_serves(plan->definition, ZG_SERVICE_VARIABLES) && i < plan->variables->len; i++)
        if (strcmp(zg_variable_field(zg_plan_variable_at(plan, i)->variable)->name, text_of(ask, "name")) == 0)
            return zg_plan_variable_at(plan, i);
    return NULL;
}

/* Reads a variable, or with a value writes it. */
static void ask_variable(const struct ask *ask)
{
    const struct zg_plan_variable *variable = variable_of(ask);
    const bool writes = zg_json_member(ask->object, "value") != NULL;
    g_autoptr(GError) error = NULL;

    if (!variable) {
        answer(ask, false, "there is no such variable");
        return;
    }
    struct zg_value *value = zg_values_new(&variable->block);
    if (writes && !zg_variable_from_json(variable, text_of(ask, "value"), value, &error)) {
        answer(ask, false, error->message);
    } else {
        struct zgi_open open = { .viewer = ask->viewer,
                                 .device = ask->device,
                                 .number = ask->number,
                                 .variable = variable,
                                 .to = peer_of(ask) };
        const int result = zg_variable_ask(zg_session_node(ask->to->session), open.to, ask->to->watched.viewed->plan,
                                           variable, writes ? value : NULL, &open.ticket);
        note_sent(ask, result, &open, true);
    }
    zg_values_free(&variable->block, value);
}

static void type(const struct ask *ask)
{
    struct zg_live *live = ask->live;

    if (!zg_plan_has_console(ask->to->watched.viewed->plan)) {
        answer(ask, false, "the definition has no console");
        return;
    }
    if (live->typed.length >= TYPED_MOST) {
        answer(ask, false, "the device does not take what was typed before");
        return;
    }
    struct zgi_typed *typed = g_new0(struct zgi_typed, 1);
    typed->text = g_strdup(text_of(ask, "text"));
    typed->device = ask->device;
    typed->to = peer_of(ask);
    g_queue_push_tail(&live->typed, typed);
    answer(ask, true, "sent");
}

void zgi_live_type(struct zg_live *live)
{
    struct zgi_typed *typed = g_queue_peek_head(&live->typed);

    if (!typed)
        return;
    const size_t left = strlen(typed->text + typed->sent);
    struct zg_node *node = zg_session_node(live->devices[typed->device].session);
    typed->sent += left > 0 ? zg_node_print(node, typed->to, typed->text + typed->sent, left) : 0;
    if (typed->text[typed->sent] != '\0')
        return;
    (void)g_queue_pop_head(&live->typed);
    g_free(typed->text);
    g_free(typed);
}

void zgi_live_ask(struct zg_live *live, unsigned viewer, const char *text)
{
    static const struct {
        const char *name;
        void (*call)(const struct ask *ask);
        bool sends;
    } kinds[] = { { "follow", follow, false },
                  { "series", show_series, false },
                  { "send", send_message, true },
                  { "variable", ask_variable, true },
                  { "console", type, true } };
    g_autoptr(zg_json_node) object = zg_json_read_object(text, NULL);

    if (!object) {
        zgi_live_answer(live, viewer, 0, false, "not a JSON object");
        return;
    }
    struct ask ask = { .live = live, .viewer = viewer, .object = object };
    const int64_t device = zg_json_whole_or(zg_json_member(object, "device"), 0);
    ask.number = zg_json_whole_or(zg_json_member(object, "number"), 0);
    ask.device = (unsigned)CLAMP(device, 0, (gint64)live->settings.count - 1);
    ask.to = &live->devices[ask.device];
    for (gsize i = 0; i < G_N_ELEMENTS(kinds); i++) {
        if (strcmp(text_of(&ask, "ask"), kinds[i].name) != 0)
            continue;
        if (kinds[i].sends && !live->settings.answers)
            answer(&ask, false, "nothing is sent: watch was started without --answer");
        else
            kinds[i].call(&ask);
        return;
    }
    answer(&ask, false, "nothing of that kind can be asked for");
}
