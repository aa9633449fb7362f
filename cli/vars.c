/* SPDX-License-Identifier: MIT */
#include <stdio.h>
#include <string.h>

#include "codec/as_text.h"
#include "codec/from_json.h"
#include "codec/json.h"
#include "codec/payload.h"
#include "definition/words.h"
#include "live.h"
#include "node/session.h"
#include "node/variables.h"
#include "zeugma/error.h"

struct options {
    char *follow, *duration, *capture;
    gint to;
    gboolean as_json;
};

/* What to do with a variable. */
struct wish {
    const struct zg_plan_variable *variable;
    struct zg_value *written; /* NULL: read it */
    struct zg_value *value;   /* as it came back */
    uint8_t ticket;
    bool sent, ended, known;
    enum zg_settled how;
};

struct asking {
    const struct cli_verb *verb;
    const struct zg_plan *plan;
    struct zg_wire *wire;
    struct zg_session *session;
    GArray *wishes; /* struct wish */
    zg_header_number to;
    uint16_t period_ms; /* for following; 0: once */
    bool as_json, following;
};

static struct wish *wish_at(const struct asking *asking, unsigned index)
{
    return &g_array_index(asking->wishes, struct wish, index);
}

static const struct zg_step *step_of(const struct zg_plan_variable *variable)
{
    return zg_block_step(&variable->block, 0);
}

/* --- printing */

static char *value_text(const struct wish *wish)
{
    GString *text = g_string_new(NULL);
    const char *unit = zg_variable_field(wish->variable->variable)->unit;

    if (wish->known)
        zg_value_to_text(step_of(wish->variable), wish->value, text);
    else
        g_string_append(text, "-");
    if (wish->known && unit)
        g_string_append_printf(text, " %s", unit);
    return g_string_free(text, FALSE);
}

static char *range_text(const struct zg_plan_variable *variable)
{
    const struct zg_step *step = step_of(variable);
    GString *text = g_string_new(NULL);

    if (step->field->ranged) {
        zg_raw_to_text(step, step->low, text);
        g_string_append(text, " to ");
        zg_raw_to_text(step, step->high, text);
    }
    return g_string_free(text, FALSE);
}

static void print_json(const struct asking *asking, const struct wish *wish)
{
    const struct zg_variable *variable = wish->variable->variable;
    const struct zg_field *field = zg_variable_field(variable);
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_seconds(&json, "at", zg_wire_now_ns(asking->wire));
    zg_json_string(&json, "variable", field->name);
    zg_json_unsigned(&json, "index", variable->index);
    if (wish->known)
        zg_block_to_json(&wish->variable->block, wish->value, &json);
    if (field->unit)
        zg_json_string(&json, "unit", field->unit);
    zg_json_string(&json, "access", zg_access_name(variable->access));
    if (wish->ended && wish->how != ZG_DELIVERED)
        zg_json_string(&json, "failed", zg_settled_text(wish->how));
    zg_json_close(&json, '}');
    cli_print_json(&json);
}

