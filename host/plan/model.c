/* SPDX-License-Identifier: MIT */
#include "plan/model.h"

#include <string.h>

#include "zeugma/spell.h"

const struct zg_plan_message *zg_plan_message_at(const struct zg_plan *plan, unsigned index)
{
    return &g_array_index(plan->messages, struct zg_plan_message, index);
}

const struct zg_plan_variable *zg_plan_variable_at(const struct zg_plan *plan, unsigned index)
{
    return &g_array_index(plan->variables, struct zg_plan_variable, index);
}

const struct zg_plan_message *zg_plan_told(const struct zg_plan *plan, enum zg_side from, uint64_t id,
                                           const uint8_t *payload, size_t length)
{
    const struct zg_plan_message *best = NULL;
    unsigned size = 0;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if ((item->message->from & from) == 0 || item->message->bare)
            continue;
        if (plan->id_bits > 0 && item->message->id == id)
            return item;
        if (plan->id_bits > 0)
            continue;
        const struct zg_tag *tag = zg_message_tag(item->message, payload, length);
        if (tag ? tag->size > size : item->message->tags->len == 0 && !best) {
            best = item;
            size = tag ? tag->size : 0;
        }
    }
    return best;
}

const struct zg_plan_message *zg_plan_heard(const struct zg_plan *plan, enum zg_side from,
                                            const struct zg_header *header, const uint8_t *payload, size_t length)
{
    unsigned number = 0;

    if (header->bare == 0)
        return zg_plan_told(plan, from, header->id, payload, length);
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (item->message->bare && ++number == header->bare)
            return item;
    }
    return NULL;
}

/* Those that these sides may send. */
static void list_bares(struct zg_plan *plan, enum zg_side from)
{
    unsigned number = 0, count = 0;

    for (unsigned i = 0; i < plan->messages->len && number < ZG_BARES_MOST; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        const struct zg_tag *tag = zg_plan_tag(item);
        if (!item->message->bare)
            continue;
        number++;
        if ((item->message->from & from) == 0)
            continue;
        struct zg_bare *bare = &plan->bares[from][count++];
        *bare = (struct zg_bare){ .number = (uint8_t)number, .size = (uint8_t)tag->size };
        memcpy(bare->bytes, tag->bytes, tag->size);
    }
}

void zgi_find_bares(struct zg_plan *plan)
{
    list_bares(plan, ZG_SIDE_DEVICE);
    list_bares(plan, ZG_SIDE_HOST);
    list_bares(plan, ZG_SIDE_BOTH);
}

void zg_plan_hear_bares(const struct zg_plan *plan, enum zg_side from, struct zg_protocol *protocol)
{
    protocol->bare = plan->bares[from];
    protocol->bares = 0;
    while (protocol->bares < ZG_BARES_MOST && protocol->bare[protocol->bares].size > 0)
        protocol->bares++;
}

const struct zg_plan_message *zg_plan_mistaken(const struct zg_plan *plan, const struct zg_plan_message *item,
                                               const uint8_t *payload, size_t length)
{
    const struct zg_plan_message *told = NULL;

    if (plan->id_bits == 0 && item->message->tags->len == 0)
        told = zg_plan_told(plan, item->message->from, 0, payload, length);
    return told && told != item && told->message->tags->len > 0 ? told : NULL;
}

bool zg_plan_carries(const struct zg_plan *plan, const struct zg_plan_message *item, const uint8_t *payload,
                     size_t length)
{
    const struct zg_mark *ends[ZG_ALSO_MOST + 2];
    const bool is_searched = plan->searched && !item->fixed_end;
    const unsigned count = is_searched ? zg_framing_ends(&plan->definition->framing, ends) : 0;

    const struct zg_framing_choice *framing = &plan->definition->framing;

    for (unsigned i = 0; i < count; i++)
        if (zg_holds_mark(payload, length, ends[i]->bytes, ends[i]->size))
            return false;
    for (size_t i = 0; i < length && framing->ignores > 0 && !framing->coding; i++)
        if (memchr(framing->ignored, payload[i], framing->ignores))
            return false;
    return true;
}

bool zg_plan_has_fixed_ends(const struct zg_plan *plan, enum zg_side from)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (zg_plan_message_at(plan, i)->fixed_end && (zg_plan_message_at(plan, i)->message->from & from) != 0)
            return true;
    return false;
}

bool zg_plan_has_texts(const struct zg_plan *plan)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (zg_plan_message_at(plan, i)->text)
            return true;
    return false;
}

const struct zg_tag *zg_plan_tag(const struct zg_plan_message *item)
{
    return item->message->tags->len > 0 ? g_ptr_array_index(item->message->tags, 0) : NULL;
}

const struct zg_plan_message *zg_plan_by_name(const struct zg_plan *plan, const char *name)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (strcmp(zg_plan_message_at(plan, i)->message->name, name) == 0)
            return zg_plan_message_at(plan, i);
    return NULL;
}

const struct zg_step *zg_plan_role(const struct zg_plan *plan, enum zg_role role)
{
    for (unsigned i = 0; i < plan->header.steps->len; i++)
        if (zg_block_step(&plan->header, i)->role->role == role)
            return zg_block_step(&plan->header, i);
    return NULL;
}

unsigned zg_plan_least_frame(const struct zg_plan *plan)
{
    unsigned least = zg_plan_message_at(plan, 0)->frame_least;

    for (unsigned i = 1; i < plan->messages->len; i++)
        least = MIN(least, zg_plan_message_at(plan, i)->frame_least);
    return least;
}
