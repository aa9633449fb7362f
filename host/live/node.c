/* SPDX-License-Identifier: MIT */
#include "live/node.h"

#include "live/node_services.h"
#include "plan/fast_crc.h"
#include "zeugma/protocol.h"

/* What zeugma/receiver_body.h is to call for each frame, where the compiler sees what it is. */
static int admit(void *owner, const uint8_t *content, size_t length, struct zg_header *header);
#define ZGI_ADMIT(protocol) admit
#define ZGI_WRITE_HEADER(protocol) ((protocol)->write_header)
#define ZGI_DELIVER(protocol) ((protocol)->deliver)
#define ZGI_UPDATE(check) zgi_fast_crc_update
#define ZGI_FINISH(check) zgi_fast_crc_finish
#include "zeugma/link_body.h"

static void write_header(void *owner, const struct zg_header *header, uint8_t *at)
{
    const struct zg_plan *plan = ((struct zg_node *)owner)->plan;
    struct zg_header roles = *header;

    roles.version = plan->version;
    roles.minor = plan->minor;
    zg_header_pack(plan, &roles, header->length, at);
}

static ZGI_INLINE int admit(void *owner, const uint8_t *content, size_t length, struct zg_header *header)
{
    const struct zg_node *node = owner;
    const struct zg_plan *plan = node->plan;

    size_t payload = length - plan->header.size - plan->check.size;
    int verdict = zg_header_unpack(plan, content, payload, header);
    if (verdict == ZG_EVERSION && node->calls->left)
        node->calls->left(node->data, header, content + plan->header.size, payload);
    return verdict;
}

static int deliver(void *owner, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    const struct zg_node *node = owner;
    return node->calls->deliver(node->data, frame, payload, length);
}

struct zg_node *zg_node_new(const struct zg_plan *plan, enum zg_side side, size_t ring, const struct zg_port *port,
                            void *port_context, const struct zg_node_calls *calls, void *data)
{
    struct zg_node *node = g_new0(struct zg_node, 1);
    size_t size = 2;

    while (size < ring || size < plan->max_frame)
        size *= 2;
    node->plan = plan;
    node->calls = calls;
    node->data = data;
    node->receive = g_malloc(size);
    node->transmit = g_malloc(size);
    node->frame = g_malloc(plan->receive_room);
    node->protocol = zg_plan_protocol(plan);
    node->protocol.write_header = write_header;
    node->protocol.admit = admit;
    node->protocol.deliver = deliver;
    node->protocol.awaits = side == ZG_SIDE_HOST;
    if (side != 0)
        zgi_services_prepare(node, side);
    const struct zg_link_memory memory = { node->receive,   size,
                                           node->transmit,  size,
                                           node->frame,     plan->receive_room,
                                           &node->receiver, plan->gap_ns > 0 ? &node->gaps : NULL };
    int error = zg_link_init(&node->link, &node->protocol, node, port, port_context, &memory);
    g_assert(error == 0); /* the sizes above are right by construction */
    if (side != 0)
        zgi_services_begin(node);
    return node;
}

void zg_node_free(struct zg_node *node)
{
    if (!node)
        return;
    zgi_services_clear(node);
    g_free(node->receive);
    g_free(node->transmit);
    g_free(node->frame);
    g_free(node);
}

/* Of copies the compiler knows that nothing changes them meanwhile. */
void zg_node_receive(struct zg_node *node, const uint8_t *bytes, size_t count)
{
    struct zg_protocol known = node->protocol;
    const struct zg_check check = *known.check;

    known.check = &check;
    if (check.update == zg_fast_crc_update)
        zgi_link_receive(&node->link, &known, bytes, count);
    else
        zg_link_receive(&node->link, bytes, count);
}

struct zg_link *zg_node_link(struct zg_node *node)
{
    return &node->link;
}

void zg_node_allow_silence(struct zg_node *node, uint32_t us)
{
    if (node->protocol.byte_timeout_us > 0)
        node->protocol.byte_timeout_us += us;
}

bool zg_node_has_room(const struct zg_node *node, unsigned count)
{
    return zg_ring_room(&node->link.transmit) >= (size_t)count * node->plan->max_frame;
}

uint32_t zg_node_sequence(const struct zg_node *node)
{
    return node->link.sequence;
}

int zg_node_send_again(struct zg_node *node, uint32_t id, const uint8_t *payload, size_t length)
{
    node->link.sequence--;
    int error = zg_link_send(&node->link, id, payload, length);
    if (error)
        node->link.sequence++;
    return error;
}
