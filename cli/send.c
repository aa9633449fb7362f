/* SPDX-License-Identifier: MIT */
#include <stdio.h>
#include <string.h>

#include "codec/describe.h"
#include "codec/frame_reader.h"
#include "codec/from_json.h"
#include "codec/payload.h"
#include "live.h"
#include "node/script.h"
#include "node/session.h"
#include "zeugma/error.h"

#define SECOND_NS UINT64_C(1000000000)

struct options {
    char *file, *wait, *after, *capture;
    gint to;
    gboolean as_json;
};

/* A message on its way. */
struct sent {
    const struct zg_script_item *item;
    uint64_t at_ns; /* when it was sent */
    uint8_t ticket;
    bool ended, answered, shown;
};

struct sending {
    const struct cli_verb *verb;
    const struct zg_plan *plan;
    struct zg_session *session;
    struct zg_wire *wire;
    GArray *sent; /* struct sent */
    unsigned open;
    bool as_json, failed, done;
    bool shows_all; /* of what arrives, for as long as it is to wait */
};

/* --- what comes back */

/* The answer of a service that has no tickets. */
static const char *plain_answer(const struct zg_message *message)
{
    if (!message->service)
        return NULL;
    return strcmp(message->name, "echo_request") == 0       ? "echo_reply"
           : strcmp(message->name, "counters_request") == 0 ? "counters"
                                                            : NULL;
}

static bool answers(const struct zg_message *request, const char *name)
{
    return zg_message_answers(request, name) != ZG_ANSWERS_NOT || g_strcmp0(plain_answer(request), name) == 0;
}

static void end(struct sending *sending, struct sent *sent)
{
    sent->ended = true;
    sending->open--;
}

/* Prints a stretch. */
static void show(const struct sending *sending, uint64_t at_ns, const struct zg_stretch *stretch)
{
    struct zg_stretch shown = *stretch;
    g_autoptr(GString) text = g_string_new(NULL);

    shown.offset = 0;
    shown.after = 0;
    if (sending->as_json) {
        zg_stretch_append_json(sending->plan, &shown, (double)at_ns / 1e9, NULL, NULL, text);
    } else {
        g_autofree char *line = zg_stretch_to_line(sending->plan, &shown);
        g_string_append(text, line);
    }
    cli_print("%s\n", text->str);
}

/* A message is printed when it is first sent. */
static void show_sent(const struct sending *sending, uint64_t at_ns, const struct zg_stretch *stretch)
{
    for (unsigned i = 0; i < sending->sent->len && stretch->kind == ZG_STRETCH_FRAME; i++) {
        struct sent *sent = &g_array_index(sending->sent, struct sent, i);
        if (sent->shown || sent->item->message != stretch->message ||
            (stretch->message->tickets > 0 && stretch->header.ticket != sent->ticket))
            continue;
        if (!sending->as_json)
            cli_print("sent: ");
        show(sending, at_ns, stretch);
        sent->shown = true;
        return;
    }
}

/* A reply is printed once. */
static void take_stretch(void *data, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    struct sending *sending = data;

    if (out) {
        show_sent(sending, at_ns, stretch);
        return;
    }
    if (sending->shows_all)
        show(sending, at_ns, stretch);
    if (stretch->kind != ZG_STRETCH_FRAME)
        return;
    for (unsigned i = 0; i < sending->sent->len; i++) {
        struct sent *sent = &g_array_index(sending->sent, struct sent, i);
        const struct zg_message *message = sent->item->message->message;
        const bool ticketed = stretch->message->tickets > 0;
        if (sent->ended || sent->answered || !answers(message, stretch->message->message->name) ||
            (ticketed && stretch->header.ticket != sent->ticket))
            continue;
        if (!sending->shows_all)
            show(sending, at_ns, stretch);
        if (message->ticketless) /* the node says when its answer is complete */
            return;
        sent->answered = true;
        if (!ticketed)
            end(sending, sent);
        return;
    }
}

