/* SPDX-License-Identifier: MIT */
/* The service variables, on the device and on the host. */
#include "generate/c/c.h"

void zgi_c_variables_type(const struct zgi_c *c, GString *text)
{
    if (!c->end.variables)
        return;
    zgi_c_emit(c, text, NULL, "#ifndef @P_DEVICE_STREAMS\n");
    g_string_append_printf(text, "#define %s_DEVICE_STREAMS %d", c->upper, ZG_DEVICE_STREAMS);
    zgi_c_emit(c, text, NULL,
               " /* variables that can be streamed at the same "
               "time */\n#endif\nZG_ASSERT(@P_DEVICE_STREAMS >= 1 && @P_DEVICE_STREAMS <= 255, \"1 to 255 variables "
               "are streamed\");\n\n");
    if (c->plan->variables->len == 0)
        return;
    zgi_c_emit(c, text, NULL, "/* The variables, each as a raw value. */\nstruct @p_variables {\n");
    for (unsigned i = 0; i < c->plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(c->plan, i);
        zgi_c_emit(c, text, item->name, "    struct @p_@n ");
        g_string_append_printf(text, "%s;\n", zg_variable_field(item->variable)->name);
    }
    g_string_append(text, "};\n\n");
}

/* --- the device */

static const char access_signature[] = "static uint8_t zgi_variable_access(struct zg_link *link, uint8_t index)";
static const char get_signature[] = "static int zgi_variable_get(struct zg_link *link, uint8_t index, uint8_t *out, "
                                    "size_t room, size_t *size)";
static const char set_signature[] =
    "static enum zg_settled zgi_variable_set(struct zg_link *link, uint8_t index, const "
    "uint8_t *in, size_t length)";
static const char written_signature[] = "static void zgi_variable_written(struct zg_link *link, uint8_t index)";

void zgi_c_variables_declarations(const struct zgi_c *c, GString *text)
{
    (void)c;
    g_string_append_printf(text, "\n%s;\n%s;\n%s;\n%s;\n#include \"zeugma/detail/variables_body.h\"\n",
                           access_signature, get_signature, set_signature, written_signature);
}

static const char node_of_link[] = "    struct @p_device *node = (struct @p_device *)(void *)link;\n\n";

static void print_access(const struct zgi_c *c, GString *text)
{
    g_string_append_printf(text, "%s\n{\n    (void)link;\n    switch (index) {\n", access_signature);
    for (unsigned i = 0; i < c->plan->variables->len; i++)
        zgi_c_emit(c, text, zg_plan_variable_at(c->plan, i)->name, "    case @P_@N_INDEX: return @P_@N_ACCESS;\n");
    g_string_append(text, "    default: return 0;\n    }\n}\n\n");
}

static void print_get(const struct zgi_c *c, GString *text)
{
    g_string_append_printf(text, "%s\n{\n", get_signature);
    zgi_c_emit(c, text, NULL, node_of_link);
    g_string_append(text, "    (void)node;\n    (void)out;\n    (void)room;\n    (void)size;\n    switch (index) {\n");
    for (unsigned i = 0; i < c->plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(c->plan, i);
        if (!(item->variable->access & ZG_ACCESS_READ))
            continue;
        zgi_c_emit(c, text, item->name, "    case @P_@N_INDEX:\n        return @p_@n_pack(&node->variables.");
        g_string_append_printf(text, "%s, out, room, size);\n", zg_variable_field(item->variable)->name);
    }
    g_string_append(text, "    default: return ZG_EUNKNOWN;\n    }\n}\n\n");
}

