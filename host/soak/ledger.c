/* SPDX-License-Identifier: MIT */
#include "soak/journal.h"

/* What became of a flow's frames; slot number % window is for frame `number`. */
struct flow {
    struct slot {
        struct zg_ledger_entry entry;
        uint32_t number;
        bool used;
    } * slots;
    uint32_t next;    /* number of the next frame */
    uint32_t highest; /* order of the newest that arrived, plus one; 0: none did */
    uint32_t settled; /* earlier ones have arrived or are counted as lost; */
    uint32_t oldest;  /* none before this may still arrive */
};

struct zg_ledger {
    unsigned window;
    struct zg_journal *journal;
    bool real;
    void (*fate)(void *data, enum zg_flow flow, uint32_t number, enum zg_class class_, int count);
    void *data;
    struct flow flows[ZG_FLOWS];
    struct zg_ledger_sums sums;
    uint64_t lost_before; /* of the stream out, according to a real device */
};

static const struct {
    const char *name;
    const char *key;
} classes[ZG_CLASSES] = {
    [ZG_CLASS_DELIVERED] = { "delivered", "delivered" },
    [ZG_CLASS_LATE] = { "delivered late", "late" },
    [ZG_CLASS_OUT_OF_ORDER] = { "out of order", "out_of_order" },
    [ZG_CLASS_LOST_OUT] = { "lost on the way out", "lost_out" },
    [ZG_CLASS_LOST_BACK] = { "lost on the way back", "lost_back" },
    [ZG_CLASS_LOST_EITHER] = { "lost, one way or the other", "lost_either" },
    [ZG_CLASS_LOST_RESTART] = { "lost in a restart", "lost_restart" },
    [ZG_CLASS_LOST_OUTAGE] = { "lost in an outage", "lost_outage" },
    [ZG_CLASS_UNANSWERED] = { "not answered", "unanswered" },
    [ZG_CLASS_CUT_OFF] = { "cut off, not known", "cut_off" },
    [ZG_CLASS_REPEATED] = { "repeated", "repeated" },
    [ZG_CLASS_DETECTED] = { "damaged, detected", "damaged_detected" },
    [ZG_CLASS_ACCEPTED] = { "damaged, accepted", "damaged_accepted" },
    [ZG_CLASS_UNEXPECTED] = { "unexpected", "unexpected" },
};

const char *zg_class_name(enum zg_class class_)
{
    return classes[class_].name;
}

const char *zg_class_key(enum zg_class class_)
{
    return classes[class_].key;
}

bool zg_class_is_of_entries(enum zg_class class_)
{
    return class_ < ZG_CLASS_REPEATED;
}

bool zg_class_is_of_arrivals(enum zg_class class_)
{
    return class_ <= ZG_CLASS_OUT_OF_ORDER || class_ >= ZG_CLASS_REPEATED;
}

uint64_t zg_ledger_lost(const struct zg_ledger_sums *sums, enum zg_flow flow)
{
    uint64_t count = 0;

    for (unsigned i = ZG_CLASS_LOST_OUT; i < ZG_CLASS_CUT_OFF; i++)
        count += sums->entries[flow][i];
    return count;
}

struct zg_ledger *zg_ledger_new(unsigned window, struct zg_journal *journal, bool real)
{
    struct zg_ledger *ledger = g_new0(struct zg_ledger, 1);

    ledger->window = window;
    ledger->journal = journal;
    ledger->real = real;
    for (unsigned i = 0; i < ZG_FLOWS; i++)
        ledger->flows[i].slots = g_new0(struct slot, window);
    return ledger;
}

void zg_ledger_free(struct zg_ledger *ledger)
{
    if (!ledger)
        return;
    for (unsigned i = 0; i < ZG_FLOWS; i++)
        g_free(ledger->flows[i].slots);
    g_free(ledger);
}

void zg_ledger_begin(struct zg_ledger *ledger, enum zg_flow flow, uint32_t number)
{
    struct flow *of = &ledger->flows[flow];
    of->next = of->settled = of->oldest = number;
}

