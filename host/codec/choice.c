/* SPDX-License-Identifier: MIT */
#include "codec/choice.h"

#include <limits.h>
#include <string.h>

enum { SOUND = 1, WHOLE = 2, TOLD = 4, FITS = 8 };
enum { ANSWERS_MOST = 1024 /* of which the order counts */ };

/* How well a frame fits a message, as a number to compare; 0: not at all. */
static unsigned rank(const struct zg_plan *plan, const struct zg_plan_message *item, const uint8_t *payload,
                     size_t length, struct zg_header *header, struct zg_value *values, size_t *ignored)
{
    if (!zg_payload_unpack(item, payload, length, header, values, ignored))
        return 0;
    const bool is_told = plan->id_bits > 0 || item->message->tags->len > 0 || item->message->constants->len > 0;
    return SOUND | (*ignored == 0 ? WHOLE : 0U) | (is_told ? TOLD : 0U) |
           (zg_block_permits(&item->payload, values, NULL) ? FITS : 0U);
}

/* Messages of these sides that have neither id nor tag. */
static unsigned bare_messages(const struct zg_plan *plan, enum zg_side from)
{
    unsigned count = 0;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(plan, i)->message;
        count += (message->from & from) != 0 && message->tags->len == 0;
    }
    return count;
}

/* What is added to the rank of a message that fits fully and answers the open request: more for the first in its list.
 */
static unsigned awaited(const struct zg_message *open, const char *name, unsigned fit)
{
    const unsigned at = open && (fit & (SOUND | WHOLE | FITS)) == (SOUND | WHOLE | FITS)
                            ? zg_message_answer_index(open, name)
                            : UINT_MAX;

    return at == UINT_MAX ? 0 : 2 * FITS * (ANSWERS_MOST - MIN(at, ANSWERS_MOST - 1));
}

const struct zg_plan_message *zg_told(const struct zg_plan *plan, enum zg_side from, uint64_t id,
                                      const uint8_t *payload, size_t length, const struct zg_message *open)
{
    const struct zg_plan_message *told = zg_plan_told(plan, from, id, payload, length);
    unsigned best = 0;
    size_t least = SIZE_MAX;

    if (!told || plan->id_bits > 0 || told->message->tags->len > 0 || bare_messages(plan, from) < 2)
        return told;
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        struct zg_header header;
        size_t ignored;
        if ((item->message->from & from) == 0 || item->message->tags->len > 0)
            continue;
        struct zg_value *values = zg_values_new(&item->payload);
        unsigned fit = rank(plan, item, payload, length, &header, values, &ignored);
        fit += awaited(open, item->message->name, fit);
        zg_values_free(&item->payload, values);
        if (fit > best || (fit > 0 && fit == best && ignored < least)) {
            best = fit;
            least = ignored;
            told = item;
        }
    }
    return told;
}

static unsigned index_of(enum zg_side side)
{
    return side == ZG_SIDE_HOST;
}

/* Whether a side has asked for this message and not got it yet. */
static bool is_awaited(const struct zg_chooser *chooser, const struct zg_plan_message *item, enum zg_side from)
{
    const struct zg_message *open = chooser->open[index_of(zg_receivers(from))];
    return open && zg_message_answers(open, item->message->name) != ZG_ANSWERS_NOT;
}

/* What came outside any frame. If both sides send it, the message that is awaited, or the first. */
static const struct zg_plan_message *bare_message(const struct zg_chooser *chooser, const struct zg_plan *plan,
                                                  const struct zg_header *header)
{
    static const enum zg_side sides[2] = { ZG_SIDE_DEVICE, ZG_SIDE_HOST };
    const struct zg_plan_message *heard = zg_plan_heard(plan, ZG_SIDE_BOTH, header, NULL, 0);
    const struct zg_tag *bytes = zg_plan_tag(heard);

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        const struct zg_tag *tag = zg_plan_tag(item);
        if (!item->message->bare || tag->size != bytes->size || memcmp(tag->bytes, bytes->bytes, tag->size) != 0)
            continue;
        for (unsigned k = 0; k < 2; k++)
            if ((item->message->from & sides[k]) != 0 && (chooser->only == 0 || chooser->only == sides[k]) &&
                is_awaited(chooser, item, sides[k]))
                return item;
    }
    return heard;
}

struct zg_choice zg_choose(const struct zg_chooser *chooser, const struct zg_plan *plan, const uint8_t *payload,
                           size_t length, struct zg_header *header, struct zg_value *const *values)
{
    if (header->bare > 0)
        return (struct zg_choice){ .message = bare_message(chooser, plan, header), .sound = true };
    static const enum zg_side sides[2] = { ZG_SIDE_DEVICE, ZG_SIDE_HOST };
    const struct zg_plan_message *first = zg_plan_message_at(plan, 0), *items[2];
    unsigned ranks[2] = { 0, 0 };
    size_t ignored[2] = { 0, 0 };
    unsigned best = 0;

    for (unsigned i = 0; i < 2; i++)
        items[i] =
            zg_told(plan, sides[i], header->id, payload, length, chooser->open[index_of(zg_receivers(sides[i]))]);
    for (unsigned i = 0; i < 2; i++)
        if (chooser->only == sides[i] && items[i])
            items[!i] = NULL;
    if (items[0] == items[1] || !items[0])
        best = items[0] ? 0 : 1;
    for (unsigned i = 0; i < 2; i++)
        if (items[i] && (i == 0 || items[i] != items[0]))
            ranks[i] = rank(plan, items[i], payload, length, header, values[items[i] - first], &ignored[i]);
    const bool both = items[0] && items[1] && items[0] != items[1];
    if (both && ranks[0] != ranks[1])
        best = ranks[1] > ranks[0];
    else if (both && is_awaited(chooser, items[0], sides[0]) != is_awaited(chooser, items[1], sides[1]))
        best = is_awaited(chooser, items[1], sides[1]);
    else if (both)
        best = items[1] < items[0];
    if (both && best == 0) /* the tickets are those of the message tried last */
        (void)zg_payload_unpack(items[0], payload, length, header, values[items[0] - first], &ignored[0]);
    return (struct zg_choice){ .message = items[best],
                               .also = both && ranks[0] == ranks[1] && ranks[0] > 0 ? items[!best] : NULL,
                               .sound = ranks[best] > 0,
                               .ignored = ignored[best] };
}

void zg_chooser_note(struct zg_chooser *chooser, const struct zg_choice *choice)
{
    const struct zg_message *message = choice->message->message;

    for (unsigned i = 0; i < 2; i++) {
        const enum zg_side from = i == 0 ? ZG_SIDE_DEVICE : ZG_SIDE_HOST;
        if ((message->from & from) == 0)
            continue;
        const struct zg_message **open = &chooser->open[index_of(zg_receivers(from))];
        if (*open && zg_message_answers(*open, message->name) == ZG_ANSWERS)
            *open = NULL;
        if (zg_message_is_request(message))
            chooser->open[index_of(from)] = message;
    }
}
