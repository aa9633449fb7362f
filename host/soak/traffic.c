/* SPDX-License-Identifier: MIT */
#include "soak/traffic.h"

#include <string.h>

#include "sim/random.h"
#include "zeugma/traffic.h"

const char *zg_flow_name(enum zg_flow flow)
{
    static const char *const names[ZG_FLOWS] = { "echo out", "echo back", "stream out", "stream back" };
    return names[flow];
}

static void fill(struct zg_random *random, uint8_t *at, size_t length)
{
    for (uint64_t bits; length > 0;) {
        const size_t piece = length < sizeof bits ? length : sizeof bits;
        bits = GUINT64_TO_LE(zg_random_next(random)); /* the lowest byte first */
        memcpy(at, &bits, piece);
        at += piece;
        length -= piece;
    }
}

/* Whether all payloads have the largest size: the framing has frames of one size, and the header no length. */
static bool has_one_size(const struct zg_plan *plan)
{
    return plan->sized || (plan->filled > 0 && plan->length_bits == 0);
}

/* Whether the service traffic defines the payloads of this flow. */
static bool is_of_service(const struct zg_plan *plan, enum zg_flow flow)
{
    return flow >= ZG_FLOW_STREAM_OUT && zg_definition_serves(plan->definition, ZG_SERVICE_TRAFFIC);
}

static unsigned place_of(const struct zg_plan *plan, enum zg_flow flow, unsigned byte)
{
    return is_of_service(plan, flow) && plan->definition->big_endian ? 3 - byte : byte;
}

/* The bytes with which end marks begin that are searched, rising: no payload holds them. Returns how many there are. */
static unsigned find_spared(const struct zg_plan *plan, uint8_t *spared)
{
    const struct zg_mark *ends[ZG_ALSO_MOST + 2];
    const unsigned marks = zg_framing_ends(&plan->definition->framing, ends);
    unsigned count = 0;

    for (unsigned i = 0; i < marks; i++) {
        unsigned at = count;
        while (at > 0 && spared[at - 1] >= ends[i]->bytes[0])
            at--;
        if (at < count && spared[at] == ends[i]->bytes[0])
            continue;
        memmove(spared + at + 1, spared + at, count - at);
        spared[at] = ends[i]->bytes[0];
        count++;
    }
    return count;
}

static inline unsigned spared_bytes(const struct zg_plan *plan, uint8_t *spared)
{
    return plan->searched ? find_spared(plan, spared) : 0;
}

void zg_traffic_spare(const struct zg_plan *plan, uint8_t *bytes, size_t length)
{
    uint8_t spared[ZG_ALSO_MOST + 2];
    const unsigned count = spared_bytes(plan, spared);

    for (size_t i = 0; i < length && count > 0; i++)
        while (memchr(spared, bytes[i], count))
            bytes[i] += 0x55;
}

/* Numbers are written in digits of this base: the bytes that a payload may hold. */
static unsigned base_of(const struct zg_plan *plan)
{
    uint8_t spared[ZG_ALSO_MOST + 2];
    return 256 - spared_bytes(plan, spared);
}

static uint8_t digit_byte(const struct zg_plan *plan, uint32_t digit)
{
    uint8_t spared[ZG_ALSO_MOST + 2];
    const unsigned count = spared_bytes(plan, spared);

    for (unsigned i = 0; i < count; i++)
        digit += digit >= spared[i];
    return (uint8_t)digit;
}

static uint32_t byte_digit(const struct zg_plan *plan, uint8_t byte)
{
    uint8_t spared[ZG_ALSO_MOST + 2];
    uint32_t digit = byte;

    for (unsigned i = spared_bytes(plan, spared); i-- > 0;)
        digit -= byte > spared[i];
    return digit;
}

/* The number of a frame, in front of what else it holds. */
static void put_number(const struct zg_plan *plan, enum zg_flow flow, uint32_t number, uint8_t *payload)
{
    const unsigned size = zg_traffic_number_size(plan);

    if (!plan->searched) { /* bytes, the lowest first */
        for (unsigned i = 0; i < size; i++, number >>= 8)
            payload[place_of(plan, flow, i)] = (uint8_t)number;
    } else {
        const unsigned base = base_of(plan);
        for (unsigned i = 0; i < size; i++, number /= base)
            payload[place_of(plan, flow, i)] = digit_byte(plan, number % base);
    }
}

