/* SPDX-License-Identifier: MIT */
#include "device/program.h"

#include <string.h>

#include "device/plausible.h"
#include "zeugma/error.h"

#define SECOND_NS UINT64_C(1000000000)

enum {
    UNPROMPTED_S = 5, /* between messages that have no period */
    LEFT_FREE = 3,    /* frames' room in the transmit ring that a busy program leaves to its services */
    PRINT_S = 10      /* between lines on the console */
};

/* When a message of its own is sent next. */
struct due {
    const struct zg_plan_message *message;
    struct zg_value *values;
    double at_ns;
    uint64_t count;
    bool pending; /* its values are set, but there was no room for it */
};

/* An answer without a ticket, which is sent once the line allows. */
struct answer {
    const struct zg_plan_message *message;
    struct zg_value *values;
};

struct variable {
    const struct zg_plan_variable *plan;
    struct zg_value *value;
};

static double seconds(const struct zgi_program *program)
{
    return (double)(*program->now_ns - program->begun_ns) / 1e9;
}

/* --- variables */

static struct variable *variable_of(struct zgi_program *program, uint64_t index)
{
    for (unsigned i = 0; i < program->variables->len; i++) {
        struct variable *variable = &g_array_index(program->variables, struct variable, i);
        if (variable->plan->variable->index == index)
            return variable;
    }
    return NULL;
}

/* Variables that the host may not write change by themselves. */
static void refresh(struct zgi_program *program, const struct variable *variable)
{
    if (!(variable->plan->variable->access & ZG_ACCESS_WRITE))
        zg_plausible_fill(&variable->plan->block, seconds(program), (uint64_t)seconds(program), program->seed,
                          variable->value);
}

static int get_variable(void *data, const struct zg_plan_variable *plan, uint8_t *out, size_t room, size_t *size)
{
    struct zgi_program *program = data;
    const struct variable *variable = variable_of(program, plan->variable->index);

    refresh(program, variable);
    *size = zg_block_size(&plan->block, variable->value);
    if (*size > room)
        return ZG_EROOM;
    zg_block_pack(&plan->block, variable->value, out);
    return 0;
}

static void say(struct zgi_program *program, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* Sets a variable from the bytes that the host wrote, if they are valid. */
static enum zg_settled set_variable(void *data, const struct zg_plan_variable *plan, const uint8_t *in, size_t length)
{
    struct zgi_program *program = data;
    struct zg_value *values = zg_values_new(&plan->block);
    enum zg_settled how = ZG_DELIVERED;
    size_t ignored;

    if (!zg_block_unpack(&plan->block, in, length, values, &ignored) || ignored > 0)
        how = ZG_REFUSED_BAD_PAYLOAD;
    else if (!zg_block_permits(&plan->block, values, NULL))
        how = ZG_REFUSED_BAD_VALUE;
    else
        (void)zg_block_unpack(&plan->block, in, length, variable_of(program, plan->variable->index)->value, &ignored);
    zg_values_free(&plan->block, values);
    return how;
}

static void variable_written(void *data, const struct zg_plan_variable *plan)
{
    say(data, "%s was written\r\n", zg_variable_field(plan->variable)->name);
}

/* --- console */

static void say(struct zgi_program *program, const char *format, ...)
{
    va_list arguments;

    if (program->text->len > 4096)
        return; /* nobody reads */
    va_start(arguments, format);
    g_string_append_vprintf(program->text, format, arguments);
    va_end(arguments);
}

static void print_text(struct zgi_program *program)
{
    if (*program->now_ns >= program->print_ns) {
        say(program, "%s: up for %.0f s\r\n", program->plan->definition->protocol, seconds(program));
        program->print_ns = *program->now_ns + PRINT_S * SECOND_NS;
    }
    if (program->text->len == 0)
        return;
    size_t count = zg_node_print(program->node, program->host, program->text->str, program->text->len);
    g_string_erase(program->text, 0, (gssize)count);
}

/* A line typed on the console: "restart" restarts the device, anything else is echoed. */
static void take_typed(struct zgi_program *program, const uint8_t *bytes, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        if (bytes[i] != '\r' && bytes[i] != '\n') {
            if (program->typed->len < 200)
                g_string_append_c(program->typed, (char)bytes[i]);
            continue;
        }
        if (strcmp(program->typed->str, "restart") == 0)
            program->restart = true; /* by its owner, once the node has returned */
        else if (program->typed->len > 0)
            say(program, "unknown command: %s\r\n", program->typed->str);
        g_string_truncate(program->typed, 0);
    }
}