uint32_t zg_ledger_next(const struct zg_ledger *ledger, enum zg_flow flow)
{
    return ledger->flows[flow].next;
}

/* Whether the fate of each of a flow's frames is known, not only counts of them. */
static bool is_known_singly(const struct zg_ledger *ledger, unsigned flow)
{
    return !(ledger->real && flow == ZG_FLOW_STREAM_OUT);
}

static void note(const struct zg_ledger *ledger, enum zg_flow flow, const struct slot *slot, enum zg_class class_,
                 int count)
{
    if (is_known_singly(ledger, flow))
        zg_journal_count(ledger->journal, slot->entry.due_ns, flow, class_, count);
    if (ledger->fate)
        ledger->fate(ledger->data, flow, slot->number, class_, count);
}

void zg_ledger_watch(struct zg_ledger *ledger,
                     void (*fate)(void *data, enum zg_flow flow, uint32_t number, enum zg_class class_, int count),
                     void *data)
{
    ledger->fate = fate;
    ledger->data = data;
}

/* Counts an entry as lost, or takes that back. The journal does not know which way an echo of a real link was lost. */
static void set_lost(struct zg_ledger *ledger, enum zg_flow flow, struct slot *slot, bool lost)
{
    struct zg_ledger_entry *entry = &slot->entry;
    const enum zg_class class_ = entry->lost_in != 0     ? (enum zg_class)entry->lost_in
                                 : zg_flow_is_back(flow) ? ZG_CLASS_LOST_BACK
                                                         : ZG_CLASS_LOST_OUT;
    const bool either = ledger->real && class_ == ZG_CLASS_LOST_OUT && flow == ZG_FLOW_ECHO_OUT;

    if (entry->lost == lost)
        return;
    entry->lost = lost;
    ledger->sums.entries[flow][class_] += lost ? 1 : UINT64_MAX;
    note(ledger, flow, slot, either ? ZG_CLASS_LOST_EITHER : class_, lost ? 1 : -1);
}

static void close_slot(struct zg_ledger *ledger, enum zg_flow flow, struct slot *slot)
{
    if (slot->used && !slot->entry.arrived)
        set_lost(ledger, flow, slot, true);
    slot->used = false;
}

void zg_ledger_sent(struct zg_ledger *ledger, enum zg_flow flow, uint32_t number, const struct zg_ledger_entry *entry)
{
    struct flow *to = &ledger->flows[flow];
    struct slot *slot = &to->slots[number % ledger->window];

    close_slot(ledger, flow, slot);
    *slot = (struct slot){ *entry, number, true };
    to->next = number + 1;
    ledger->sums.sent[flow]++;
    zg_journal_sent(ledger->journal, entry->due_ns, flow, entry->bytes);
}

void zg_ledger_skip_to(struct zg_ledger *ledger, enum zg_flow flow, uint32_t number)
{
    ledger->flows[flow].next = number;
}

static struct slot *find(const struct zg_ledger *ledger, enum zg_flow flow, uint32_t number)
{
    struct slot *slot = &ledger->flows[flow].slots[number % ledger->window];
    return slot->used && slot->number == number ? slot : NULL;
}

const struct zg_ledger_entry *zg_ledger_find(const struct zg_ledger *ledger, enum zg_flow flow, uint32_t number)
{
    const struct slot *slot = find(ledger, flow, number);
    return slot ? &slot->entry : NULL;
}

enum zg_class zg_ledger_arrived(struct zg_ledger *ledger, enum zg_flow flow, uint32_t number, uint64_t now_ns,
                                uint64_t late_ns)
{
    struct slot *slot = find(ledger, flow, number);
    struct flow *of = &ledger->flows[flow];
    enum zg_class class_ = ZG_CLASS_DELIVERED;

    g_assert(slot);
    set_lost(ledger, flow, slot, false);
    if (slot->entry.arrived)
        class_ = ZG_CLASS_REPEATED;
    else if (slot->entry.order + 1 < of->highest)
        class_ = ZG_CLASS_OUT_OF_ORDER;
    else if (now_ns - slot->entry.sent_ns > late_ns)
        class_ = ZG_CLASS_LATE;
    if (class_ != ZG_CLASS_REPEATED) {
        ledger->sums.entries[flow][class_]++;
        note(ledger, flow, slot, class_, 1);
    } else {
        zg_journal_other(ledger->journal, now_ns, zg_flow_is_back(flow), class_, 1);
    }
    ledger->sums.arrivals[zg_flow_is_back(flow)][class_]++;
    slot->entry.arrived = true;
    of->highest = MAX(of->highest, slot->entry.order + 1);
    return class_;
}