/* A table, with each column as wide as its widest cell. */
static void print_table(const struct asking *asking)
{
    const char *const heads[] = { "variable", "value", "access", "range", "" };
    size_t widths[4];
    const unsigned count = asking->wishes->len;
    g_autoptr(GPtrArray) cells = g_ptr_array_new_with_free_func(g_free);

    for (unsigned i = 0; i < count; i++) {
        const struct wish *wish = wish_at(asking, i);
        const struct zg_variable *variable = wish->variable->variable;
        const struct zg_field *field = zg_variable_field(variable);
        g_ptr_array_add(cells, g_strdup(field->name));
        g_ptr_array_add(cells, value_text(wish));
        g_ptr_array_add(cells, g_strdup(zg_access_name(variable->access)));
        g_ptr_array_add(cells, range_text(wish->variable));
        g_ptr_array_add(cells, g_strdup(!wish->ended                ? "not answered yet"
                                        : wish->how != ZG_DELIVERED ? zg_settled_text(wish->how)
                                        : field->summary            ? field->summary
                                                                    : ""));
    }
    for (unsigned k = 0; k < 4; k++) {
        widths[k] = strlen(heads[k]);
        for (unsigned i = 0; i < count; i++)
            widths[k] = MAX(widths[k], (size_t)g_utf8_strlen(g_ptr_array_index(cells, 5 * i + k), -1));
    }
    for (unsigned i = 0; i <= count; i++) {
        for (unsigned k = 0; k < 5; k++) {
            const char *cell = i == 0 ? heads[k] : g_ptr_array_index(cells, 5 * (i - 1) + k);
            const size_t pad = k < 4 && (i > 0 || k < 3) ? widths[k] - (size_t)g_utf8_strlen(cell, -1) + 2 : 0;
            cli_print("%s%*s", cell, (int)pad, "");
        }
        cli_print("\n");
    }
}

static void print_change(const struct asking *asking, const struct wish *wish)
{
    if (asking->as_json) {
        print_json(asking, wish);
    } else {
        g_autofree char *text = value_text(wish);
        cli_print("%10.3f  %s = %s\n", (double)zg_wire_now_ns(asking->wire) / 1e9,
                  zg_variable_field(wish->variable->variable)->name, text);
    }
    (void)fflush(stdout);
}

/* --- what comes back */

static void take(void *data, const struct zg_frame *frame, const struct zg_plan_message *message,
                 const struct zg_value *values)
{
    struct asking *asking = data;

    (void)frame;
    for (unsigned i = 0; i < asking->wishes->len; i++) {
        struct wish *wish = wish_at(asking, i);
        if (!zg_variable_told(wish->variable, message, values, wish->value))
            continue;
        wish->known = true;
        if (asking->following)
            print_change(asking, wish);
    }
}

static void settled(void *data, zg_header_number peer, const struct zg_plan_message *message, uint8_t ticket,
                    const struct zg_value *values, enum zg_settled how)
{
    struct asking *asking = data;

    (void)peer;
    (void)values;
    (void)message;
    for (unsigned i = 0; i < asking->wishes->len; i++) {
        struct wish *wish = wish_at(asking, i);
        if (wish->sent && !wish->ended && wish->ticket == ticket) {
            wish->ended = true;
            wish->how = how;
        }
    }
}

static const struct zg_session_calls calls = { .node = { .take = take, .settled = settled } };

/* --- asking */

static int send_request(const struct asking *asking, struct wish *wish, bool streams, uint16_t period_ms)
{
    struct zg_node *node = zg_session_node(asking->session);

    return streams ? zg_variable_stream(node, asking->to, asking->plan, wish->variable, period_ms, &wish->ticket)
                   : zg_variable_ask(node, asking->to, asking->plan, wish->variable, wish->written, &wish->ticket);
}

/* Sends each request as soon as there is room, and waits for all of them to end. */
static int ask(struct asking *asking, bool streams, uint16_t period_ms)
{
    g_autoptr(GError) error = NULL;
    unsigned next = 0, ended = 0;

    for (unsigned i = 0; i < asking->wishes->len; i++)
        wish_at(asking, i)->sent = wish_at(asking, i)->ended = false;
    while (ended < asking->wishes->len && (!cli_stopped() || period_ms == 0)) {
        struct wish *wish = next < asking->wishes->len ? wish_at(asking, next) : NULL;
        if (wish && send_request(asking, wish, streams, period_ms) == 0) {
            wish->sent = true;
            next++;
        }
        if (!zg_session_step(asking->session, -1, 1000000, &error))
            return cli_trouble(asking->verb, error);
        ended = 0;
        for (unsigned i = 0; i < asking->wishes->len; i++)
            ended += wish_at(asking, i)->ended;
        if (cli_stopped() && !streams)
            break;
    }
    return CLI_YES;
}