static void print_end(const struct sending *sending, const struct sent *sent, const char *how)
{
    const char *name = sent->item->message->message->name;
    const double after = (double)(zg_wire_now_ns(sending->wire) - sent->at_ns) / 1e9;

    if (sending->as_json)
        cli_print("{\"sent\":\"%s\",\"result\":\"%s\",\"after\":%.6f}\n", name, how, after);
    else
        cli_print("%s: %s, after %.1f ms\n", name, how, after * 1e3);
    (void)fflush(stdout);
}

static void settled(void *data, zg_header_number peer, const struct zg_plan_message *message, uint8_t ticket,
                    const struct zg_value *values, enum zg_settled how)
{
    struct sending *sending = data;

    (void)values;
    for (unsigned i = 0; i < sending->sent->len; i++) {
        struct sent *sent = &g_array_index(sending->sent, struct sent, i);
        if (sent->ended || sent->item->message != message || sent->ticket != ticket || sent->item->to != peer)
            continue;
        if (sending->plan->gap_ns > 0) /* what settled it is complete, though the silence behind it is not over here */
            zg_session_end(sending->session);
        print_end(sending, sent, zg_settled_text(how));
        sending->failed = sending->failed || how != ZG_DELIVERED;
        end(sending, sent);
        return;
    }
}

static const struct zg_session_calls calls = { .stretch = take_stretch, .node = { .settled = settled } };

/* --- sending */

static bool step(struct sending *sending, int *status)
{
    g_autoptr(GError) error = NULL;

    if (cli_stopped())
        return false;
    if (zg_session_step(sending->session, -1, 1000000, &error))
        return true;
    *status = cli_trouble(sending->verb, error);
    return false;
}

/* Sends a message as soon as there is room for it. */
static bool send_one(struct sending *sending, const struct zg_script_item *item, uint64_t limit_ns, int *status)
{
    const uint64_t begin_ns = zg_wire_now_ns(sending->wire);
    struct sent sent = { .item = item };
    int error;

    while ((error = zg_node_send(zg_session_node(sending->session), item->to, item->message, item->values,
                                 &sent.ticket)) == ZG_EROOM) {
        if (zg_wire_now_ns(sending->wire) - begin_ns > limit_ns) {
            cli_error(sending->verb, "%s: the line had no room for it", item->message->message->name);
            *status = CLI_TROUBLE;
            return false;
        }
        if (!step(sending, status))
            return false;
    }
    if (error) {
        cli_error(sending->verb, "%s: %s", item->message->message->name,
                  error == ZG_ESIZE ? "it is longer than max_payload" : "it needs the address of a device: see --to");
        *status = CLI_NO;
        return false;
    }
    sent.at_ns = zg_wire_now_ns(sending->wire);
    sent.ended =
        item->message->tickets == 0 && !item->message->message->ticketless && !plain_answer(item->message->message);
    sending->open += !sent.ended;
    g_array_append_val(sending->sent, sent);
    return true;
}

/* Waits for answers and acknowledgements; for answers without tickets, until the limit. */
static bool await(struct sending *sending, uint64_t limit_ns, int *status)
{
    const uint64_t begin_ns = zg_wire_now_ns(sending->wire);

    while (sending->open > 0 || !zg_session_is_flushed(sending->session) ||
           (sending->shows_all && zg_wire_now_ns(sending->wire) - begin_ns < limit_ns)) {
        if (!step(sending, status))
            return false;
        for (unsigned i = 0; i < sending->sent->len; i++) {
            struct sent *sent = &g_array_index(sending->sent, struct sent, i);
            if (sent->ended || sent->item->message->tickets > 0 || sent->item->message->message->ticketless ||
                zg_wire_now_ns(sending->wire) - sent->at_ns < limit_ns)
                continue;
            print_end(sending, sent, "no answer");
            sending->failed = true;
            end(sending, sent);
        }
    }
    return true;
}

