/* SPDX-License-Identifier: MIT */
/*
 * Private. The contract between an end and the code that is compiled for this end alone; the compiler drops what the
 * end does not need. An end's source file, after including the header with its struct and its protocol's
 * PROTOCOL_frame.h,
 *
 * 1. defines ZGI_RUNTIME      the ZG_RUNTIME for which it was generated;
 *            ZGI_NAME(name)   an identifier of this end's own, for each name listed here;
 *            ZGI_FRAME(name)  the same for the protocol's functions admit, write_header and, if there is a check,
 *                             check_update and check_finish;
 *            ZGI_END          the type of the end: its first member is `struct zg_link link`; it has the arrays
 *                             receive, transmit and frame, and `struct zg_receiver receiver` unless ZGI_IN_PLACE;
 *            ZGI_CHECKED      whether there is a check: 0 or 1, like those that follow;
 *            ZGI_IS_COBS      whether the framing is COBS;
 *            ZGI_IN_PLACE     whether frames are gathered and decoded in place: short_cobs_body.h;
 *            ZGI_MAX_CONTENT  the most bytes of header, payload and check;
 *            ZGI_FED_AT_ONCE  whether bytes also come by zgi_link_receive();
 * 2. includes this file;
 * 3. defines the constant zgi_protocol, whose admit, write_header and deliver stay unused, and declares zgi_deliver()
 *    and, if messages have tickets, zgi_settled(), as in any_end.h;
 * 4. includes link_body.h, and those of hello_body.h, delivery_body.h, services_body.h, traffic_body.h and
 *    variables_body.h that it needs;
 * 5. uses the functions of these, and defines what it declared;
 * 6. includes specialised.h, which undefines everything again, so that another end may follow.
 */

#if defined(ZGI_PROTOCOL)
#error "the end before this one is not closed: it must include zeugma/detail/specialised.h"
#endif
#if !defined(ZGI_RUNTIME) || !defined(ZGI_NAME) || !defined(ZGI_FRAME) || !defined(ZGI_END)
#error "an end must define ZGI_RUNTIME, ZGI_NAME(name), ZGI_FRAME(name) and ZGI_END"
#endif
#if !defined(ZGI_CHECKED) || !defined(ZGI_IS_COBS) || !defined(ZGI_IN_PLACE) || !defined(ZGI_FED_AT_ONCE)
#error "an end must define ZGI_CHECKED, ZGI_IS_COBS, ZGI_IN_PLACE and ZGI_FED_AT_ONCE, each as 0 or 1"
#endif
#ifndef ZGI_MAX_CONTENT
#error "an end must define ZGI_MAX_CONTENT"
#endif

#include "zeugma/detail/end.h"
#include "zeugma/detail/runs.h"

#if ZGI_RUNTIME != ZG_RUNTIME
#error "this file was generated for another version of the runtime: generate it again by the zeugma of these headers"
#endif
#if (ZGI_CHECKED != 0 && ZGI_CHECKED != 1) || (ZGI_IS_COBS != 0 && ZGI_IS_COBS != 1) ||                                \
    (ZGI_IN_PLACE != 0 && ZGI_IN_PLACE != 1) || (ZGI_FED_AT_ONCE != 0 && ZGI_FED_AT_ONCE != 1)
#error "ZGI_CHECKED, ZGI_IS_COBS, ZGI_IN_PLACE and ZGI_FED_AT_ONCE are 0 or 1"
#endif
#if ZGI_IN_PLACE && !ZGI_IS_COBS
#error "only frames of the framing cobs can be taken apart in place"
#endif
ZG_ASSERT(!ZGI_IN_PLACE || ZGI_MAX_CONTENT <= 253, "only content without a full block is taken apart in place");
ZG_ASSERT(offsetof(ZGI_END, link) == 0 && sizeof(((ZGI_END *)0)->link) == sizeof(struct zg_link),
          "an end begins with its struct zg_link link");

