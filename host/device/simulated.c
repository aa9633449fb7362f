/* SPDX-License-Identifier: MIT */
#include "device/simulated.h"

#include <string.h>

#include "device/plausible.h"
#include "sim/resample.h"
#include "zeugma/clock.h"
#include "zeugma/error.h"

#define SECOND_NS UINT64_C(1000000000)

enum {
    BOOT_NS = 200000000, /* from a reset to the first frame */
    UNPROMPTED_S = 5,    /* between messages that have no period */
    LEFT_FREE = 3,       /* frames' room, by one that is busy, for its services */
    PRINT_S = 10         /* between lines on the console */
};

/* When a message of its own is sent next. */
struct due {
    const struct zg_plan_message *message;
    struct zg_value *values;
    double at_ns;
    uint64_t count;
    bool pending; /* made, but there was no room for it */
};

struct variable {
    const struct zg_plan_variable *plan;
    struct zg_value *value;
};

struct zg_simulated {
    const struct zg_plan *plan;
    struct zg_simulated_settings settings;
    struct zg_node *node; /* NULL: it is booting */
    struct zg_random random;
    struct zg_damage out, in;
    uint64_t host_baud; /* another than ours, or 0 */
    struct zg_resampler out_line, in_line;
    uint64_t now_ns;
    uint64_t begun_ns;    /* of this run */
    uint64_t boots_ns;    /* when it is ready again */
    uint64_t free_ns;     /* until when the last byte out took the line */
    uint64_t in_ns;       /* the same of the last byte that was taken */
    GByteArray *incoming; /* on the line, not taken yet */
    GByteArray *outgoing; /* sent, not handed on yet */
    uint64_t byte_ns;
    uint64_t print_ns; /* when it prints next */
    uint64_t answers;  /* to requests */
    GArray *dues;      /* struct due */
    GArray *variables; /* struct variable */
    GString *text;     /* for the console, not sent yet */
    GString *typed;    /* on its console */
    zg_header_word host;
    struct zg_simulated_totals before; /* of earlier runs */
};

/* A program that was held up for longer does not catch up: that time did not pass for the device's line. */
enum { HELD_UP_NS = 250000000 };

static double seconds(const struct zg_simulated *device)
{
    return (double)(device->now_ns - device->begun_ns) / 1e9;
}

/* --- the port */

static uint32_t now_us(void *context)
{
    return (uint32_t)(((const struct zg_simulated *)context)->now_ns / 1000);
}

static void start_transmit(void *context)
{
    (void)context; /* transmit() looks for itself */
}

static uint16_t boot_number(void *context)
{
    return (uint16_t)zg_random_next(&((struct zg_simulated *)context)->random);
}

static const struct zg_port port = { now_us, start_transmit, NULL, NULL, boot_number };

/* --- variables */

static struct variable *variable_of(struct zg_simulated *device, uint64_t index)
{
    for (unsigned i = 0; i < device->variables->len; i++) {
        struct variable *variable = &g_array_index(device->variables, struct variable, i);
        if (variable->plan->variable->index == index)
            return variable;
    }
    return NULL;
}

/* Those that the host may not change go on by themselves. */
static void refresh(struct zg_simulated *device, const struct variable *variable)
{
    if (!(variable->plan->variable->access & ZG_ACCESS_WRITE))
        zg_plausible_fill(&variable->plan->block, seconds(device), (uint64_t)seconds(device), device->settings.seed,
                          variable->value);
}

static int get_variable(void *data, const struct zg_plan_variable *plan, uint8_t *out, size_t room, size_t *size)
{
    struct zg_simulated *device = data;
    const struct variable *variable = variable_of(device, plan->variable->index);

    refresh(device, variable);
    *size = zg_block_size(&plan->block, variable->value);
    if (*size > room)
        return ZG_EROOM;
    zg_block_pack(&plan->block, variable->value, out);
    return 0;
}

