/* SPDX-License-Identifier: MIT */
/* The service traffic at either end. */
#include "generate/c/c.h"

static const char *byte_order(const struct zgi_c *c)
{
    return c->plan->definition->big_endian ? "true" : "false";
}

bool zgi_c_hears_damage(const struct zgi_c *c)
{
    return c->end.traffic && c->side == ZG_SIDE_DEVICE;
}

void zgi_c_traffic_host(const struct zgi_c *c, GString *text, bool prototypes)
{
    if (!c->end.traffic || c->side != ZG_SIDE_HOST)
        return;
    if (prototypes)
        zgi_c_emit(c, text, NULL,
                   "/* Begins test traffic, or stops it: sends the request, and does this end's part. The device "
                   "answers with a report;\n * node->traffic.counts are this end's own. Errors as above. Loop only. "
                   "*/\n");
    zgi_c_emit(c, text, NULL, "int @p_host_traffic(struct @p_host *node, ");
    g_string_append(text, zgi_c_to_parameter(c));
    zgi_c_emit(c, text, NULL, "const struct @p_traffic_request *request)");
    if (prototypes) {
        g_string_append(text, ";\n\n");
        return;
    }
    zgi_c_emit(c, text, NULL,
               "\n{\n    uint8_t payload[@P_TRAFFIC_REQUEST_MAX_PAYLOAD];\n    size_t size;\n    int error = "
               "@p_traffic_request_pack(request, payload, sizeof payload, &size);\n\n    if (!error)\n        error = "
               "@p_host_send_traffic_request(node, ");
    g_string_append(text, c->end.has_many ? "to, " : "");
    g_string_append(text, "request);\n    if (error)\n        return error;\n");
    g_string_append_printf(text, "    node->traffic.to = %s;\n", c->end.has_many ? "to" : "node->link.peer.address");
    g_string_append_printf(text,
                           "    zgi_traffic_ask(&node->traffic, false, payload, %s, zgi_now(&node->link));\n    return "
                           "0;\n}\n\n",
                           byte_order(c));
}

/* The end of a call: whether this end is the device, what is specific, the byte order, and the last arguments. */
static void print_end(const struct zgi_c *c, GString *text, const char *specific, const char *last)
{
    zgi_c_emit(c, text, NULL, c->side == ZG_SIDE_DEVICE ? "true, " : "false, ");
    zgi_c_emit(c, text, NULL, specific);
    g_string_append_printf(text, ", %s, %s);\n}\n\n", byte_order(c), last);
}

void zgi_c_traffic_code(const struct zgi_c *c, GString *text)
{
    if (!c->end.traffic)
        return;
    if (c->side == ZG_SIDE_DEVICE) {
        zgi_c_answering(c, text, "traffic_request");
        g_string_append_printf(text,
                               "    return zgi_traffic_asked(&node->link, %s, &node->traffic, frame->header.source, ",
                               zgi_c_late_arguments(c));
        zgi_c_emit(c, text, NULL, "@P_TRAFFIC_REPORT_ID, ");
        g_string_append_printf(text, "%s, payload, length);\n}\n\n", byte_order(c));
    }
    zgi_c_emit(c, text, NULL,
               "static int @p_@s_take_traffic(struct @p_@s *node, struct zg_frame *frame, const uint8_t *payload, "
               "size_t length)\n{\n    uint8_t room[@P_MAX_PAYLOAD];\n\n    (void)frame;\n    return "
               "zgi_traffic_take(&node->traffic, ");
    print_end(c, text, "@P_MAX_PAYLOAD", "payload, length, room");
    if (zgi_c_hears_damage(c))
        zgi_c_emit(
            c, text, NULL,
            "#if ZG_TRAFFIC_DAMAGE\nstatic void @p_@s_hear(void *owner, const uint8_t *bytes, size_t count, const "
            "struct zg_found *found, size_t pending)\n{\n    struct @p_@s *node = (struct @p_@s *)owner;\n\n"
            "    zgi_traffic_hear(&node->traffic, bytes, count, found, pending, zgi_now(&node->link));\n}\n"
            "#endif\n\n");
    zgi_c_emit(c, text, NULL,
               "static void @p_@s_poll_traffic(struct @p_@s *node)\n{\n"
               "    uint8_t content[@P_HEADER_SIZE + @P_MAX_PAYLOAD + @P_CHECK_SIZE];\n\n");
    if (zgi_c_hears_damage(c)) {
        zgi_c_emit(c, text, NULL,
                   "#if ZG_TRAFFIC_DAMAGE\n    zgi_traffic_poll_damage(&node->link, content, &node->traffic, "
                   "@P_TRAFFIC_DAMAGE_ID, ");
        g_string_append_printf(text, "%s);\n#endif\n", byte_order(c));
    }
    zgi_c_emit(c, text, NULL, "    zgi_traffic_poll(&node->link, content, &node->traffic, ");
    print_end(c, text, "@P_TRAFFIC_ID", "zgi_now(&node->link)");
}
