/* SPDX-License-Identifier: MIT */
/*
 * Private. What framing_body.h and short_cobs_body.h share: a candidate's check, and the counting of all bytes. Like
 * the other bodies it is compiled once for each end, which specialise.h or any_end.h describes; so it has no include
 * guard.
 */

/* A number of contiguous received bytes. */
#if ZGI_FED_AT_ONCE
typedef size_t zgi_span;
#else
typedef zg_index zgi_span;
#endif

/* What is added to a counter at a time: bytes in memory, or skipped numbers. */
#if UINTPTR_MAX <= 0xFFFF && ZG_HEADER_NUMBER_BITS == 8 && ZG_RING_INDEX_BITS == 8 && ZGI_IN_PLACE
typedef uint8_t zgi_amount;
#elif UINTPTR_MAX <= 0xFFFF && ZG_HEADER_NUMBER_BITS > 16
typedef uint32_t zgi_amount;
#else
typedef size_t zgi_amount;
#endif

/* Adds to the counter given by ZGI_COUNTER(name). */
static ZGI_SHARED void zgi_count(zgi_receiver *receiver, uint8_t counter, zgi_amount times)
{
    uint32_t *at = (uint32_t *)(void *)((unsigned char *)ZGI_COUNTERS(receiver) + counter);
    *at += (uint32_t)times;
}

/* The check's state after `length` bytes of content, without the last `tail`, which may be the check itself; `state` is
 * the state after the first `checked` bytes. */
static inline zg_check_word zgi_check_content(const struct zg_check *check, zg_check_word state, size_t checked,
                                              const uint8_t *content, size_t length, uint8_t tail)
{
    if (length <= checked + tail)
        return state;
    return zgi_check_update(check, state, content + checked, length - tail - checked);
}

/* The check value, from the state after everything in front of the check. */
static ZGI_INLINE zg_check_word zgi_check_close(const struct zg_check *check, zg_check_word state)
{
    if (check->form && check->form->closing_size > 0)
        state = zgi_check_update(check, state, check->form->closing, check->form->closing_size);
    return zgi_check_finish(check, state);
}

/* Whether the check, in the last `tail` bytes of the content, agrees with the state. If it has a form, it was read. */
static inline bool zgi_check_passes(const struct zg_check *check, zg_check_word state, const uint8_t *content,
                                    size_t length, struct zg_found *found)
{
    if (check->size == 0)
        return true;
    found->expected = zgi_check_close(check, state);
    if (!check->form)
        found->found = zg_check_load(check, content + length - check->size);
    return found->expected == found->found;
}

/* The bytes of the check at the content's end, which is read if it has a form. 0: there is none. */
static ZGI_INLINE uint8_t zgi_check_tail(const struct zg_check *check, const uint8_t *content, size_t length,
                                         struct zg_found *found)
{
    if (!check->form)
        return check->size;
    const uint8_t tail = zg_check_read(check, content, length, &found->found);
    found->unreadable = tail == 0;
    return tail;
}

/* The size of the payload of a frame with `length` bytes of content. */
static inline size_t zgi_payload_length(const struct zg_protocol *protocol, size_t length,
                                        const struct zg_header *header)
{
    return protocol->length_ends ? (size_t)header->length : length - protocol->header_size - protocol->check->size;
}

/* Judges a candidate's content: a frame, or why it is none. `state` is the check's state after its first `checked`
 * bytes. */
static ZGI_QUICK enum zg_outcome zgi_judge(zgi_receiver *receiver, const struct zg_protocol *protocol,
                                           zg_check_word state, size_t checked, const uint8_t *content, size_t length,
                                           struct zg_found *found, struct zg_header *header)
{
    const struct zg_check *check = protocol->check;
    size_t around = (size_t)protocol->header_size + zg_check_least(check);