static bool any_failed(const struct asking *asking)
{
    for (unsigned i = 0; i < asking->wishes->len; i++)
        if (!wish_at(asking, i)->ended || wish_at(asking, i)->how != ZG_DELIVERED)
            return true;
    return false;
}

static void print_all(const struct asking *asking)
{
    if (!asking->as_json) {
        print_table(asking);
        return;
    }
    for (unsigned i = 0; i < asking->wishes->len; i++)
        print_json(asking, wish_at(asking, i));
}

/* Streams until the time is over or the user stops it, then stops the streams. */
static int follow(struct asking *asking, uint64_t duration_ns)
{
    g_autoptr(GError) error = NULL;

    asking->following = true;
    int status = ask(asking, true, asking->period_ms);
    if (status == CLI_YES && any_failed(asking)) {
        asking->following = false;
        print_all(asking);
        return CLI_NO;
    }
    const uint64_t begin_ns = zg_wire_now_ns(asking->wire);
    while (status == CLI_YES && !cli_stopped() &&
           (duration_ns == 0 || zg_wire_now_ns(asking->wire) - begin_ns < duration_ns))
        if (!zg_session_step(asking->session, -1, 5000000, &error))
            status = cli_trouble(asking->verb, error);
    asking->following = false;
    return status == CLI_YES ? ask(asking, true, 0) : status;
}

static int work(struct asking *asking, uint64_t duration_ns)
{
    if (asking->period_ms > 0)
        return follow(asking, duration_ns);
    int status = ask(asking, false, 0);
    if (status != CLI_YES)
        return status;
    print_all(asking);
    return any_failed(asking) ? CLI_NO : CLI_YES;
}

/* --- the command line */

static void add_wish(GArray *wishes, const struct zg_plan_variable *variable, struct zg_value *written)
{
    const struct wish wish = { .variable = variable, .written = written, .value = zg_values_new(&variable->block) };
    g_array_append_val(wishes, wish);
}

static const struct zg_plan_variable *find(const struct cli_verb *verb, const struct zg_plan *plan, const char *name)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (unsigned i = 0; i < plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(plan, i);
        const char *known = zg_variable_field(item->variable)->name;
        if (strcmp(known, name) == 0)
            return item;
        g_ptr_array_add(names, (gpointer)known);
    }
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(name, (const char *const *)names->pdata);
    cli_error(verb, "%s has no variable \"%s\"%s", plan->definition->protocol, name, hint);
    return NULL;
}

/* wish = name [ "=" value ] */
static bool read_wish(const struct cli_verb *verb, const struct zg_plan *plan, const char *text, GArray *wishes)
{
    const char *equals = strchr(text, '=');
    g_autofree char *name = equals ? g_strndup(text, (gsize)(equals - text)) : g_strdup(text);
    const struct zg_plan_variable *variable = find(verb, plan, name);
    g_autoptr(GError) error = NULL;

    if (!variable)
        return false;
    if (!equals) {
        add_wish(wishes, variable, NULL);
        return true;
    }
    struct zg_value *values = zg_values_new(&variable->block);
    if (zg_variable_from_json(variable, equals + 1, values, &error)) {
        add_wish(wishes, variable, values);
        return true;
    }
    cli_error(verb, "%s", error->message);
    zg_values_free(&variable->block, values);
    return false;
}

static bool read_wishes(const struct cli_verb *verb, const struct zg_plan *plan, char **texts, GArray *wishes)
{
    if (!zg_definition_serves(plan->definition, ZG_SERVICE_VARIABLES) || plan->variables->len == 0) {
        cli_error(verb, "%s has no variables; add `variables:` and `services: [..., variables]` to its definition",
                  plan->definition->protocol);
        return false;
    }
    for (char **text = texts; *text; text++)
        if (!read_wish(verb, plan, *text, wishes))
            return false;
    for (unsigned i = 0; !texts[0] && i < plan->variables->len; i++)
        if (zg_plan_variable_at(plan, i)->variable->access & ZG_ACCESS_READ)
            add_wish(wishes, zg_plan_variable_at(plan, i), NULL);
    return true;
}