size_t zg_traffic_make(const struct zg_plan *plan, uint64_t seed, unsigned size, enum zg_flow flow, uint32_t number,
                       uint8_t *payload)
{
    enum zg_flow source = flow == ZG_FLOW_ECHO_BACK ? ZG_FLOW_ECHO_OUT : flow;
    size_t most = plan->max_payload;
    const unsigned least = zg_traffic_number_size(plan);

    put_number(plan, flow, number, payload);
    if (is_of_service(plan, flow))
        return least + zg_traffic_data((uint32_t)seed, number, zg_flow_is_back(flow), zg_traffic_size(plan, size),
                                       most - least, payload + least);
    struct zg_random random = zg_random_seeded(seed, (uint64_t)(source + 16) << 32 | number);
    size_t length = least + (size_t)zg_random_below(&random, most - least + 1);
    if (has_one_size(plan))
        length = most;
    else if (size > 0)
        length = MIN(MAX(size, least), most);
    const size_t rest = length - least;
    switch (zg_random_below(&random, 8)) {
    case 0: memset(payload + least, 0x00, rest); break;
    case 1: memset(payload + least, 0xFF, rest); break;
    default: fill(&random, payload + least, rest); break;
    }
    zg_traffic_spare(plan, payload + least, rest);
    return length;
}

unsigned zg_traffic_number_size(const struct zg_plan *plan)
{
    return MIN(plan->max_payload, 4U);
}

uint16_t zg_traffic_size(const struct zg_plan *plan, unsigned size)
{
    const unsigned number = ZGI_TRAFFIC_NUMBER;

    if (size > 0 && !has_one_size(plan))
        return (uint16_t)(MIN(MAX(size, number), plan->max_payload) - number);
    return has_one_size(plan) ? (uint16_t)(plan->max_payload - ZGI_TRAFFIC_NUMBER) : ZG_TRAFFIC_OWN_SIZES;
}

uint32_t zg_traffic_number(const struct zg_plan *plan, enum zg_flow flow, const uint8_t *payload, uint32_t next)
{
    const unsigned size = zg_traffic_number_size(plan);
    uint32_t number = 0, round = 1;

    if (!plan->searched && size == 4) {
        for (unsigned i = 4; i-- > 0;)
            number = number << 8 | payload[place_of(plan, flow, i)];
        return number;
    }
    const unsigned base = base_of(plan);
    for (unsigned i = 0; i < size; i++, round *= base)
        number += round * byte_digit(plan, payload[place_of(plan, flow, i)]);
    if (size == 4)
        return number;
    number += next - next % round; /* of this round or the one before: frames arrive after they were sent, except
                                      swapped ones */
    return number >= next + round / 2 ? number - round : number;
}

static bool is_free(const struct zg_plan *plan, const uint32_t *taken, unsigned count, uint64_t id)
{
    for (unsigned i = 0; i < count; i++)
        if (taken[i] == id)
            return false;
    return zg_plan_told(plan, ZG_SIDE_BOTH, id, NULL, 0) == NULL;
}

bool zg_traffic_choose_ids(const struct zg_plan *plan, struct zg_traffic_ids *ids)
{
    uint32_t chosen[3];
    uint64_t ids_count = (uint64_t)1 << plan->id_bits;
    uint64_t base = ids_count >= 16 ? (ids_count - 16) & ~(uint64_t)15 : 0;
    const uint64_t wished[3] = { base + 1, base + 2, base + 15 };

    memset(ids, 0, sizeof *ids);
    if (plan->id_bits == 0)
        return true;
    for (unsigned i = 0; i < 3; i++) {
        uint64_t id = wished[i];
        uint64_t next = ids_count;
        while (id >= ids_count || !is_free(plan, chosen, i, id)) {
            if (next == 0)
                return false;
            id = --next;
        }
        chosen[i] = (uint32_t)id;
    }
    *ids = (struct zg_traffic_ids){ true, chosen[0], chosen[1], chosen[2] };
    return true;
}