static void say(struct zg_simulated *device, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* Sets a variable from the bytes that the host wrote, if they are good. */
static enum zg_settled set_variable(void *data, const struct zg_plan_variable *plan, const uint8_t *in, size_t length)
{
    struct zg_simulated *device = data;
    struct zg_value *values = zg_values_new(&plan->block);
    enum zg_settled how = ZG_DELIVERED;
    size_t ignored;

    if (!zg_block_unpack(&plan->block, in, length, values, &ignored) || ignored > 0)
        how = ZG_REFUSED_BAD_PAYLOAD;
    else if (!zg_block_permits(&plan->block, values, NULL))
        how = ZG_REFUSED_BAD_VALUE;
    else
        (void)zg_block_unpack(&plan->block, in, length, variable_of(device, plan->variable->index)->value, &ignored);
    zg_values_free(&plan->block, values);
    return how;
}

static void variable_written(void *data, const struct zg_plan_variable *plan)
{
    say(data, "%s was written\r\n", zg_variable_field(plan->variable)->name);
}

/* --- console */

static void say(struct zg_simulated *device, const char *format, ...)
{
    va_list arguments;

    if (device->text->len > 4096)
        return; /* nobody reads */
    va_start(arguments, format);
    g_string_append_vprintf(device->text, format, arguments);
    va_end(arguments);
}

static void print(struct zg_simulated *device)
{
    if (device->now_ns >= device->print_ns) {
        say(device, "%s: up for %.0f s\r\n", device->plan->definition->protocol, seconds(device));
        device->print_ns = device->now_ns + PRINT_S * SECOND_NS;
    }
    if (device->text->len == 0)
        return;
    size_t count = zg_node_print(device->node, device->host, device->text->str, device->text->len);
    g_string_erase(device->text, 0, (gssize)count);
}

/* A line typed on its console: "restart" does so, anything else comes back. */
static void take_typed(struct zg_simulated *device, const uint8_t *bytes, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        if (bytes[i] != '\r' && bytes[i] != '\n') {
            if (device->typed->len < 200)
                g_string_append_c(device->typed, (char)bytes[i]);
            continue;
        }
        if (strcmp(device->typed->str, "restart") == 0)
            device->boots_ns = device->now_ns + BOOT_NS; /* run() sees to it, outside of the node */
        else if (device->typed->len > 0)
            say(device, "unknown command: %s\r\n", device->typed->str);
        g_string_truncate(device->typed, 0);
    }
}

/* --- messages */

/* What stands in the request under the same name and type stands in the answer, too. */
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

static void answer(struct zg_simulated *device, uint8_t ticket, const struct zg_plan_message *request,
                   const struct zg_value *values)
{
    const struct zg_plan_message *reply = zg_plan_by_name(device->plan, request->message->reply);
    struct zg_value *filled = zg_values_new(&reply->payload);

    zg_plausible_fill(&reply->payload, seconds(device), device->answers++, device->settings.seed, filled);
    copy_alike(&request->payload, values, &reply->payload, filled);
    (void)zg_node_answer(device->node, device->host, ticket, reply, filled);
    zg_values_free(&reply->payload, filled);
}

static void take(void *data, const struct zg_frame *frame, const struct zg_plan_message *message,
                 const struct zg_value *values)
{
    struct zg_simulated *device = data;
    const char *name = message->message->name;

    device->host = frame->header.source;
    if (message->message->service && strcmp(name, "console") == 0)
        take_typed(device, values[0].bytes, values[0].count);
    else if (!message->message->reply)
        return;
    else if (zg_block_permits(&message->payload, values, NULL))
        answer(device, frame->header.ticket, message, values);
    else
        (void)zg_node_refuse(device->node, device->host, frame->header.ticket, ZG_REFUSED_BAD_VALUE);
}

static void take_text(void *data, const uint8_t *text, size_t size)
{
    take_typed(data, text, size);
}

static const struct zg_node_calls calls = { .take = take,
                                            .text = take_text,
                                            .variable_get = get_variable,
                                            .variable_set = set_variable,
                                            .variable_written = variable_written };

/* What it sends by itself, and when first: not all at once. */
static void list_dues(struct zg_simulated *device)
{
    for (unsigned i = 0; i < device->plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(device->plan, i);
        const struct zg_message *message = item->message;
        if (message->service || message->is_reply || !(message->from & ZG_SIDE_DEVICE))
            continue;
        const struct due due = { item, zg_values_new(&item->payload), 0, 0, false };
        g_array_append_val(device->dues, due);
    }
}

static double period_ns(const struct due *due)
{
    const uint64_t every_ns = due->message->message->every_ns;
    return every_ns > 0 ? (double)every_ns : UNPROMPTED_S * (double)SECOND_NS;
}

static void begin_dues(struct zg_simulated *device)
{
    for (unsigned i = 0; i < device->dues->len; i++) {
        struct due *due = &g_array_index(device->dues, struct due, i);
        due->at_ns = (double)device->now_ns + period_ns(due) * (i + 1) / (device->dues->len + 1);
        due->count = 0;
        due->pending = false;
    }
}

/* Sends one if it is due; false where there was no room. */
static bool send_due(struct zg_simulated *device, struct due *due)
{
    if (!due->pending) {
        zg_plausible_fill(&due->message->payload, seconds(device), due->count, device->settings.seed, due->values);
        due->pending = true;
    }
    if (zg_node_send(device->node, device->host, due->message, due->values, NULL) != 0)
        return false;
    due->pending = false;
    due->count++;
    return true;
}