static int open_and_work(const struct cli_verb *verb, struct asking *asking, const char *link, const char *capture,
                         uint64_t duration_ns)
{
    struct zg_wire_settings settings = { .plan = asking->plan, .capture = capture };
    int status = cli_open(verb, link, &settings, &asking->wire);

    if (status != CLI_YES)
        return status;
    if (zg_wire_is_replay(asking->wire)) {
        cli_error(verb, "%s: a capture can only be read", link);
        return cli_close(verb, asking->wire, CLI_USAGE);
    }
    asking->session = zg_session_new(asking->plan, asking->wire, true, &calls, asking);
    (void)zg_node_follow(zg_session_node(asking->session), asking->to);
    status = work(asking, duration_ns);
    zg_session_free(asking->session);
    return cli_close(verb, asking->wire, status);
}

static int run_with(const struct cli_verb *verb, char **argv, const struct options *options)
{
    struct cli_definition loaded;
    uint64_t period_ns = 0, duration_ns = 0;

    if (!cli_time(verb, "follow", options->follow, &period_ns) ||
        !cli_time(verb, "for", options->duration, &duration_ns))
        return CLI_USAGE;
    if (options->follow && (period_ns < 1000000 || period_ns > 65535 * UINT64_C(1000000))) {
        cli_error(verb, "--follow: expected a period from 1ms to 65s, found \"%s\"", options->follow);
        return CLI_USAGE;
    }
    int status = cli_load(verb, argv[1], false, &loaded);
    if (status == CLI_YES) {
        struct asking asking = { .verb = verb,
                                 .plan = loaded.plan,
                                 .wishes = g_array_new(FALSE, FALSE, sizeof(struct wish)),
                                 .to = (zg_header_number)options->to,
                                 .period_ms = (uint16_t)(period_ns / 1000000),
                                 .as_json = options->as_json };
        status = CLI_NO;
        if (read_wishes(verb, loaded.plan, argv + 3, asking.wishes)) {
            cli_catch_signals();
            status = open_and_work(verb, &asking, argv[2], options->capture, duration_ns);
        }
        for (unsigned i = 0; i < asking.wishes->len; i++) {
            zg_values_free(&wish_at(&asking, i)->variable->block, wish_at(&asking, i)->written);
            zg_values_free(&wish_at(&asking, i)->variable->block, wish_at(&asking, i)->value);
        }
        g_array_unref(asking.wishes);
    }
    cli_definition_clear(&loaded);
    return status;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    struct options options = { 0 };
    GOptionEntry entries[] = {
        { "follow", 0, 0, G_OPTION_ARG_STRING, &options.follow, "Have the values sent periodically, this often",
          "PERIOD" },
        { "for", 0, 0, G_OPTION_ARG_STRING, &options.duration, "Follow for this long; default: until Ctrl-C", "TIME" },
        { "to", 0, 0, G_OPTION_ARG_INT, &options.to, "Address of the device, on a shared line", "N" },
        { "capture", 0, 0, G_OPTION_ARG_FILENAME, &options.capture, "Write everything that passes, with times",
          "FILE" },
        { "json", 0, 0, G_OPTION_ARG_NONE, &options.as_json, "Print one JSON object on each line", NULL },
        G_OPTION_ENTRY_NULL
    };

    if (!cli_parse(verb, entries, &argc, &argv, 2, 258))
        return CLI_USAGE;
    int status = run_with(verb, argv, &options);
    g_free(options.follow);
    g_free(options.duration);
    g_free(options.capture);
    return cli_finish(verb, status);
}

const struct cli_verb cli_vars = { "vars", "DEF LINK [NAME[=VALUE] ...]", "Lists, reads, writes, follows variables",
                                   "zeugma vars examples/loom/loom.yaml sim: target_tension=120.5", run };