static void print_set(const struct zgi_c *c, GString *text)
{
    g_string_append_printf(text, "%s\n{\n", set_signature);
    zgi_c_emit(c, text, NULL, node_of_link);
    g_string_append(text, "    (void)node;\n    (void)in;\n    (void)length;\n    switch (index) {\n");
    for (unsigned i = 0; i < c->plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(c->plan, i);
        if (!(item->variable->access & ZG_ACCESS_WRITE))
            continue;
        zgi_c_emit(c, text, item->name,
                   "    case @P_@N_INDEX: {\n        struct @p_@n value;\n        size_t ignored;\n\n"
                   "        if (@p_@n_unpack(&value, in, length, &ignored) != 0 || ignored > 0)\n            return "
                   "ZG_REFUSED_BAD_PAYLOAD;\n"
                   "        if (@p_@n_check(&value) != 0)\n            return ZG_REFUSED_BAD_VALUE;\n"
                   "        node->variables.");
        g_string_append_printf(text, "%s = value;\n        return ZG_DELIVERED;\n    }\n",
                               zg_variable_field(item->variable)->name);
    }
    g_string_append(text, "    default: return ZG_REFUSED_NO_VARIABLE;\n    }\n}\n\n");
}

static void print_written(const struct zgi_c *c, GString *text)
{
    g_string_append_printf(text, "%s\n{\n", written_signature);
    zgi_c_emit(c, text, NULL, node_of_link);
    g_string_append(text, "    if (node->handlers->variable_written)\n"
                          "        node->handlers->variable_written(node->context, index);\n}\n\n");
}

/* The integer type that counts the bytes of a value. */
static const char *count_type(const struct zgi_c *c, const char *message)
{
    const struct zg_block *block = &zg_plan_by_name(c->plan, message)->payload;
    return zg_block_step(block, block->steps->len - 1)->most > 255 ? "uint16_t" : "uint8_t";
}

/* `more` are the arguments specific to this kind of request. */
static void print_request(const struct zgi_c *c, GString *text, const char *kind, const char *more)
{
    zgi_c_emit(c, text, kind,
               "static int @p_device_take_variable_@n(struct @p_device *node, struct zg_frame *frame, const uint8_t "
               "*payload, size_t length)\n{\n"
               "    struct @p_device_session *with = @p_device_session_with(node, frame->peer);\n\n"
               "    return zgi_variable_@n(&node->link, &with->hello, &with->delivery, @P_VARIABLE_VALUE_ID, ");
    zgi_c_emit(c, text, NULL, more);
    g_string_append(text, "frame, payload, length);\n}\n\n");
}

void zgi_c_variables_code(const struct zgi_c *c, GString *text)
{
    if (!c->end.variables)
        return;
    print_access(c, text);
    print_get(c, text);
    print_set(c, text);
    print_written(c, text);
    print_request(c, text, "read", "");
    print_request(c, text, "write", "");
    print_request(c, text, "stream",
                  c->plan->definition->big_endian ? "true, node->streams, @P_DEVICE_STREAMS, "
                                                  : "false, node->streams, @P_DEVICE_STREAMS, ");
    zgi_c_emit(
        c, text, NULL,
        "static void @p_device_poll_streams(struct @p_device *node, uint32_t now)\n{\n"
        "    uint8_t content[@P_HEADER_SIZE + @P_VARIABLE_VALUE_MAX_PAYLOAD + @P_CHECK_SIZE];\n\n"
        "    zgi_streams_poll(&node->link, @P_VARIABLE_VALUE_ID, node->streams, @P_DEVICE_STREAMS, content, now);\n"
        "}\n\n");
}

/* --- the host */

static void print_host_take(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL,
               "/* Hands on a variable's value, with its own type. */\nstatic void @p_@s_hear_variable(struct @p_host "
               "*node, const struct @p_variable_value *message, const struct zg_frame *frame)\n{\n    (void)node;\n    "
               "(void)frame;\n    switch (message->index) {\n");
    for (unsigned i = 0; i < c->plan->variables->len; i++)
        zgi_c_emit(c, text, zg_plan_variable_at(c->plan, i)->name,
                   "    case @P_@N_INDEX: {\n        struct @p_@n value;\n        size_t ignored;\n\n"
                   "        if (@p_@n_unpack(&value, message->value, message->value_count, &ignored) == 0 &&\n         "
                   "   ignored == 0 && "
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
        g_string_append(text, "/* Writes a variable. The device checks the value, and its new value comes back. Errors "
                              "as above. Loop only. */\n");
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