void zg_ledger_settle(struct zg_ledger *ledger, uint64_t before_ns)
{
    for (unsigned i = 0; i < ZG_FLOWS; i++) {
        struct flow *of = &ledger->flows[i];
        for (; is_known_singly(ledger, i) && of->settled != of->next; of->settled++) {
            struct slot *slot = find(ledger, (enum zg_flow)i, of->settled);
            if (slot && !slot->entry.arrived && slot->entry.sent_ns >= before_ns)
                break;
            if (slot && !slot->entry.arrived)
                set_lost(ledger, (enum zg_flow)i, slot, true);
        }
    }
}

uint64_t zg_ledger_oldest_due_ns(struct zg_ledger *ledger)
{
    uint64_t oldest_ns = UINT64_MAX;

    for (unsigned i = 0; i < ZG_FLOWS; i++) {
        struct flow *of = &ledger->flows[i];
        const struct slot *slot = NULL;
        if (!is_known_singly(ledger, i))
            continue;
        if (of->next - of->oldest > ledger->window)
            of->oldest = of->next - ledger->window;
        for (; of->oldest != of->next; of->oldest++) {
            slot = find(ledger, (enum zg_flow)i, of->oldest);
            if (slot && !slot->entry.arrived)
                break;
        }
        if (of->oldest != of->next)
            oldest_ns = MIN(oldest_ns, slot->entry.due_ns);
    }
    return oldest_ns;
}

void zg_ledger_add(struct zg_ledger *ledger, uint64_t at_ns, enum zg_flow flow, enum zg_class class_, int64_t count)
{
    zg_journal_count(ledger->journal, at_ns, flow, ZG_CLASSES, (int)count);
    zg_journal_count(ledger->journal, at_ns, flow, class_, (int)count);
    ledger->sums.sent[flow] += (uint64_t)count;
    ledger->sums.entries[flow][class_] += (uint64_t)count;
    if (zg_class_is_of_arrivals(class_))
        ledger->sums.arrivals[zg_flow_is_back(flow)][class_] += (uint64_t)count;
}

void zg_ledger_other(struct zg_ledger *ledger, bool at_host, enum zg_class class_, uint64_t count)
{
    ledger->sums.arrivals[at_host][class_] += count;
}

void zg_ledger_close(struct zg_ledger *ledger)
{
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        for (unsigned i = 0; i < ledger->window; i++)
            close_slot(ledger, (enum zg_flow)flow, &ledger->flows[flow].slots[i]);
}

void zg_ledger_lost_in(struct zg_ledger *ledger, enum zg_class class_, uint64_t from_ns)
{
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        for (unsigned i = 0; i < ledger->window; i++) {
            struct slot *slot = &ledger->flows[flow].slots[i];
            const bool was_lost = slot->entry.lost;
            if (!slot->used || slot->entry.arrived || slot->entry.sent_ns < from_ns)
                continue;
            set_lost(ledger, (enum zg_flow)flow, slot, false);
            slot->entry.lost_in = (uint8_t)class_;
            set_lost(ledger, (enum zg_flow)flow, slot, was_lost);
        }
}