/* --- messages */

/* Copies the values of a request to the fields of the same name and type in its answer. */
static void copy_alike(const struct zg_block *from, const struct zg_value *values, const struct zg_block *to,
                       struct zg_value *answer)
{
    for (unsigned i = 0; i < to->steps->len; i++)
        for (unsigned k = 0; k < from->steps->len; k++) {
            const struct zg_step *a = zg_block_step(to, i), *b = zg_block_step(from, k);
            if (strcmp(a->name, b->name) == 0 && a->type.kind == b->type.kind && a->bits == b->bits &&
                !zg_step_is_string(a) && !zg_step_is_array(a) && !zg_step_is_array(b) && !a->record &&
                zg_step_permits(a, values[k].raw))
                answer[i].raw = values[k].raw;
        }
}

static void answer_with(struct zgi_program *program, uint8_t ticket, const struct zg_plan_message *request,
                        const struct zg_value *values, const char *name)
{
    const struct zg_plan_message *reply = zg_plan_by_name(program->plan, name);
    struct zg_value *filled = zg_values_new(&reply->payload);

    zg_plausible_fill(&reply->payload, seconds(program), program->answers++, program->seed, filled);
    copy_alike(&request->payload, values, &reply->payload, filled);
    if (request->message->ticketless) {
        struct answer *kept = g_new(struct answer, 1);
        *kept = (struct answer){ reply, filled };
        g_queue_push_tail(&program->outbox, kept);
        return;
    }
    (void)zg_node_answer(program->node, program->host, ticket, reply, filled);
    zg_values_free(&reply->payload, filled);
}

static void answer_free(gpointer data)
{
    struct answer *answer = data;
    zg_values_free(&answer->message->payload, answer->values);
    g_free(answer);
}

static void send_answers(struct zgi_program *program)
{
    while (!g_queue_is_empty(&program->outbox)) {
        const struct answer *first = g_queue_peek_head(&program->outbox);
        if (zg_node_send(program->node, program->host, first->message, first->values, NULL) == ZG_EROOM)
            return;
        answer_free(g_queue_pop_head(&program->outbox));
    }
}

/* The first of its replies, behind one of each of its lines. */
static void answer(struct zgi_program *program, uint8_t ticket, const struct zg_plan_message *request,
                   const struct zg_value *values)
{
    for (unsigned i = 0; i < request->message->lines->len; i++)
        answer_with(program, ticket, request, values, g_ptr_array_index(request->message->lines, i));
    answer_with(program, ticket, request, values, g_ptr_array_index(request->message->replies, 0));
}

static void take(void *data, const struct zg_frame *frame, const struct zg_plan_message *message,
                 const struct zg_value *values)
{
    struct zgi_program *program = data;
    const char *name = message->message->name;

    program->host = frame->header.source;
    if (message->message->service && strcmp(name, "console") == 0)
        take_typed(program, values[0].bytes, values[0].count);
    else if (!zg_message_is_request(message->message))
        return;
    else if (zg_block_permits(&message->payload, values, NULL))
        answer(program, frame->header.ticket, message, values);
    else if (!message->message->ticketless)
        (void)zg_node_refuse(program->node, program->host, frame->header.ticket, ZG_REFUSED_BAD_VALUE);
}

static void take_text(void *data, const uint8_t *text, size_t size)
{
    take_typed(data, text, size);
}

const struct zg_node_calls zgi_program_calls = { .take = take,
                                                 .text = take_text,
                                                 .variable_get = get_variable,
                                                 .variable_set = set_variable,
                                                 .variable_written = variable_written };

/* Lists the messages of its own. */
static void list_dues(struct zgi_program *program)
{
    for (unsigned i = 0; i < program->plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(program->plan, i);
        const struct zg_message *message = item->message;
        if (message->service || message->is_reply || message->follows || !(message->from & ZG_SIDE_DEVICE))
            continue;
        const struct due due = { item, zg_values_new(&item->payload), 0, 0, false };
        g_array_append_val(program->dues, due);
    }
}

