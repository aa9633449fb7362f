/* SPDX-License-Identifier: MIT */
#include "soak/listening.h"

#include <math.h>

enum { SEEN = 64 }; /* numbers before the newest that are remembered */

/* What is known about one sender. */
struct sender {
    uint32_t newest;
    uint64_t seen;     /* bit n: newest - n has arrived */
    uint64_t first_ns; /* when the first arrived */
    uint64_t last_ns;
    uint64_t sent; /* since the first, as far as is known */
};

struct zgi_listening {
    struct zg_ledger *ledger;
    unsigned bits;
    GHashTable *senders; /* by address */
};

struct zgi_listening *zgi_listening_new(struct zg_ledger *ledger, unsigned bits)
{
    struct zgi_listening *listening = g_new0(struct zgi_listening, 1);

    listening->ledger = ledger;
    listening->bits = bits;
    listening->senders = g_hash_table_new_full(NULL, NULL, NULL, g_free);
    return listening;
}

void zgi_listening_free(struct zgi_listening *listening)
{
    if (!listening)
        return;
    g_hash_table_unref(listening->senders);
    g_free(listening);
}

static uint32_t mask_of(const struct zgi_listening *listening)
{
    return UINT32_MAX >> (32 - listening->bits);
}

/* How many frames the sender has sent since its last that came, if it kept its rate. */
static double expected_of(const struct sender *sender, uint64_t now_ns)
{
    const uint64_t heard_ns = sender->last_ns - sender->first_ns;

    return sender->sent < 8 || heard_ns == 0
               ? 0
               : (double)(now_ns - sender->last_ns) * (double)sender->sent / (double)heard_ns;
}

/* The newest frame of its sender, `ahead` numbers after the one before; `guessed` of them are whole rounds. */
static void take_newer(struct zgi_listening *listening, struct sender *sender, uint32_t ahead, uint64_t guessed,
                       uint64_t now_ns)
{
    const uint64_t passed = guessed + ahead;

    zg_ledger_add(listening->ledger, now_ns, ZG_FLOW_STREAM_BACK, ZG_CLASS_LOST_BACK, (int64_t)passed - 1);
    zg_ledger_add(listening->ledger, now_ns, ZG_FLOW_STREAM_BACK, ZG_CLASS_DELIVERED, 1);
    sender->seen = (passed < SEEN ? sender->seen << passed : 0) | 1;
    sender->newest += ahead;
    sender->sent += passed;
    sender->last_ns = now_ns;
}

uint64_t zgi_listening_take(struct zgi_listening *listening, const struct zg_header *header, uint64_t now_ns)
{
    const uint32_t mask = mask_of(listening);
    struct sender *sender = g_hash_table_lookup(listening->senders, GUINT_TO_POINTER((guint)header->source));

    if (!sender) {
        sender = g_new0(struct sender, 1);
        *sender =
            (struct sender){ .newest = header->sequence, .seen = UINT64_MAX, .first_ns = now_ns, .last_ns = now_ns };
        g_hash_table_insert(listening->senders, GUINT_TO_POINTER((guint)header->source), sender);
        zg_ledger_add(listening->ledger, now_ns, ZG_FLOW_STREAM_BACK, ZG_CLASS_DELIVERED, 1);
        return 0;
    }
    const uint32_t ahead = ((uint32_t)header->sequence - sender->newest) & mask, back = (0U - ahead) & mask;
    const double round = (double)mask + 1, expected = expected_of(sender, now_ns);
    if (expected > round / 2) { /* the numbers may have gone round */
        const double rounds = floor((expected - (double)ahead) / round + 0.5);
        const uint64_t guessed = rounds > 0   ? (uint64_t)rounds * ((uint64_t)mask + 1)
                                 : ahead == 0 ? (uint64_t)mask + 1
                                              : 0;
        take_newer(listening, sender, ahead, guessed, now_ns);
        return guessed;
    }
    if (ahead != 0 && ahead <= mask / 2 + 1) {
        take_newer(listening, sender, ahead, 0, now_ns);
    } else if (back < SEEN && (sender->seen >> back & 1) == 0) { /* it was taken for lost */
        sender->seen |= UINT64_C(1) << back;
        zg_ledger_add(listening->ledger, now_ns, ZG_FLOW_STREAM_BACK, ZG_CLASS_LOST_BACK, -1);
        zg_ledger_add(listening->ledger, now_ns, ZG_FLOW_STREAM_BACK, ZG_CLASS_OUT_OF_ORDER, 1);
    } else if (back < SEEN) {
        zg_ledger_other(listening->ledger, true, ZG_CLASS_REPEATED, 1);
    } else { /* far from its number: its sender began anew, or more than half a round is missing */
        take_newer(listening, sender, ahead, 0, now_ns);
    }
    return 0;
}
