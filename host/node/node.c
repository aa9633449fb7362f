/* SPDX-License-Identifier: MIT */
#include "node/node.h"

#include "node/node_services.h"
#include "plan/fast_crc.h"
#include "zeugma/protocol.h"

static int admit(void *owner, const uint8_t *content, size_t length, struct zg_header *header);
static void write_header(void *owner, const struct zg_header *header, uint8_t *at);

/* What a node calls for each frame, in a form that the compiler can inline. The link is the node's first member. */
#define ZGI_ADAPTED

static ZGI_INLINE int zgi_admit(const struct zg_receiver *receiver, const uint8_t *content, size_t length,
                                struct zg_header *header)
{
    return admit(receiver->owner, content, length, header);
}

static inline void zgi_write_header(struct zg_link *link, const struct zg_header *header, uint8_t *at)
{
    write_header(link, header, at);
}

static inline int zgi_deliver(struct zg_link *link, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zg_node *node = (struct zg_node *)(void *)link;
    return node->protocol.deliver(node, frame, payload, length);
}

static inline zg_check_word zgi_check_update(const struct zg_check *check, zg_check_word state, const uint8_t *bytes,
                                             size_t count)
{
    return zgi_fast_crc_update(check->parameters, state, bytes, count);
}

static inline zg_check_word zgi_check_finish(const struct zg_check *check, zg_check_word state)
{
    return zgi_fast_crc_finish(check->parameters, state);
}

#include "zeugma/detail/any_end.h"

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
    node->protocol.framing = zg_plan_framing(plan, side);
    zg_plan_hear_bares(plan, side == 0 ? ZG_SIDE_BOTH : zg_receivers(side), &node->protocol);
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
    int error = zg_any_link_init(&node->any, &node->protocol, node, port, port_context, &memory);
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

/* Works on copies, which the compiler knows do not change meanwhile. */
void zg_node_receive(struct zg_node *node, const uint8_t *bytes, size_t count)
{
    struct zg_protocol known = node->protocol;
    const struct zg_check check = *known.check;

    known.check = &check;
    if (node->plan->packets)
        zgi_link_receive_packet(&node->any.link, &known, bytes, count);
    else if (check.update == zg_fast_crc_update)
        zgi_link_receive(&node->any.link, &known, bytes, count);
    else
        zg_any_link_receive(&node->any, bytes, count);
}

struct zg_any_link *zg_node_any_link(struct zg_node *node)
{
    return &node->any;
}

struct zg_link *zg_node_link(struct zg_node *node)
{
    return &node->any.link;
}

void zg_node_allow_silence(struct zg_node *node, uint32_t us)
{
    if (node->protocol.byte_timeout_us > 0)
        node->protocol.byte_timeout_us += us;
}

bool zg_node_has_room(const struct zg_node *node, unsigned count)
{
    return zg_ring_room(&node->any.link.transmit) >= (size_t)count * node->plan->max_frame;
}

uint32_t zg_node_sequence(const struct zg_node *node)
{
    return node->any.link.sequence;
}

int zg_node_send_again(struct zg_node *node, uint32_t back, uint32_t id, const uint8_t *payload, size_t length)
{
    const zg_header_number next = node->any.link.sequence;

    node->any.link.sequence = (zg_header_number)(next - back);
    const int error = zg_any_link_send(&node->any, id, payload, length);
    node->any.link.sequence = next;
    return error;
}