void zg_ledger_close_since(struct zg_ledger *ledger, uint64_t from_ns, enum zg_class newer, enum zg_class older)
{
    uint64_t *entries = ledger->sums.entries[ZG_FLOW_ECHO_OUT];

    for (unsigned i = 0; i < ledger->window; i++) {
        struct slot *slot = &ledger->flows[ZG_FLOW_ECHO_OUT].slots[i];
        if (!slot->used || slot->entry.arrived)
            continue;
        const enum zg_class class_ = slot->entry.sent_ns >= from_ns ? newer : older;
        set_lost(ledger, ZG_FLOW_ECHO_OUT, slot, false);
        entries[class_]++;
        note(ledger, ZG_FLOW_ECHO_OUT, slot, class_, 1);
        slot->used = false;
    }
    entries[older] += entries[ZG_CLASS_LOST_OUT];
    entries[ZG_CLASS_LOST_OUT] = 0;
}

void zg_ledger_close_echoes(struct zg_ledger *ledger, uint32_t lost_out, uint32_t lost_back)
{
    struct zg_ledger_sums *sums = &ledger->sums;

    zg_ledger_close(ledger);
    uint64_t *entries = sums->entries[ZG_FLOW_ECHO_OUT], *lost = &entries[ZG_CLASS_LOST_OUT];
    const uint32_t perhaps = (uint32_t)entries[ZG_CLASS_LOST_OUTAGE], perhaps_out = MIN(perhaps, lost_out),
                   perhaps_back = MIN(perhaps, lost_back);
    const uint64_t reached = *lost - MIN(*lost, lost_out - perhaps_out),
                   answered = MIN(reached, lost_back - perhaps_back),
                   either = MIN(reached - answered, perhaps_out + perhaps_back);
    *lost -= reached;
    entries[ZG_CLASS_LOST_EITHER] += either;
    entries[ZG_CLASS_UNANSWERED] += reached - answered - either;
    entries[ZG_CLASS_DELIVERED] += answered;
    sums->arrivals[0][ZG_CLASS_DELIVERED] += reached - either;
    sums->sent[ZG_FLOW_ECHO_BACK] += answered;
    sums->entries[ZG_FLOW_ECHO_BACK][ZG_CLASS_LOST_BACK] += answered;
}

void zg_ledger_close_streams(struct zg_ledger *ledger, uint64_t taken, uint64_t lost, enum zg_class others,
                             uint64_t sent, const uint64_t in_outages[2])
{
    struct zg_ledger_sums *sums = &ledger->sums;
    uint64_t *out = sums->entries[ZG_FLOW_STREAM_OUT], open = sums->sent[ZG_FLOW_STREAM_OUT];

    for (unsigned i = 0; i < ledger->window; i++)
        ledger->flows[ZG_FLOW_STREAM_OUT].slots[i].used = false;
    out[ZG_CLASS_LOST_OUT] = ledger->lost_before; /* without those that only fell out of the window */
    for (unsigned i = 0; i < ZG_CLASSES; i++)
        open -= out[i];
    taken = MIN(taken, open);
    lost = MIN(lost, open - taken);
    out[ZG_CLASS_DELIVERED] += taken;
    out[ZG_CLASS_LOST_OUT] += lost;
    out[others] += open - taken - lost;
    const uint64_t in_these = MIN(lost, in_outages[0]);
    out[ZG_CLASS_LOST_OUT] -= in_these;
    out[ZG_CLASS_LOST_OUTAGE] += in_these;
    ledger->lost_before = out[ZG_CLASS_LOST_OUT];
    sums->arrivals[0][ZG_CLASS_DELIVERED] += taken;
    if (sent > sums->sent[ZG_FLOW_STREAM_BACK]) {
        const uint64_t missing = sent - sums->sent[ZG_FLOW_STREAM_BACK], outage = MIN(missing, in_outages[1]);
        sums->entries[ZG_FLOW_STREAM_BACK][ZG_CLASS_LOST_BACK] += missing - outage;
        sums->entries[ZG_FLOW_STREAM_BACK][ZG_CLASS_LOST_OUTAGE] += outage;
        sums->sent[ZG_FLOW_STREAM_BACK] = sent;
    }
}

const struct zg_ledger_sums *zg_ledger_sums(const struct zg_ledger *ledger)
{
    return &ledger->sums;
}