static int send_all(struct sending *sending, const GPtrArray *items, uint64_t after_ns, uint64_t limit_ns)
{
    int status = CLI_YES;
    bool going = true;

    while (going && zg_wire_now_ns(sending->wire) < after_ns)
        going = step(sending, &status);
    const uint64_t begin_ns = zg_wire_now_ns(sending->wire);
    for (unsigned i = 0; going && i < items->len; i++) {
        const struct zg_script_item *item = g_ptr_array_index(items, i);
        while (going && zg_wire_now_ns(sending->wire) - begin_ns < item->at_ns)
            going = step(sending, &status);
        going = going && send_one(sending, item, limit_ns, &status);
    }
    if (going)
        going = await(sending, limit_ns, &status);
    unsigned missing = items->len - sending->sent->len + sending->open;
    if (cli_stopped() && missing > 0)
        cli_error(sending->verb, "stopped: %u of %u messages were not sent, or not answered yet", missing, items->len);
    return status != CLI_YES ? status : sending->failed || missing > 0 ? CLI_NO : CLI_YES;
}

static int send(const struct cli_verb *verb, const struct zg_plan *plan, const char *link, GPtrArray *items,
                const struct options *options, uint64_t after_ns, uint64_t limit_ns)
{
    struct zg_wire_settings settings = { .plan = plan, .capture = options->capture };
    struct sending sending = {
        .verb = verb, .plan = plan, .as_json = options->as_json, .shows_all = options->wait != NULL
    };
    int status = cli_open(verb, link, &settings, &sending.wire);

    if (status != CLI_YES)
        return status;
    if (zg_wire_is_replay(sending.wire)) {
        cli_error(verb, "%s: a capture can only be read", link);
        return cli_close(verb, sending.wire, CLI_USAGE);
    }
    sending.sent = g_array_new(FALSE, FALSE, sizeof(struct sent));
    sending.session = zg_session_new(plan, sending.wire, true, &calls, &sending);
    for (unsigned i = 0; i < items->len; i++)
        (void)zg_node_follow(zg_session_node(sending.session),
                             ((const struct zg_script_item *)g_ptr_array_index(items, i))->to);
    status = send_all(&sending, items, after_ns, limit_ns);
    zg_session_free(sending.session);
    g_array_unref(sending.sent);
    return cli_close(verb, sending.wire, status);
}

/* --- the command line */

/* The one message given on the command line. */
static GPtrArray *one_message(const struct cli_verb *verb, const struct zg_plan *plan, const char *name,
                              const char *text)
{
    const struct zg_plan_message *message = cli_message(verb, plan, name);
    g_autoptr(GError) error = NULL;

    if (!message)
        return NULL;
    if (!(message->message->from & ZG_SIDE_HOST) || message->message->is_reply) {
        cli_error(verb, "%s is sent by the device%s, not by the host", name,
                  message->message->is_reply ? ", or answers a request" : "");
        return NULL;
    }
    g_autoptr(GPtrArray) items = zg_script_new();
    if (zg_values_from_json(message, text, zg_script_add(items, message)->values, &error))
        return g_steal_pointer(&items);
    cli_error(verb, "%s", error->message);
    return NULL;
}

static GPtrArray *read_script(const struct cli_verb *verb, const struct zg_plan *plan, const char *file, int *status)
{
    g_autoptr(GError) error = NULL;
    unsigned skipped;
    GPtrArray *items = zg_script_load(plan, file, &skipped, &error);

    if (!items) {
        cli_error(verb, "%s", error->message);
        *status = error->domain == G_FILE_ERROR ? CLI_TROUBLE : CLI_NO;
    } else if (skipped > 0) {
        cli_error(verb, "%s: %u lines are no messages that the host sends, and were skipped", file, skipped);
    }
    return items;
}