static void send_dues(struct zg_simulated *device)
{
    const double now = (double)device->now_ns;
    bool sent = true;

    while (sent) {
        sent = false;
        for (unsigned i = 0; i < device->dues->len; i++) {
            struct due *due = &g_array_index(device->dues, struct due, i);
            const bool busy = device->settings.busy && due->message->tickets == 0;
            if (busy ? !zg_node_has_room(device->node, LEFT_FREE) : due->at_ns > now)
                continue;
            if (!send_due(device, due))
                continue;
            sent = busy;
            due->at_ns += period_ns(due);
            if (due->at_ns <= now) /* held up: what was missed is not sent */
                due->at_ns = now + period_ns(due);
        }
    }
}

/* --- bytes */

/* A byte as the other UART reads it: at the same speed, itself. */
static void pass(struct zg_simulated *device, struct zg_resampler *line, uint8_t byte, GByteArray *read)
{
    uint8_t bytes[16];
    unsigned framing = 0;

    if (device->host_baud == 0)
        g_byte_array_append(read, &byte, 1);
    else
        g_byte_array_append(read, bytes,
                            (guint)zg_resample_send(line, (double)device->now_ns, byte, bytes, sizeof bytes, &framing));
}

static void pass_idle(struct zg_simulated *device, struct zg_resampler *line, GByteArray *read)
{
    uint8_t bytes[16];
    unsigned framing = 0;

    if (device->host_baud != 0)
        g_byte_array_append(read, bytes,
                            (guint)zg_resample_idle(line, (double)device->now_ns, bytes, sizeof bytes, &framing));
}

void zg_simulated_set_host_baud(struct zg_simulated *device, uint64_t baud)
{
    const struct zg_line *line = &device->plan->definition->line;
    const uint64_t own = device->settings.baud > 0 ? device->settings.baud : line->baud;
    const bool same = baud == 0 || (baud * 50 >= own * 49 && baud * 50 <= own * 51); /* a UART bears 2 % */

    if (same || device->host_baud == baud) {
        device->host_baud = same ? 0 : baud;
        return;
    }
    device->host_baud = baud;
    device->out_line = (struct zg_resampler){ .sent_bit_ns = 1e9 / (double)own,
                                              .read_bit_ns = 1e9 / (double)baud,
                                              .data_bits = MIN(line->data_bits, 8),
                                              .parity = line->parity != 'N' };
    device->in_line = device->out_line;
    device->in_line.sent_bit_ns = device->out_line.read_bit_ns;
    device->in_line.read_bit_ns = device->out_line.sent_bit_ns;
}

static void transmit(struct zg_simulated *device)
{
    GByteArray *left = device->outgoing;
    uint8_t byte, damaged[2];

    while (device->free_ns + device->byte_ns <= device->now_ns &&
           zg_link_transmit_isr(zg_node_link(device->node), &byte)) {
        const unsigned rest = zg_damage_byte(&device->out, byte, damaged);
        for (unsigned i = 0; i < rest; i++)
            pass(device, &device->out_line, damaged[i], left);
        device->free_ns += device->byte_ns;
        if (device->settings.busy)
            send_dues(device);
    }
    pass_idle(device, &device->out_line, left);
}

/* What is put into an empty ring from now on begins now. */
static void begin_sending(struct zg_simulated *device)
{
    if (device->node && zg_ring_used(&zg_node_link(device->node)->transmit) == 0)
        device->free_ns = MAX(device->free_ns, device->now_ns);
}

/* Takes the bytes that have come in by `now_ns` at the line's speed, however fast the link brought them, each at its
 * time; what went out until then, goes out first. */
static void receive(struct zg_simulated *device, uint64_t now_ns)
{
    uint8_t damaged[2];
    guint due = 0;

    for (; due < device->incoming->len && device->in_ns + device->byte_ns <= now_ns; due++) {
        const unsigned rest = zg_damage_byte(&device->in, device->incoming->data[due], damaged);
        device->in_ns += device->byte_ns;
        device->now_ns = MAX(device->now_ns, device->in_ns);
        if (device->node)
            transmit(device);
        begin_sending(device);
        for (unsigned k = 0; k < rest && device->node; k++)
            zg_node_receive(device->node, &damaged[k], 1);
    }
    if (due > 0)
        g_byte_array_remove_range(device->incoming, 0, due);
}

void zg_simulated_give(struct zg_simulated *device, uint64_t now_ns, const uint8_t *bytes, size_t count)
{
    receive(device, now_ns);        /* what came before */
    if (device->incoming->len == 0) /* the line was idle */
        device->in_ns = MAX(device->in_ns, now_ns);
    for (size_t i = 0; i < count; i++)
        pass(device, &device->in_line, bytes[i], device->incoming);
}

