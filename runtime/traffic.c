/* SPDX-License-Identifier: MIT */
#include "zeugma/traffic.h"

#include <string.h>

#include "zeugma/bytes.h"
#include "zeugma/error.h"

static uint32_t get_number(const uint8_t *at, uint8_t size, bool big_endian)
{
    uint32_t value = 0;

    for (uint8_t i = 0; i < size; i++)
        value = value << 8 | at[big_endian ? i : size - 1 - i];
    return value;
}

/* The bytes are those of a xorshift generator (G. Marsaglia, "Xorshift RNGs", 2003), lowest first. */
size_t zg_traffic_data(uint32_t seed, uint32_t number, bool from_device, uint16_t size, size_t most, uint8_t *data)
{
    uint32_t state = seed ^ number * UINT32_C(0x9E3779B1) ^ (from_device ? UINT32_C(0x5851F42D) : 0), word = 0;
    size_t length = size;

    state = (state ^ state >> 15) * UINT32_C(0x85EBCA77);
    state ^= state >> 13;
    if (size == ZG_TRAFFIC_OWN_SIZES)
        length = (size_t)((state >> 16) * (uint32_t)(most + 1) >> 16);
    if (length > most)
        length = most;
    const uint8_t kind = state & 7U, flat = (uint8_t)(0U - kind); /* of kinds 0 and 1 */
    for (size_t i = 0; i < length; i++, word >>= 8) {
        if ((i & 3U) == 0) {
            state ^= state << 13;
            state ^= state >> 17;
            state ^= state << 5;
            word = state;
        }
        data[i] = kind > 1 ? (uint8_t)word : flat;
    }
    return length;
}

void zgi_traffic_ask(struct zg_traffic *traffic, bool is_device, const uint8_t *payload, bool big_endian, uint32_t now)
{
    const uint32_t seed = get_number(payload, 4, big_endian), count = get_number(payload + 4, 4, big_endian);
    const uint8_t way = payload[14], own = is_device ? ZG_TRAFFIC_DEVICE_SENDS : ZG_TRAFFIC_HOST_SENDS;

    if (count == 0)
        return; /* only a report is wanted */
    if (traffic->begun && traffic->counts[ZG_TRAFFIC_SEED] == seed) {
        if (way == 0)
            traffic->left = 0; /* what is on its way is still expected */
        return;
    }
    memset(traffic, 0, sizeof *traffic);
    traffic->begun = true;
    traffic->counts[ZG_TRAFFIC_SEED] = seed;
    if ((way & own) != 0)
        traffic->left = count;
    traffic->expects = (way & (own ^ (ZG_TRAFFIC_DEVICE_SENDS | ZG_TRAFFIC_HOST_SENDS))) != 0;
    traffic->size = (uint16_t)get_number(payload + 8, 2, big_endian);
    traffic->period_us = get_number(payload + 10, 4, big_endian);
    traffic->due_us = now;
}

/* What frame `number` of a sender is. Returns its length. */
static size_t make(const struct zg_traffic *traffic, uint32_t number, bool from_device, size_t max_payload,
                   bool big_endian, uint8_t *payload)
{
    zg_put_u32(payload, number, big_endian);
    return ZGI_TRAFFIC_NUMBER + zg_traffic_data(traffic->counts[ZG_TRAFFIC_SEED], number, from_device, traffic->size,
                                                max_payload - ZGI_TRAFFIC_NUMBER, payload + ZGI_TRAFFIC_NUMBER);
}

size_t zgi_traffic_next(const struct zg_traffic *traffic, bool is_device, size_t max_payload, bool big_endian,
                        uint8_t *payload)
{
    return make(traffic, traffic->counts[ZG_TRAFFIC_SENT], is_device, max_payload, big_endian, payload);
}

size_t zgi_traffic_report(const struct zg_traffic *traffic, bool big_endian, uint8_t *payload)
{
    for (uint8_t i = 0; i < ZG_TRAFFIC_COUNTS; i++)
        zg_put_u32(payload + 4 * i, traffic->counts[i], big_endian);
    return ZGI_TRAFFIC_REPORT;
}