/* Names of this end's own for everything that is compiled for it. */
#define zgi_admit ZGI_NAME(admit)
#define zgi_advance_check ZGI_NAME(advance_check)
#define zgi_amount ZGI_NAME(amount)
#define zgi_answer ZGI_NAME(answer)
#define zgi_answered_of ZGI_NAME(answered_of)
#define zgi_await ZGI_NAME(await)
#define zgi_before_gap ZGI_NAME(before_gap)
#define zgi_begin_check ZGI_NAME(begin_check)
#define zgi_boot_number ZGI_NAME(boot_number)
#define zgi_check_close ZGI_NAME(check_close)
#define zgi_check_content ZGI_NAME(check_content)
#define zgi_check_finish ZGI_NAME(check_finish)
#define zgi_check_passes ZGI_NAME(check_passes)
#define zgi_check_tail ZGI_NAME(check_tail)
#define zgi_check_update ZGI_NAME(check_update)
#define zgi_close_content ZGI_NAME(close_content)
#define zgi_content ZGI_NAME(content)
#define zgi_content_length ZGI_NAME(content_length)
#define zgi_count ZGI_NAME(count)
#define zgi_count_outcome ZGI_NAME(count_outcome)
#define zgi_count_unanswered ZGI_NAME(count_unanswered)
#define zgi_counters ZGI_NAME(counters)
#define zgi_counters_of ZGI_NAME(counters_of)
#define zgi_deliver ZGI_NAME(deliver)
#define zgi_delivery_acknowledged ZGI_NAME(delivery_acknowledged)
#define zgi_delivery_admit ZGI_NAME(delivery_admit)
#define zgi_delivery_afresh ZGI_NAME(delivery_afresh)
#define zgi_delivery_answer ZGI_NAME(delivery_answer)
#define zgi_delivery_answered ZGI_NAME(delivery_answered)
#define zgi_delivery_begin ZGI_NAME(delivery_begin)
#define zgi_delivery_commit ZGI_NAME(delivery_commit)
#define zgi_delivery_open ZGI_NAME(delivery_open)
#define zgi_delivery_poll ZGI_NAME(delivery_poll)
#define zgi_delivery_refused ZGI_NAME(delivery_refused)
#define zgi_delivery_renew ZGI_NAME(delivery_renew)
#define zgi_delivery_restart ZGI_NAME(delivery_restart)
#define zgi_delivery_take ZGI_NAME(delivery_take)
#define zgi_delivery_settling ZGI_NAME(delivery_settling)
#define zgi_echo ZGI_NAME(echo)
#define zgi_everybody ZGI_NAME(everybody)
#define zgi_forget_sequence ZGI_NAME(forget_sequence)
#define zgi_gap_came ZGI_NAME(gap_came)
#define zgi_hand_on ZGI_NAME(hand_on)
#define zgi_has_left ZGI_NAME(has_left)
#define zgi_hello_begin ZGI_NAME(hello_begin)
#define zgi_hello_is_time ZGI_NAME(hello_is_time)
#define zgi_hello_match ZGI_NAME(hello_match)
#define zgi_hello_number ZGI_NAME(hello_number)
#define zgi_hello_poll ZGI_NAME(hello_poll)
#define zgi_hello_put_number ZGI_NAME(hello_put_number)
#define zgi_hello_send ZGI_NAME(hello_send)
#define zgi_hello_take ZGI_NAME(hello_take)
#define zgi_is_address ZGI_NAME(is_address)
#define zgi_is_asked ZGI_NAME(is_asked)
#define zgi_is_for_us ZGI_NAME(is_for_us)
#define zgi_is_late ZGI_NAME(is_late)
#define zgi_is_open ZGI_NAME(is_open)
#define zgi_is_silent ZGI_NAME(is_silent)
#define zgi_is_unsure ZGI_NAME(is_unsure)
#define zgi_judge ZGI_NAME(judge)
#define zgi_judge_gathered ZGI_NAME(judge_gathered)
#define zgi_kind_of ZGI_NAME(kind_of)
#define zgi_late_begin ZGI_NAME(late_begin)
#define zgi_late_poll ZGI_NAME(late_poll)
#define zgi_line_is_free ZGI_NAME(line_is_free)
#define zgi_link_begin ZGI_NAME(link_begin)
#define zgi_link_poll ZGI_NAME(link_poll)
#define zgi_link_print ZGI_NAME(link_print)
#define zgi_link_receive ZGI_NAME(link_receive)
#define zgi_link_receive_packet ZGI_NAME(link_receive_packet)
#define zgi_link_send ZGI_NAME(link_send)
#define zgi_may_begin ZGI_NAME(may_begin)
#define zgi_may_pack ZGI_NAME(may_pack)
#define zgi_note_peer ZGI_NAME(note_peer)
#define zgi_note_sequence ZGI_NAME(note_sequence)
#define zgi_now ZGI_NAME(now)
#define zgi_offer_packet ZGI_NAME(offer_packet)
#define zgi_open_content ZGI_NAME(open_content)
#define zgi_open_of ZGI_NAME(open_of)
#define zgi_open_payload ZGI_NAME(open_payload)
#define zgi_open_poll ZGI_NAME(open_poll)
#define zgi_open_send ZGI_NAME(open_send)
#define zgi_own_number ZGI_NAME(own_number)
#define zgi_payload_length ZGI_NAME(payload_length)
#define zgi_peer ZGI_NAME(peer)
#define zgi_pending ZGI_NAME(pending)
#define zgi_protocol ZGI_NAME(protocol)
#define zgi_put ZGI_NAME(put)
#define zgi_put_check ZGI_NAME(put_check)
#define zgi_put_parts ZGI_NAME(put_parts)
#define zgi_put_zeros_back ZGI_NAME(put_zeros_back)
#define zgi_receive ZGI_NAME(receive)
#define zgi_receive_whole ZGI_NAME(receive_whole)
#define zgi_receiver ZGI_NAME(receiver)
#define zgi_receiver_begin ZGI_NAME(receiver_begin)
#define zgi_refuse ZGI_NAME(refuse)
#define zgi_refuse_unknown ZGI_NAME(refuse_unknown)
#define zgi_link_send_bare ZGI_NAME(link_send_bare)
#define zgi_bare_is_none ZGI_NAME(bare_is_none)
#define zgi_take_framed ZGI_NAME(take_framed)
#define zgi_note_outside ZGI_NAME(note_outside)
#define zgi_end_bare ZGI_NAME(end_bare)
#define zgi_held ZGI_NAME(held)
#define zgi_take_bare ZGI_NAME(take_bare)
#define zgi_run ZGI_NAME(run)
#define zgi_send_pair ZGI_NAME(send_pair)
#define zgi_settle ZGI_NAME(settle)
#define zgi_settled ZGI_NAME(settled)
#define zgi_span ZGI_NAME(span)
#define zgi_spread ZGI_NAME(spread)
#define zgi_start_transmit ZGI_NAME(start_transmit)
#define zgi_stream_set ZGI_NAME(stream_set)
#define zgi_streams_poll ZGI_NAME(streams_poll)
#define zgi_take ZGI_NAME(take)
#define zgi_take_event ZGI_NAME(take_event)
#define zgi_take_received ZGI_NAME(take_received)
#define zgi_take_some ZGI_NAME(take_some)
#define zgi_take_whole ZGI_NAME(take_whole)
#define zgi_notify ZGI_NAME(notify)
#define zgi_query_hear ZGI_NAME(query_hear)
#define zgi_query_leave ZGI_NAME(query_leave)
#define zgi_query_poll ZGI_NAME(query_poll)
#define zgi_query_put ZGI_NAME(query_put)
#define zgi_query_send ZGI_NAME(query_send)
#define zgi_ticket_take ZGI_NAME(ticket_take)
#define zgi_ticket_taken ZGI_NAME(ticket_taken)
#define zgi_ticketed ZGI_NAME(ticketed)
#define zgi_traffic_asked ZGI_NAME(traffic_asked)
#define zgi_traffic_poll ZGI_NAME(traffic_poll)
#define zgi_traffic_poll_damage ZGI_NAME(traffic_poll_damage)
#define zgi_variable_access ZGI_NAME(variable_access)
#define zgi_variable_answer ZGI_NAME(variable_answer)
#define zgi_variable_asked ZGI_NAME(variable_asked)
#define zgi_variable_get ZGI_NAME(variable_get)
#define zgi_variable_judge ZGI_NAME(variable_judge)
#define zgi_variable_read ZGI_NAME(variable_read)
#define zgi_variable_room ZGI_NAME(variable_room)
#define zgi_variable_set ZGI_NAME(variable_set)
#define zgi_variable_stream ZGI_NAME(variable_stream)
#define zgi_variable_write ZGI_NAME(variable_write)
#define zgi_variable_written ZGI_NAME(variable_written)
#define zgi_watch_peers ZGI_NAME(watch_peers)
#define zgi_write_frame ZGI_NAME(write_frame)
#define zgi_write_header ZGI_NAME(write_header)