    if (length < around || length == 0)
        return ZG_OUTCOME_SHORT;
    const uint8_t tail = zgi_check_tail(check, content, length, found);
    if (check->form && (tail == 0 || length < (size_t)protocol->header_size + tail))
        return tail == 0 ? ZG_OUTCOME_FAILED_CHECK : ZG_OUTCOME_SHORT;
    if (check->size > 0)
        state = zgi_check_content(check, state, checked, content, length, tail);
    if (!zgi_check_passes(check, state, content, length, found))
        return ZG_OUTCOME_FAILED_CHECK;
    if (check->form) /* as if it had its greatest length */
        length += (size_t)(check->size - tail);
    const int verdict = zgi_admit(receiver, content, length, header);
    if (verdict == ZG_EFORM)
        return ZG_OUTCOME_FORM;
    found->payload = content + protocol->header_size;
    found->length = zgi_payload_length(protocol, length, header);
    return verdict == 0 || protocol->version_bits == 0 ? ZG_OUTCOME_FRAME : ZG_OUTCOME_VERSION;
}

/* Two counters for each outcome: in the low four bits the index of the one for its bytes, above them that of the one
 * for the outcome itself (0: none). */
#define ZGI_BOTH(bytes, times) ((uint8_t)(ZG_COUNTER_INDEX(bytes) + 16U * ZG_COUNTER_INDEX(times)))
static const uint8_t zgi_counters_of[] ZG_FLASH = {
    0,
    ZGI_BOTH(bytes_of_frames, frames_in),
    ZGI_BOTH(bytes_of_frames, frames_in),
    ZGI_BOTH(bytes_failed, failed_check),
    ZGI_BOTH(bytes_failed, malformed),
    ZGI_BOTH(bytes_failed, malformed),
    ZGI_BOTH(bytes_failed, malformed),
    ZGI_BOTH(bytes_failed, too_long),
    ZGI_BOTH(bytes_failed, timed_out),
    (uint8_t)ZG_COUNTER_INDEX(bytes_noise),
    (uint8_t)ZG_COUNTER_INDEX(bytes_idle),
};
#undef ZGI_BOTH
ZG_ASSERT(sizeof zgi_counters_of == ZG_OUTCOME_IDLE + 1, "a row for each zg_outcome");
ZG_ASSERT(ZG_COUNTER_INDEX(bytes_idle) < 16 && ZG_COUNTER_INDEX(timed_out) < 16, "these counters stand in front");

/* Counts the bytes taken, an outcome, and the bytes of that outcome. */
static inline void zgi_count_outcome(zgi_receiver *receiver, enum zg_outcome outcome, size_t taken, size_t wire)
{
    zgi_count(receiver, ZGI_COUNTER(bytes_in), (zgi_amount)taken);
    if (outcome == ZG_OUTCOME_OPEN)
        return;
    const uint8_t both = zgi_flash_read(&zgi_counters_of[outcome]), times = both >> 4;
    zgi_count(receiver, (uint8_t)((both & 15U) * sizeof(uint32_t)), (zgi_amount)wire);
    if (times != 0)
        zgi_count(receiver, (uint8_t)(times * sizeof(uint32_t)), 1);
    if (outcome == ZG_OUTCOME_VERSION && ZGI_PROTOCOL(receiver)->version_bits > 0)
        zgi_count(receiver, ZGI_COUNTER(other_version), 1);
}

/* Appends the check to a header and payload that are contiguous. Returns the bytes of all three. */
static ZGI_INLINE size_t zgi_close_content(const struct zg_protocol *protocol, uint8_t *content, size_t length)
{
    const struct zg_check *check = protocol->check;
    const size_t covered = protocol->header_size + length;

    if (check->size > 0) {
        zg_check_word state = zgi_check_update(check, check->start, content + check->skip, covered - check->skip);
        if (check->form)
            return covered + zg_check_write(check, zgi_check_close(check, state), content + covered);
        zg_check_store(check, zgi_check_finish(check, state), content + covered);
    }
    return covered + check->size;
}
