/* SPDX-License-Identifier: MIT */
/*
 * Private. What an end answers by itself: echoes and counters, in the messages of services.yaml. Where silence is due
 * before each frame, an answer cannot be sent at once: `late` keeps it, with its content. Otherwise `late` is NULL.
 * `content` has room for a header, the largest payload and a check.
 */

/* Sends an answer whose payload is in its place, or keeps it. False: neither was possible. */
static inline bool zgi_answer(struct zg_link *link, struct zg_late *late, uint8_t *content, zg_header_number to,
                              zg_header_number id, size_t length)
{
    if (late) {
        zgi_late_begin(late, to, id, length);
        return true;
    }
    if (zgi_link_send(link, to, id, content, NULL, length) == 0)
        return true;
    zgi_count_unanswered(link);
    return false;
}

/* Whether an earlier answer is still kept, so that there is no place for this one. */
static inline bool zgi_is_late(struct zg_link *link, const struct zg_late *late)
{
    if (!late || !late->due)
        return false;
    zgi_count_unanswered(link);
    return true;
}

/* Answers an echo_request with the same bytes. */
static inline void zgi_echo(struct zg_link *link, struct zg_late *late, uint8_t *content, zg_header_number to,
                            zg_header_number id, const uint8_t *payload, size_t length)
{
    if (length > ZGI_PROTOCOL_OF(link)->max_payload || zgi_is_late(link, late))
        return;
    memcpy(content + ZGI_PROTOCOL_OF(link)->header_size, payload, length);
    (void)zgi_answer(link, late, content, to, id, length);
}

/* Answers a counters_request with as many counters as fit, at most `most`, from the one asked for. If the request says
 * so, they are cleared once sent. Returns how many bytes of the request were left over, or ZG_ESIZE. */
static inline int zgi_counters(struct zg_link *link, struct zg_late *late, uint8_t *content, zg_header_number to,
                               zg_header_number id, uint8_t most, bool big_endian, const uint8_t *payload,
                               size_t length)
{
    uint8_t *const answer = content + ZGI_PROTOCOL_OF(link)->header_size;

    if (length < 2)
        return ZG_ESIZE;
    if (zgi_is_late(link, late))
        return (int)(length - 2);
    const uint8_t first = payload[0], clears = payload[1] & 1U;
    uint8_t i = first;
    size_t size = 1;
    answer[0] = first;
    for (; i < ZG_COUNTERS && (uint8_t)(i - first) < most; i++, size += 4)
        zg_put_u32(answer + size, zg_link_counter(link, i), big_endian);
    if (zgi_answer(link, late, content, to, id, size) && clears)
        while (i-- > first)
            zg_link_clear_counter(link, i);
    return (int)(length - 2);
}
