/* SPDX-License-Identifier: MIT */
#include "codec/payload.h"

#include <string.h>

#include "codec/text.h"
#include "zeugma/error.h"

size_t zg_payload_size(const struct zg_plan_message *message, const struct zg_value *values)
{
    if (!message->text)
        return message->front + zg_block_size(&message->payload, values);
    g_autoptr(GString) text = g_string_new(NULL);
    return zg_text_write(message, values, text, NULL) ? message->front + text->len : SIZE_MAX;
}

void zg_payload_pack(const struct zg_plan_message *message, const struct zg_header *header,
                     const struct zg_value *values, uint8_t *at)
{
    const uint8_t tickets[2] = { header->ticket, header->base };
    const struct zg_tag *tag = zg_plan_tag(message);
    memcpy(at, tag ? tag->bytes : tickets, message->front);
    if (message->text) {
        g_autoptr(GString) text = g_string_new(NULL);
        if (zg_text_write(message, values, text, NULL))
            memcpy(at + message->front, text->str, text->len);
        return;
    }
    zg_block_pack(&message->payload, values, at + message->front);
}

GByteArray *zg_payload_make(const struct zg_plan *plan, const struct zg_plan_message *message,
                            const struct zg_header *header, const struct zg_value *values)
{
    const size_t size = zg_payload_size(message, values);

    if (size > plan->max_payload)
        return NULL;
    GByteArray *bytes = g_byte_array_sized_new((guint)size + 1);
    g_byte_array_set_size(bytes, (guint)size);
    zg_payload_pack(message, header, values, bytes->data);
    return bytes;
}

static bool unpack_fields(const struct zg_plan_message *message, const uint8_t *at, size_t length,
                          struct zg_value *values, size_t *ignored)
{
    return message->text ? zg_text_read(message, (const char *)at, length, values, ignored)
                         : zg_block_unpack(&message->payload, at, length, values, ignored);
}

bool zg_payload_unpack(const struct zg_plan_message *message, const uint8_t *at, size_t length,
                       struct zg_header *header, struct zg_value *values, size_t *ignored)
{
    unsigned tickets = message->tickets;

    if (message->message->tags->len > 0) {
        const struct zg_tag *tag = zg_message_tag(message->message, at, length);
        return tag && unpack_fields(message, at + tag->size, length - tag->size, values, ignored);
    }
    if (length < tickets)
        return false;
    header->ticket = tickets > 0 ? at[0] : 0;
    header->base = tickets > 1 ? at[1] : 0;
    if (tickets > 0) /* `at` may be NULL if there are no bytes */
        at += tickets;
    return unpack_fields(message, at, length - tickets, values, ignored);
}

/* Of one message; `*read`: how many bytes of it make sense. */
static char *fault_of(const struct zg_plan_message *message, const uint8_t *at, size_t length, size_t *read)
{
    const struct zg_tag *tag = message->message->tags->len > 0 ? zg_message_tag(message->message, at, length) : NULL;
    const size_t front = tag ? tag->size : 0;
    g_autofree char *fault = NULL;

    *read = 0;
    if (message->text)
        fault = zg_text_fault(message, (const char *)at, length, front, read);
    else if (length < message->payload_least)
        fault = g_strdup_printf(" has %zu byte%s, at least %u expected", length, length == 1 ? "" : "s",
                                message->payload_least);
    return fault ? g_strconcat(message->message->name, fault, NULL) : NULL;
}

char *zg_payload_fault(const struct zg_plan *plan, const struct zg_plan_message *message, const uint8_t *at,
                       size_t length)
{
    size_t farthest, read;
    char *best = fault_of(message, at, length, &farthest);

    if (plan->id_bits > 0 || message->message->tags->len > 0 || (message->text && !best))
        return best;
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *other = zg_plan_message_at(plan, i);
        if (other == message || other->message->bare || other->message->tags->len > 0)
            continue;
        char *fault = fault_of(other, at, length, &read);
        const bool is_better = fault && (!best || read > farthest);
        farthest = is_better ? read : farthest;
        g_free(is_better ? best : fault);
        best = is_better ? fault : best;
    }
    return best;
}

/* All roles at once, in the word that they are. */
static void pack_word(const struct zg_plan *plan, const struct zg_header *header, size_t payload, uint8_t *at)
{
    const struct zg_header_word *word = &plan->word;
    struct zg_header counted = *header;
    uint64_t bits = word->constants;

    counted.length = (zg_header_number)(payload + plan->length_more);
    for (unsigned i = 0, count = word->count; i < count; i++) {
        uint32_t role;
        memcpy(&role, (const uint8_t *)&counted + word->roles[i].member, sizeof role);
        bits |= (uint64_t)(role & word->roles[i].mask) << word->roles[i].shift;
    }
    bits = GUINT64_TO_LE(bits);
    memcpy(at, &bits, plan->header.size);
}

void zg_header_pack(const struct zg_plan *plan, const struct zg_header *header, size_t payload, uint8_t *at)
{
    if (plan->word.whole && plan->header.size <= sizeof(uint64_t)) {
        pack_word(plan, header, payload, at);
        return;
    }
    const uint64_t roles[ZG_ROLES] = { [ZG_ROLE_VERSION] = header->version,
                                       [ZG_ROLE_ID] = header->id,
                                       [ZG_ROLE_SEQUENCE] = header->sequence,
                                       [ZG_ROLE_MINOR] = header->minor,
                                       [ZG_ROLE_DESTINATION] = header->destination,
                                       [ZG_ROLE_SOURCE] = header->source,
                                       [ZG_ROLE_NODE] = header->source > 0 ? header->source : header->destination,
                                       [ZG_ROLE_LENGTH] = payload + plan->length_more };

    memset(at, 0, plan->header.size);
    for (unsigned i = 0; i < plan->header.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&plan->header, i);
        zgi_step_store(step, 0, step->role->role == ZG_ROLE_CONST ? step->role->value : roles[step->role->role], at);
    }
}

/* Whether the length, if there is one, fits the payload's `counted` bytes (including zero bytes, which it does not
 * count).
 */
/* One role after the other. */
int zgi_header_unpack_roles(const struct zg_plan *plan, const uint8_t *at, uint64_t counted, struct zg_header *header)
{
    uint64_t roles[ZG_ROLES] = { 0 };
    bool formed = true;

    for (unsigned i = 0; i < plan->header.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&plan->header, i);
        roles[step->role->role] = zg_step_load(step, 0, at);
        if (step->role->role == ZG_ROLE_CONST)
            formed = formed && roles[ZG_ROLE_CONST] == step->role->value;
    }
    *header = (struct zg_header){ .version = (uint32_t)roles[ZG_ROLE_VERSION],
                                  .id = (uint32_t)roles[ZG_ROLE_ID],
                                  .sequence = (uint32_t)roles[ZG_ROLE_SEQUENCE],
                                  .minor = (uint32_t)roles[ZG_ROLE_MINOR],
                                  .length = (uint32_t)roles[ZG_ROLE_LENGTH],
                                  .destination = (uint32_t)roles[plan->node ? ZG_ROLE_NODE : ZG_ROLE_DESTINATION],
                                  .source = (uint32_t)roles[plan->node ? ZG_ROLE_NODE : ZG_ROLE_SOURCE] };
    return zgi_header_judged(plan, header, formed, counted);
}
