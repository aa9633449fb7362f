/* SPDX-License-Identifier: MIT */
/* The service variables, on the device and on the host. */
#include "generate/c.h"

void zgi_c_variables_type(const struct zgi_c *c, GString *text)
{
    if (!c->end.variables)
        return;
    zgi_c_emit(c, text, NULL,
               "#ifndef @P_DEVICE_STREAMS\n#define @P_DEVICE_STREAMS 4 /* variables that are streamed at a time */\n"
               "#endif\n\n");
    if (c->plan->variables->len == 0)
        return;
    zgi_c_emit(c, text, NULL, "/* The variables, each as raw value. */\nstruct @p_variables {\n");
    for (unsigned i = 0; i < c->plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(c->plan, i);
        zgi_c_emit(c, text, item->name, "    struct @p_@n ");
        g_string_append_printf(text, "%s;\n", zg_variable_field(item->variable)->name);
    }
    g_string_append(text, "};\n\n");
}

/* --- the device */

static void print_access(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL,
               "/* What a host may do with a variable, ZG_MAY_READ and ZG_MAY_WRITE; 0: there is none. */\n"
               "static uint8_t @p_@s_access_of(uint8_t index)\n{\n    switch (index) {\n");
    for (unsigned i = 0; i < c->plan->variables->len; i++)
        zgi_c_emit(c, text, zg_plan_variable_at(c->plan, i)->name, "    case @P_@N_INDEX: return @P_@N_ACCESS;\n");
    zgi_c_emit(c, text, NULL,
               "    default: return 0;\n    }\n}\n\n"
               "/* Whether it may be done, or why not. */\n"
               "static enum zg_settled @p_@s_judge_access(uint8_t index, uint8_t wanted)\n{\n"
               "    uint8_t access = @p_@s_access_of(index);\n\n"
               "    if (access == 0)\n        return ZG_REFUSED_NO_VARIABLE;\n"
               "    return (access & wanted) != 0 ? ZG_DELIVERED : ZG_REFUSED_NOT_ALLOWED;\n}\n\n");
}

static void print_get(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(
        c, text, NULL,
        "/* Packs a variable: 0, or a negative error. */\n"
        "static int @p_@s_get_variable(const struct @p_device *node, uint8_t index, uint8_t *out, size_t room, size_t "
        "*size)\n{\n    (void)node;\n    (void)out;\n    (void)room;\n    (void)size;\n    switch (index) {\n");
    for (unsigned i = 0; i < c->plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(c->plan, i);
        if (!(item->variable->access & ZG_ACCESS_READ))
            continue;
        zgi_c_emit(c, text, item->name, "    case @P_@N_INDEX: return @p_@n_pack(&node->variables.");
        g_string_append_printf(text, "%s, out, room, size);\n", zg_variable_field(item->variable)->name);
    }
    g_string_append(text, "    default: return ZG_EUNKNOWN;\n    }\n}\n\n");
}

static void print_set(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(
        c, text, NULL,
        "/* Sets it from what the host wrote, if it lies in its range. */\n"
        "static enum zg_settled @p_@s_set_variable(struct @p_device *node, uint8_t index, const uint8_t *in, size_t "
        "length)\n{\n    (void)node;\n    (void)in;\n    (void)length;\n    switch (index) {\n");
    for (unsigned i = 0; i < c->plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(c->plan, i);
        if (!(item->variable->access & ZG_ACCESS_WRITE))
            continue;
        zgi_c_emit(c, text, item->name,
                   "    case @P_@N_INDEX: {\n        struct @p_@n value;\n\n"
                   "        if (@p_@n_unpack(&value, in, length) != 0)\n            return ZG_REFUSED_BAD_PAYLOAD;\n"
                   "        if (@p_@n_check(&value) != 0)\n            return ZG_REFUSED_BAD_VALUE;\n"
                   "        node->variables.");
        g_string_append_printf(text, "%s = value;\n        return ZG_DELIVERED;\n    }\n",
                               zg_variable_field(item->variable)->name);
    }
    g_string_append(text, "    default: return ZG_REFUSED_NO_VARIABLE;\n    }\n}\n\n");
}

static void print_request(const struct zgi_c *c, GString *text, const char *name, const char *body)
{
    zgi_c_ticketed_take(c, text, zg_plan_by_name(c->plan, name), "true", body);
}