int zgi_traffic_take(struct zg_traffic *traffic, bool is_device, size_t max_payload, bool big_endian,
                     const uint8_t *payload, size_t length, uint8_t *room)
{
    uint32_t *const counts = traffic->counts;

    if (length < ZGI_TRAFFIC_NUMBER)
        return ZG_ESIZE;
    if (!traffic->expects)
        return 0;
    const uint32_t number = get_number(payload, 4, big_endian), ahead = number - counts[ZG_TRAFFIC_EXPECTED];
    size_t same = make(traffic, number, !is_device, max_payload, big_endian, room);
    if (same == length)
        for (same = 0; same < length && room[same] == payload[same];)
            same++;
    if (same != length) {
        counts[ZG_TRAFFIC_WRONG]++;
        return 0;
    }
    if (ahead <= INT32_MAX) { /* greater than any before */
        counts[ZG_TRAFFIC_EXPECTED] = number + 1;
        counts[ZG_TRAFFIC_SKIPPED] += ahead;
        traffic->earlier = (ahead < 31 ? traffic->earlier << (ahead + 1) : 0) | 1U;
    } else { /* -1 is the greatest so far */
        const uint32_t bit = ahead + 32 < 32 ? UINT32_C(1) << (31 - (ahead + 32)) : 0;
        if (bit == 0 || (traffic->earlier & bit) != 0) {
            counts[ZG_TRAFFIC_REPEATED]++;
            return 0;
        }
        traffic->earlier |= bit;
        counts[ZG_TRAFFIC_SKIPPED]--;
    }
    counts[ZG_TRAFFIC_TAKEN]++;
    return 0;
}

#if ZG_TRAFFIC_DAMAGE

void zgi_traffic_hear(struct zg_traffic *traffic, const uint8_t *bytes, size_t count, const struct zg_found *found,
                      size_t pending, uint32_t now)
{
    struct zg_traffic_damage *const damage = &traffic->damage;
    const bool is_frame = found->outcome == ZG_OUTCOME_FRAME || found->outcome == ZG_OUTCOME_VERSION;

    if (damage->hearing >= ZG_TRAFFIC_HEARD || (damage->hearing == ZG_TRAFFIC_AWAITS_FRAME && !is_frame))
        return;
    for (size_t i = 0; i < count && damage->size < UINT16_MAX; i++) {
        if (damage->size < ZG_TRAFFIC_DAMAGE_MOST)
            damage->bytes[damage->size] = bytes[i];
        damage->size++;
    }
    if (is_frame && damage->hearing == ZG_TRAFFIC_HEARS_DAMAGE) {
        damage->expected = traffic->counts[ZG_TRAFFIC_EXPECTED];
        if (damage->size < UINT16_MAX)
            damage->size = (uint16_t)(damage->size - (found->wire + pending));
        damage->hearing = ZG_TRAFFIC_HEARD;
    } else if (is_frame) { /* where bytes behind it were taken already, the next stretch would lack its beginning */
        damage->size = 0;
        damage->hearing = pending == 0 ? ZG_TRAFFIC_HEARS : ZG_TRAFFIC_AWAITS_FRAME;
    } else if (damage->hearing == ZG_TRAFFIC_HEARS && found->outcome == ZG_OUTCOME_IDLE) {
        damage->size = (uint16_t)(damage->size - found->wire);
    } else if (damage->hearing == ZG_TRAFFIC_HEARS && found->outcome != ZG_OUTCOME_OPEN) {
        damage->hearing = ZG_TRAFFIC_HEARS_DAMAGE;
        damage->at_us = now;
    }
}

size_t zgi_traffic_tell(const struct zg_traffic *traffic, size_t max_payload, bool big_endian, uint8_t *payload)
{
    const struct zg_traffic_damage *const damage = &traffic->damage;
    const size_t room = max_payload < ZGI_TRAFFIC_DAMAGE ? max_payload - (ZGI_TRAFFIC_DAMAGE - ZG_TRAFFIC_DAMAGE_MOST)
                                                         : ZG_TRAFFIC_DAMAGE_MOST;
    const uint8_t kept = (uint8_t)(damage->size < room ? damage->size : room);

    zg_put_u32(payload, damage->at_us, big_endian);
    zg_put_u32(payload + 4, damage->expected, big_endian);
    payload[8] = (uint8_t)(big_endian ? damage->size >> 8 : damage->size);
    payload[9] = (uint8_t)(big_endian ? damage->size : damage->size >> 8);
    payload[10] = kept;
    memcpy(payload + 11, damage->bytes, kept);
    return 11 + (size_t)kept;
}

#endif