static void boot(struct zg_simulated *device)
{
    const struct zg_plan *plan = device->plan;

    device->begun_ns = device->free_ns = device->now_ns;
    device->node = zg_node_new(plan, ZG_SIDE_DEVICE, (size_t)4 * plan->max_frame, &port, device, &calls, device);
    if (device->settings.address != 0)
        (void)zg_node_set_address(device->node, device->settings.address);
    begin_dues(device);
    for (unsigned i = 0; i < device->variables->len; i++) {
        const struct variable *variable = &g_array_index(device->variables, struct variable, i);
        zg_plausible_fill(&variable->plan->block, 0, 0, device->settings.seed, variable->value);
    }
    g_string_truncate(device->text, 0);
    g_string_truncate(device->typed, 0);
    say(device, "%s %u.%u starts\r\n", plan->definition->protocol, plan->definition->major, plan->definition->minor);
    device->print_ns = device->now_ns + PRINT_S * SECOND_NS;
}

static void shut_down(struct zg_simulated *device)
{
    device->before = zg_simulated_totals(device);
    zg_node_free(device->node);
    device->node = NULL;
}

void zg_simulated_restart(struct zg_simulated *device)
{
    device->boots_ns = device->now_ns + BOOT_NS;
}

static void run(struct zg_simulated *device, uint64_t now_ns)
{
    const uint64_t again_ns = device->settings.restart_ns;

    receive(device, now_ns);
    device->now_ns = now_ns;
    device->free_ns = MAX(device->free_ns, now_ns - MIN(now_ns, (uint64_t)HELD_UP_NS));
    begin_sending(device);
    if (device->node && again_ns > 0 && now_ns - device->begun_ns >= again_ns)
        zg_simulated_restart(device);
    if (device->boots_ns > 0 && device->node) {
        shut_down(device);
        device->before.restarts++;
    }
    if (now_ns < device->boots_ns)
        return;
    device->boots_ns = 0;
    if (!device->node)
        boot(device);
    zg_node_poll(device->node);
    send_dues(device);
    print(device);
    transmit(device);
}

void zg_simulated_run(struct zg_simulated *device, uint64_t now_ns, GByteArray *left)
{
    run(device, now_ns);
    g_byte_array_append(left, device->outgoing->data, device->outgoing->len);
    g_byte_array_set_size(device->outgoing, 0);
}

struct zg_simulated_totals zg_simulated_totals(const struct zg_simulated *device)
{
    struct zg_simulated_totals totals = device->before;

    if (device->node) {
        const struct zg_counters *counters = &zg_node_link(device->node)->counters;
        totals.frames_out += counters->frames_out;
        totals.frames_in += counters->frames_in;
        totals.bytes_out += counters->bytes_out;
        totals.bytes_in += counters->bytes_in;
    }
    return totals;
}

struct zg_simulated *zg_simulated_new(const struct zg_plan *plan, const struct zg_simulated_settings *settings,
                                      uint64_t now_ns)
{
    struct zg_simulated *device = g_new0(struct zg_simulated, 1);
    const struct zg_line *line = &plan->definition->line;
    const uint64_t baud = settings->baud > 0 ? settings->baud : line->baud;

    device->plan = plan;
    device->settings = *settings;
    device->now_ns = now_ns;
    device->byte_ns = zg_line_half_bits(line) * UINT64_C(500000000) / baud;
    device->random = zg_random_seeded(settings->seed ^ (uint64_t)g_get_real_time(), 0);
    device->out = zg_damage_seeded(&settings->out, settings->seed, 1);
    device->in = zg_damage_seeded(&settings->in, settings->seed, 2);
    device->dues = g_array_new(FALSE, FALSE, sizeof(struct due));
    device->variables = g_array_new(FALSE, FALSE, sizeof(struct variable));
    device->incoming = g_byte_array_new();
    device->outgoing = g_byte_array_new();
    device->text = g_string_new(NULL);
    device->typed = g_string_new(NULL);
    list_dues(device);
    for (unsigned i = 0; i < plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(plan, i);
        const struct variable variable = { item, zg_values_new(&item->block) };
        g_array_append_val(device->variables, variable);
    }
    boot(device);
    return device;
}

void zg_simulated_free(struct zg_simulated *device)
{
    if (!device)
        return;
    for (unsigned i = 0; i < device->dues->len; i++) {
        struct due *due = &g_array_index(device->dues, struct due, i);
        zg_values_free(&due->message->payload, due->values);
    }
    for (unsigned i = 0; i < device->variables->len; i++) {
        struct variable *variable = &g_array_index(device->variables, struct variable, i);
        zg_values_free(&variable->plan->block, variable->value);
    }
    g_array_unref(device->dues);
    g_array_unref(device->variables);
    g_byte_array_unref(device->incoming);
    g_byte_array_unref(device->outgoing);
    g_string_free(device->text, TRUE);
    g_string_free(device->typed, TRUE);
    zg_node_free(device->node);
    g_free(device);
}