/* The integer that counts the bytes of a value. */
static const char *count_type(const struct zgi_c *c, const char *message)
{
    const struct zg_block *block = &zg_plan_by_name(c->plan, message)->payload;
    return zg_block_step(block, block->steps->len - 1)->most > 255 ? "uint16_t" : "uint8_t";
}

static void print_answers(const struct zgi_c *c, GString *text)
{
    const char *type = count_type(c, "variable_value");

    zgi_c_emit(
        c, text, NULL,
        "/* Answers a request with a variable's value, or with why not. */\n"
        "static void @p_@s_answer_variable(struct @p_device *node, uint8_t ticket, uint8_t index, enum zg_settled "
        "how)\n{\n"
        "    struct @p_variable_value value;\n    size_t size = 0;\n\n"
        "    if (how == ZG_DELIVERED && @p_@s_get_variable(node, index, value.value, sizeof value.value, &size) != 0)\n"
        "        how = ZG_REFUSED_BAD_VALUE;\n"
        "    if (how == ZG_DELIVERED) {\n        value.index = index;\n        value.value_count = ");
    g_string_append_printf(text, "(%s)size;\n", type);
    zgi_c_emit(
        c, text, NULL,
        "        (void)@p_device_send_variable_value(node, &value, ticket);\n    } else {\n"
        "        (void)@p_device_refuse(node, ticket, how);\n    }\n}\n\n"
        "/* The same with what was written. */\n"
        "static void @p_@s_answer_written(struct @p_device *node, uint8_t ticket, const struct @p_variable_write "
        "*written, enum zg_settled how)\n{\n    struct @p_variable_value value;\n\n"
        "    if (how != ZG_DELIVERED) {\n        (void)@p_device_refuse(node, ticket, how);\n        return;\n    }\n"
        "    value.index = written->index;\n    value.value_count = written->value_count;\n"
        "    memcpy(value.value, written->value, written->value_count);\n"
        "    (void)@p_device_send_variable_value(node, &value, ticket);\n}\n\n");
}

static void print_streams(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(
        c, text, NULL,
        "static void @p_@s_poll_streams(struct @p_device *node, uint32_t now)\n{\n"
        "    uint8_t content[@P_HEADER_SIZE + @P_VARIABLE_VALUE_MAX_PAYLOAD + @P_CHECK_SIZE];\n    size_t size;\n\n"
        "    for (unsigned i = 0; i < @P_DEVICE_STREAMS; i++) {\n        struct zg_stream *stream = "
        "&node->streams[i];\n"
        "        if (stream->period_ms == 0 || !zg_clock_reached(now, stream->due_us))\n            continue;\n"
        "        content[@P_HEADER_SIZE] = stream->ticket;\n        content[@P_HEADER_SIZE + 1] = stream->index;\n"
        "        if (@p_@s_get_variable(node, stream->index, content + @P_HEADER_SIZE + 2, "
        "@P_VARIABLE_VALUE_MAX_PAYLOAD - "
        "2, &size) == 0 &&\n            @p_@s_send_content(node, node->link.peer.address, "
        "@P_VARIABLE_VALUE_ID, content, size + 2) != 0)\n            continue; /* no room: with the next poll */\n"
        "        stream->due_us += (uint32_t)stream->period_ms * 1000U;\n"
        "        if (zg_clock_reached(now, stream->due_us)) /* held up: the missed ones are not sent */\n"
        "            stream->due_us = now + (uint32_t)stream->period_ms * 1000U;\n    }\n}\n\n"
        "/* Begins, changes or ends (period 0) a stream. */\n"
        "static enum zg_settled @p_@s_set_stream(struct @p_device *node, uint8_t ticket, uint8_t index, uint16_t "
        "period_ms)\n{\n    struct zg_stream *place = NULL;\n\n"
        "    for (unsigned i = 0; i < @P_DEVICE_STREAMS; i++) {\n        struct zg_stream *stream = "
        "&node->streams[i];\n"
        "        if (stream->period_ms > 0 && stream->index == index) {\n            place = stream;\n            "
        "break;\n        }\n        if (stream->period_ms == 0)\n            place = stream;\n    }\n"
        "    if (!place)\n        return period_ms == 0 ? ZG_DELIVERED : ZG_REFUSED_BUSY;\n"
        "    place->period_ms = period_ms;\n    place->index = index;\n    place->ticket = ticket;\n"
        "    place->due_us = zgi_now(&node->link) + (uint32_t)period_ms * 1000U;\n    return ZG_DELIVERED;\n}\n\n");
}