static double period_ns(const struct due *due)
{
    const uint64_t every_ns = due->message->message->every_ns;
    return every_ns > 0 ? (double)every_ns : UNPROMPTED_S * (double)SECOND_NS;
}

static void begin_dues(struct zgi_program *program)
{
    for (unsigned i = 0; i < program->dues->len; i++) {
        struct due *due = &g_array_index(program->dues, struct due, i);
        due->at_ns = (double)*program->now_ns + period_ns(due) * (i + 1) / (program->dues->len + 1);
        due->count = 0;
        due->pending = false;
    }
}

/* Sends a message that is due. False: there was no room. */
static bool send_due(struct zgi_program *program, struct due *due)
{
    if (!due->pending) {
        zg_plausible_fill(&due->message->payload, seconds(program), due->count, program->seed, due->values);
        due->pending = true;
    }
    if (zg_node_send(program->node, program->host, due->message, due->values, NULL) != 0)
        return false;
    due->pending = false;
    due->count++;
    return true;
}

void zgi_program_send(struct zgi_program *program)
{
    const double now = (double)*program->now_ns;
    bool sent = true;

    send_answers(program);
    while (sent) {
        sent = false;
        for (unsigned i = 0; i < program->dues->len; i++) {
            struct due *due = &g_array_index(program->dues, struct due, i);
            const bool busy = program->busy && due->message->tickets == 0;
            if (busy ? !zg_node_has_room(program->node, LEFT_FREE) : due->at_ns > now)
                continue;
            if (!send_due(program, due))
                continue;
            sent = busy;
            due->at_ns += period_ns(due);
            if (due->at_ns <= now) /* held up: missed messages are not sent */
                due->at_ns = now + period_ns(due);
        }
    }
}

/* --- its life */

void zgi_program_init(struct zgi_program *program, const struct zg_plan *plan, uint64_t seed, bool busy,
                      const uint64_t *now_ns)
{
    *program = (struct zgi_program){ .plan = plan, .seed = seed, .busy = busy, .now_ns = now_ns };
    program->dues = g_array_new(FALSE, FALSE, sizeof(struct due));
    program->variables = g_array_new(FALSE, FALSE, sizeof(struct variable));
    program->text = g_string_new(NULL);
    program->typed = g_string_new(NULL);
    list_dues(program);
    for (unsigned i = 0; i < plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(plan, i);
        const struct variable variable = { item, zg_values_new(&item->block) };
        g_array_append_val(program->variables, variable);
    }
}

void zgi_program_begin(struct zgi_program *program, struct zg_node *node)
{
    const struct zg_definition *definition = program->plan->definition;

    program->node = node;
    program->begun_ns = *program->now_ns;
    program->restart = false;
    begin_dues(program);
    g_queue_clear_full(&program->outbox, answer_free);
    for (unsigned i = 0; i < program->variables->len; i++) {
        const struct variable *variable = &g_array_index(program->variables, struct variable, i);
        zg_plausible_fill(&variable->plan->block, 0, 0, program->seed, variable->value);
    }
    g_string_truncate(program->text, 0);
    g_string_truncate(program->typed, 0);
    say(program, "%s %u.%u starts\r\n", definition->protocol, definition->major, definition->minor);
    program->print_ns = *program->now_ns + PRINT_S * SECOND_NS;
}

void zgi_program_run(struct zgi_program *program)
{
    zgi_program_send(program);
    print_text(program);
}

void zgi_program_clear(struct zgi_program *program)
{
    for (unsigned i = 0; i < program->dues->len; i++) {
        struct due *due = &g_array_index(program->dues, struct due, i);
        zg_values_free(&due->message->payload, due->values);
    }
    for (unsigned i = 0; i < program->variables->len; i++) {
        struct variable *variable = &g_array_index(program->variables, struct variable, i);
        zg_values_free(&variable->plan->block, variable->value);
    }
    g_queue_clear_full(&program->outbox, answer_free);
    g_array_unref(program->dues);
    g_array_unref(program->variables);
    g_string_free(program->text, TRUE);
    g_string_free(program->typed, TRUE);
}