#define ZGI_PROTOCOL(receiver) (&zgi_protocol)

/* What receives a link's bytes, its owner, and the counters it adds to. */
#if ZGI_IN_PLACE
typedef struct zg_link zgi_receiver;
#define ZGI_RECEIVER(link) (link)
#define ZGI_OWNER(receiver) ((void *)(receiver))
#define ZGI_COUNTERS(receiver) (&(receiver)->counters)
#else
typedef struct zg_receiver zgi_receiver;
#define ZGI_RECEIVER(link) (&((ZGI_END *)(void *)(link))->receiver)
#define ZGI_OWNER(at) ((void *)((unsigned char *)(at)-offsetof(ZGI_END, receiver)))
#define ZGI_COUNTERS(at) (&((ZGI_END *)ZGI_OWNER(at))->link.counters)
#endif

/* An end's rings and frame buffer are its own members. If told so, the compiler of an 8-bit processor need not load
 * where they are; for a larger processor it makes no difference. */
#if defined(__GNUC__) && UINTPTR_MAX <= 0xFFFF
#define ZGI_KNOW(is_so) ((is_so) ? (void)0 : __builtin_unreachable())
#define ZGI_KNOW_RING(link, ring)                                                                                      \
    (ZGI_KNOW((link)->ring.bytes == ((ZGI_END *)(void *)(link))->ring),                                                \
     ZGI_KNOW((link)->ring.mask == sizeof((ZGI_END *)(void *)(link))->ring - 1))
#define ZGI_KNOW_FRAME(link) ZGI_KNOW((link)->frame == ((ZGI_END *)(void *)(link))->frame)
#else
#define ZGI_KNOW_RING(link, ring) ((void)0)
#define ZGI_KNOW_FRAME(link) ((void)0)
#endif

static inline int zgi_admit(zgi_receiver *receiver, const uint8_t *content, size_t length, struct zg_header *header)
{
    (void)receiver;
    return ZGI_FRAME(admit)(content, length, header);
}

static inline void zgi_write_header(const struct zg_link *link, const struct zg_header *header, uint8_t *out)
{
    (void)link;
    ZGI_FRAME(write_header)(header, out);
}

static inline zg_check_word zgi_check_update(const struct zg_check *check, zg_check_word state, const uint8_t *bytes,
                                             size_t count)
{
    (void)check;
#if ZGI_CHECKED
    return ZGI_FRAME(check_update)(NULL, state, bytes, count);
#else
    (void)bytes;
    (void)count;
    return state;
#endif
}

static inline zg_check_word zgi_check_finish(const struct zg_check *check, zg_check_word state)
{
    (void)check;
#if ZGI_CHECKED
    return ZGI_FRAME(check_finish)(NULL, state);
#else
    return state;
#endif
}