/* Whether each message has an address, if the line is shared. */
static bool are_addressed(const struct cli_verb *verb, const struct zg_plan *plan, const GPtrArray *items)
{
    const unsigned everybody = zg_plan_everybody(plan);
    const unsigned most = plan->destination_bits > 0 ? UINT32_MAX >> (32 - plan->destination_bits) : 0;

    for (unsigned i = 0; i < items->len; i++) {
        const struct zg_script_item *item = g_ptr_array_index(items, i);
        if (plan->destination_bits > 0 ? item->to > 0 && item->to <= most : item->to == 0)
            continue;
        if (plan->destination_bits > 0 && everybody != most)
            cli_error(verb, "%s: expected --to with a device's address from 1 to %u, found %u",
                      item->message->message->name, most, item->to);
        else if (plan->destination_bits > 0)
            cli_error(verb, "%s: expected --to with a device's address from 1 to %u, or %u for all, found %u",
                      item->message->message->name, everybody - 1, everybody, item->to);
        else
            cli_error(verb, "%s: this line has no addresses; omit --to", item->message->message->name);
        return false;
    }
    return true;
}

static int run_with(const struct cli_verb *verb, int argc, char **argv, const struct options *options)
{
    struct cli_definition loaded;
    uint64_t after_ns = 0, limit_ns = 2 * SECOND_NS;

    if (options->file ? argc != 3 : argc < 4) {
        cli_error(verb, "expected zeugma send DEF LINK MESSAGE [JSON], or zeugma send DEF LINK --file FILE");
        return CLI_USAGE;
    }
    if (!cli_time(verb, "after", options->after, &after_ns) || !cli_time(verb, "wait", options->wait, &limit_ns))
        return CLI_USAGE;
    int status = cli_load(verb, argv[1], false, &loaded);
    if (status == CLI_YES) {
        status = CLI_NO;
        GPtrArray *items = options->file ? read_script(verb, loaded.plan, options->file, &status)
                                         : one_message(verb, loaded.plan, argv[3], argc > 4 ? argv[4] : "{}");
        for (unsigned i = 0; items && i < items->len; i++) {
            struct zg_script_item *item = g_ptr_array_index(items, i);
            item->to = item->to != 0 ? item->to : (zg_header_number)options->to;
        }
        if (items && are_addressed(verb, loaded.plan, items)) {
            cli_catch_signals();
            status = send(verb, loaded.plan, argv[2], items, options, after_ns, limit_ns);
        }
        if (items)
            g_ptr_array_unref(items);
    }
    cli_definition_clear(&loaded);
    return status;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    struct options options = { 0 };
    GOptionEntry entries[] = {
        { "file", 0, 0, G_OPTION_ARG_FILENAME, &options.file,
          "Send the messages of this file, one JSON object on each line, with times", "FILE" },
        { "to", 0, 0, G_OPTION_ARG_INT, &options.to, "Address of the device, on a shared line", "N" },
        { "after", 0, 0, G_OPTION_ARG_STRING, &options.after,
          "Wait first, for a board that restarts when its port is opened", "TIME" },
        { "wait", 0, 0, G_OPTION_ARG_STRING, &options.wait,
          "For an answer that has no retries, or for room; default 2s. If given, listen that long and print what comes",
          "TIME" },
        { "capture", 0, 0, G_OPTION_ARG_FILENAME, &options.capture, "Write everything that passes, with times",
          "FILE" },
        { "json", 0, 0, G_OPTION_ARG_NONE, &options.as_json, "Print one JSON object on each line", NULL },
        G_OPTION_ENTRY_NULL
    };

    if (!cli_parse(verb, entries, &argc, &argv, 2, 4))
        return CLI_USAGE;
    int status = run_with(verb, argc, argv, &options);
    g_free(options.file);
    g_free(options.after);
    g_free(options.wait);
    g_free(options.capture);
    return cli_finish(verb, status);
}

const struct cli_verb cli_send = { "send", "DEF LINK [MESSAGE [JSON]]",
                                   "Sends a message; waits for its reply or acknowledgement",
                                   "zeugma send examples/loom/loom.yaml sim: load_row '{\"row\": 7, \"lift\": 21}'",
                                   run };
