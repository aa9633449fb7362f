/* SPDX-License-Identifier: MIT */
/*
 * Private. The service hello, part of each node whose protocol->hello is not NULL.
 */

static inline uint16_t zgi_hello_number(const struct zg_hello_terms *terms, const uint8_t *at)
{
    return terms->big_endian ? (uint16_t)((uint16_t)at[0] << 8 | at[1]) : (uint16_t)((uint16_t)at[1] << 8 | at[0]);
}

static inline void zgi_hello_put_number(const struct zg_hello_terms *terms, uint8_t *at, uint16_t number)
{
    at[terms->big_endian] = (uint8_t)number;
    at[!terms->big_endian] = (uint8_t)(number >> 8);
}

/* A boot number from the port, never 0. */
static inline uint16_t zgi_boot_number(const struct zg_link *link)
{
    uint16_t number = link->port->boot_number ? link->port->boot_number(link->port_context) : 0;
    return number != 0 ? number : 1;
}

/* This node's boot number as its peer is to know it. */
static inline uint16_t zgi_own_number(const struct zg_hello *hello, uint16_t boot)
{
    const uint16_t number = (uint16_t)(boot + hello->runs * UINT16_C(0x6D3B));
    return number != 0 ? number : 1;
}

static inline void zgi_hello_begin(struct zg_link *link, struct zg_hello *hello)
{
    memset(hello, 0, sizeof *hello);
    hello->ask = !ZGI_HELLO(link)->answers_only;
    hello->sent_us = zgi_now(link);
}

static inline enum zg_match zgi_hello_match(const struct zg_hello_terms *terms, const uint8_t *payload)
{
    uint8_t own[ZG_HELLO_MAX_PAYLOAD];

    zgi_flash_copy(own, terms->payload, sizeof own);
    if (payload[0] != own[0])
        return payload[0] < own[0] ? ZG_MATCH_OLDER_MAJOR : ZG_MATCH_NEWER_MAJOR;
    if (payload[1] != own[1])
        return payload[1] < own[1] ? ZG_MATCH_OLDER_MINOR : ZG_MATCH_NEWER_MINOR;
    return memcmp(payload, own, sizeof own) == 0 ? ZG_MATCH_SAME : ZG_MATCH_OTHER_DEFINITION;
}

/* Takes a hello's payload. If the result is news, everything between the two ends must start afresh. */
static inline enum zgi_news zgi_hello_take(struct zg_link *link, struct zg_hello *hello, uint16_t own,
                                           const uint8_t *payload)
{
    const struct zg_hello_terms *terms = ZGI_HELLO(link);
    own = zgi_own_number(hello, own);
    uint16_t boot = zgi_hello_number(terms, payload + ZG_HELLO_BOOT);
    bool is_known = zgi_hello_number(terms, payload + ZG_HELLO_PEER) == own;
    bool is_new = boot != hello->boot;
    enum zgi_news news = !is_new ? ZGI_NEWS_NONE : hello->boot == 0 ? ZGI_NEWS_MET : ZGI_NEWS_RESTARTED;

    hello->match = (uint8_t)zgi_hello_match(terms, payload);
    if (is_new) {
        hello->boot = boot;
        hello->known = false;
        hello->tries = 0;
    }
    if (is_known) {
        hello->known = true;
        hello->ask = false;
    }
    if (is_new || !is_known)
        hello->answer = true;
    return news;
}

static inline int zgi_hello_send(struct zg_link *link, struct zg_peer *peer, uint16_t own, uint16_t number)
{
    const struct zg_hello_terms *terms = ZGI_HELLO(link);
    uint8_t content[ZG_HEADER_MAX + ZG_HELLO_LEAST + 24 + sizeof(zg_check_word)];
    uint8_t *payload = content + ZGI_PROTOCOL_OF(link)->header_size;

    zgi_flash_copy(payload, terms->payload, terms->size);
    zgi_hello_put_number(terms, payload + ZG_HELLO_BOOT, own);
    zgi_hello_put_number(terms, payload + ZG_HELLO_PEER, number);
    return zgi_link_send(link, peer->address, terms->id, content, NULL, terms->size);
}

/* Whether it is time to ask for a hello: again while the peer is unknown, or because nothing arrived for the
 * keepalive's time. On a half-duplex line two ends that sent at once must not do so again, so each adds a different
 * delay. */
static inline bool zgi_hello_is_time(struct zg_link *link, struct zg_hello *hello, uint16_t own, uint32_t now)
{
    const struct zg_hello_terms *terms = ZGI_HELLO(link);
    uint32_t quiet = zg_clock_since(now, hello->sent_us);
    uint32_t spread = zgi_spread(link, terms->wait_us, own);

    if (terms->answers_only)
        return false;
    return hello->known ? terms->keepalive_us > 0 && quiet >= terms->keepalive_us + spread
                        : quiet >= (terms->wait_us << hello->tries) + spread;
}

/* Sends the hello that is due. */
static inline void zgi_hello_poll(struct zg_link *link, struct zg_peer *peer, struct zg_hello *hello, uint16_t own,
                                  uint32_t now)
{
    const struct zg_hello_terms *terms = ZGI_HELLO(link);
    uint8_t frames = (uint8_t)link->counters.frames_out;
    bool asks = hello->ask;
    own = zgi_own_number(hello, own);

    if (terms->asks_only && peer->up && zg_clock_since(now, peer->heard_us) < zg_clock_since(now, hello->sent_us))
        hello->sent_us = peer->heard_us;
    else if (!terms->asks_only && frames != hello->frames && hello->known)
        hello->sent_us = now;
    hello->frames = frames;
    if (!hello->answer && !asks) {
        if (!zgi_hello_is_time(link, hello, own, now))
            return;
        asks = !hello->known || terms->asks_only;
    }
    if (zgi_hello_send(link, peer, own, asks && !hello->answer ? 0 : hello->boot) != 0)
        return;
    hello->sent_us = now;
    if (hello->answer) {
        hello->answer = false;
        return;
    }
    hello->ask = false;
    if (!asks)
        return;
    zgi_await(link, peer->address, terms->wait_us);
    if (!hello->known && hello->tries < 5)
        hello->tries++;
}