void zgi_c_variables_code(const struct zgi_c *c, GString *text)
{
    if (!c->end.variables)
        return;
    print_access(c, text);
    print_get(c, text);
    print_set(c, text);
    print_answers(c, text);
    print_streams(c, text);
    print_request(c, text, "variable_read",
                  "    @p_@s_answer_variable(node, payload[0], message.index, @p_@s_judge_access(message.index, "
                  "ZG_MAY_READ));\n");
    print_request(c, text, "variable_write",
                  "    {\n        enum zg_settled how = @p_@s_judge_access(message.index, ZG_MAY_WRITE);\n"
                  "        if (how == ZG_DELIVERED)\n"
                  "            how = @p_@s_set_variable(node, message.index, message.value, message.value_count);\n"
                  "        @p_@s_answer_written(node, payload[0], &message, how);\n"
                  "        if (how == ZG_DELIVERED && node->handlers->variable_written)\n"
                  "            node->handlers->variable_written(node->context, message.index);\n    }\n");
    print_request(c, text, "variable_stream",
                  "    {\n        enum zg_settled how = @p_@s_judge_access(message.index, ZG_MAY_READ);\n"
                  "        if (how == ZG_DELIVERED)\n"
                  "            how = @p_@s_set_stream(node, payload[0], message.index, message.period);\n"
                  "        @p_@s_answer_variable(node, payload[0], message.index, how);\n    }\n");
}

/* --- the host */

static void print_host_take(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(
        c, text, NULL,
        "/* Hands a variable's value on by its type. */\n"
        "static void @p_@s_hear_variable(struct @p_host *node, const struct @p_variable_value *message, const struct "
        "zg_frame *frame)\n{\n    (void)node;\n    (void)frame;\n    switch (message->index) {\n");
    for (unsigned i = 0; i < c->plan->variables->len; i++)
        zgi_c_emit(c, text, zg_plan_variable_at(c->plan, i)->name,
                   "    case @P_@N_INDEX: {\n        struct @p_@n value;\n\n"
                   "        if (@p_@n_unpack(&value, message->value, message->value_count) == 0 && "
                   "node->handlers->@n)\n            node->handlers->@n(node->context, &value, frame);\n        "
                   "break;\n    }\n");
    g_string_append(text, "    default: break;\n    }\n}\n\n");
}

void zgi_c_variables_host(const struct zgi_c *c, GString *text, bool prototypes)
{
    const char *argument = c->end.has_many ? "to, " : "";

    if (!c->end.variables)
        return;
    if (prototypes && c->plan->variables->len > 0)
        g_string_append(text, "/* Writes a variable: it is checked there, and its new value comes back. Errors as "
                              "above. Loop only. */\n");
    for (unsigned i = 0; i < c->plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(c->plan, i);
        const char *field = zg_variable_field(item->variable)->name;
        if (!(item->variable->access & ZG_ACCESS_WRITE))
            continue;
        zgi_c_emit(c, text, field, "int @p_host_write_@n(struct @p_host *node, ");
        g_string_append(text, zgi_c_to_parameter(c));
        zgi_c_emit(c, text, item->name, "const struct @p_@n *value)");
        if (prototypes) {
            g_string_append(text, ";\n");
            continue;
        }
        zgi_c_emit(c, text, item->name,
                   "\n{\n    struct @p_variable_write message;\n    size_t size;\n"
                   "    int error = @p_@n_pack(value, message.value, sizeof message.value, &size);\n\n"
                   "    if (error)\n        return error;\n    message.index = @P_@N_INDEX;\n");
        g_string_append_printf(text, "    message.value_count = (%s)size;\n", count_type(c, "variable_write"));
        zgi_c_emit(c, text, NULL, "    return @p_host_send_variable_write(node, ");
        g_string_append_printf(text, "%s&message);\n}\n\n", argument);
    }
    if (!prototypes)
        print_host_take(c, text);
}
