/* SPDX-License-Identifier: MIT */
/*
 * Private. The service traffic at an end: requests, answered with a report; frames that are due; frames that arrive, in
 * the messages of services.yaml. `content` has room for a header, the largest payload and a check.
 */

/* A traffic_request: returns how many of its bytes were left over, or ZG_ESIZE. */
static inline int zgi_traffic_asked(struct zg_link *link, struct zg_late *late, uint8_t *content,
                                    struct zg_traffic *traffic, zg_header_number to, zg_header_number report_id,
                                    bool big_endian, const uint8_t *payload, size_t length)
{
    if (length < ZGI_TRAFFIC_REQUEST)
        return ZG_ESIZE;
    zgi_traffic_ask(traffic, true, payload, big_endian, zgi_now(link));
    traffic->to = to;
    if (!zgi_is_late(link, late))
        (void)zgi_answer(link, late, content, to, report_id,
                         zgi_traffic_report(traffic, big_endian, content + ZGI_PROTOCOL_OF(link)->header_size));
#if ZG_TRAFFIC_DAMAGE
    if (traffic->damage.hearing == ZG_TRAFFIC_HEARD)
        traffic->damage.hearing = ZG_TRAFFIC_TELLS;
#endif
    return (int)(length - ZGI_TRAFFIC_REQUEST);
}

#if ZG_TRAFFIC_DAMAGE
/* Tells the host of what arrived damaged, after a report. */
static inline void zgi_traffic_poll_damage(struct zg_link *link, uint8_t *content, struct zg_traffic *traffic,
                                           zg_header_number id, bool big_endian)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    if (traffic->damage.hearing != ZG_TRAFFIC_TELLS || !zgi_may_begin(link, traffic->to))
        return;
    const size_t length = zgi_traffic_tell(traffic, protocol->max_payload, big_endian, content + protocol->header_size);
    if (zgi_link_send(link, traffic->to, id, content, NULL, length) != 0)
        return;
    traffic->damage.size = 0;
    traffic->damage.hearing = ZG_TRAFFIC_AWAITS_FRAME;
}
#endif

/* Sends what is due; with a period of 0, what the ring takes. One that is due while the ring is full is refused. */
static inline void zgi_traffic_poll(struct zg_link *link, uint8_t *content, struct zg_traffic *traffic, bool is_device,
                                    zg_header_number id, bool big_endian, uint32_t now)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    while (traffic->left > 0 && (traffic->period_us == 0 || zg_clock_reached(now, traffic->due_us)) &&
           zgi_may_begin(link, traffic->to)) {
        const size_t length =
            zgi_traffic_next(traffic, is_device, protocol->max_payload, big_endian, content + protocol->header_size);
        const bool sent = zgi_link_send(link, traffic->to, id, content, NULL, length) == 0;
        if (sent || traffic->period_us > 0) {
            traffic->counts[sent ? ZG_TRAFFIC_SENT : ZG_TRAFFIC_REFUSED]++;
            traffic->due_us += traffic->period_us;
        }
        if (!sent)
            return;
        if (traffic->left != ZG_TRAFFIC_NO_END)
            traffic->left--;
    }
}
