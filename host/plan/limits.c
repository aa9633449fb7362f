/* SPDX-License-Identifier: MIT */
/* What must fit: payloads, frames, variables; and whether the check is worth it. */
#include "plan/limits.h"

#include "zeugma/link.h"

unsigned zgi_payload_room(const struct zg_plan *plan)
{
    const struct zg_definition *definition = plan->definition;
    unsigned room = (unsigned)definition->max_payload;
    unsigned around = plan->header.size + plan->check.size;

    if (definition->max_frame == 0)
        return room;
    if (room == 0)
        room = (unsigned)definition->max_frame;
    while (room > 0 && zg_plan_frame_most(around + room) > definition->max_frame)
        room--;
    return room;
}

/* Bytes of a variable's value in the messages that read and write it: behind ticket and index. */
static unsigned variable_room(const struct zg_plan *plan, unsigned room)
{
    const struct zg_plan_message *value = zg_plan_by_name(plan, "variable_value");
    unsigned before = value && value->message->service ? value->payload_least : 2;
    return room > before ? room - before : 0;
}

static void check_variable_sizes(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    unsigned limit = zgi_payload_room(plan);
    unsigned room = variable_room(plan, limit);

    for (unsigned i = 0; i < plan->variables->len && limit > 0; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(plan, i);
        const struct zg_field *field = zg_variable_field(item->variable);
        if (item->block.most_size > room)
            zgi_error(diagnostics, field->place,
                      "the variable %s takes %u bytes, the messages that read and write it have room for %u",
                      field->name, item->block.most_size, room);
    }
}

static void check_sizes(struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_definition *definition = plan->definition;
    const unsigned most = definition->max_payload > 0 ? (unsigned)definition->max_payload : ZGI_LARGEST_PAYLOAD;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (item->payload_most >= ZGI_UNREACHABLE)
            zgi_error(diagnostics, item->message->place,
                      "the payload of %s takes over %d bytes, at most %d are possible", item->message->name,
                      ZGI_UNREACHABLE - 1, ZGI_LARGEST_PAYLOAD);
        else if (item->payload_most > most)
            zgi_error(diagnostics, item->message->place, "the payload of %s takes %u bytes, max_payload is %u",
                      item->message->name, item->payload_most, most);
        if (definition->max_frame > 0 && item->frame_most > definition->max_frame)
            zgi_error(diagnostics, item->message->place,
                      "a frame of %s takes up to %u bytes on the wire, max_frame is %" G_GUINT64_FORMAT,
                      item->message->name, item->frame_most, definition->max_frame);
    }
}

/* Warns where two flipped bits can leave the check right: it sees them all only up to a length, the order of x modulo
 * its polynomial (W. W. Peterson, D. T. Brown, "Cyclic Codes for Error Detection", 1961). */
static void check_strength(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_definition *definition = plan->definition;
    unsigned largest = plan->header.size + plan->check.size;

    for (unsigned i = 0; i < plan->messages->len; i++)
        largest = MAX(largest, MIN(zg_plan_message_at(plan, i)->content, (unsigned)ZGI_LARGEST_PAYLOAD));
    uint64_t bits = 8 * (uint64_t)largest;
    uint64_t seen = definition->check.kind == ZG_CHECK_CRC ? zg_crc_order(&definition->check.crc, bits)
                                                           : zg_sum_order(definition->check.kind);
    if (definition->check.kind != ZG_CHECK_CRC && definition->check.kind != ZG_CHECK_NONE && seen == 0)
        zgi_warning(diagnostics, definition->check.place,
                    "the check %s misses some pairs of flipped bits at any length; a CRC of its size sees them all in "
                    "short frames",
                    definition->check.name);
    else if (definition->check.kind != ZG_CHECK_NONE && seen < bits)
        zgi_warning(diagnostics, definition->check.place,
                    "this %u-bit check sees any two flipped bits in up to %" G_GUINT64_FORMAT
                    " bits only; the largest frame's content has %u; a wider check sees them all",
                    definition->check.crc.width, seen, 8 * largest);
}

void zgi_plan_limits(struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    check_sizes(plan, diagnostics);
    check_variable_sizes(plan, diagnostics);
    check_strength(plan, diagnostics);
    if (plan->header.size > ZG_HEADER_MAX)
        zgi_error(diagnostics, plan->definition->frame_place, "the header takes %u bytes, at most %d are supported",
                  plan->header.size, ZG_HEADER_MAX);
}
