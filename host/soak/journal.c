/* SPDX-License-Identifier: MIT */
#include "soak/journal.h"

#include "sim/random.h"
#include "soak/statistics.h"

enum { BINS_MORE = 32, PICKED = 6 /* bytes of each second and end, about */ };

struct lump {
    uint64_t at_ns, gap_ns, bytes;
};

struct zg_journal {
    bool keeps, real;
    uint64_t begin_ns, zero_ns; /* when this part of the run began, and second 0, modulo 2^64 */
    GPtrArray *seconds;         /* of struct zg_second, without gaps */
    uint32_t first;             /* the time of the first of them */
    uint32_t final;             /* seconds before this one are final */
    GArray *events, *times, *stretches;
    struct zg_random picks; /* of bytes that arrive at the device (0), at the host (1): */
    uint64_t to_pick[2];    /* so many until the next one */
    struct lump lumps[2];   /* the newest bytes that arrived together */
};

const char *zg_event_name(enum zg_event_kind kind)
{
    static const char *const names[ZG_EVENTS] = { "restart", "outage", "identity", "mark", "end" };
    return names[kind];
}

static void free_second(void *data)
{
    struct zg_second *second = data;

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        g_clear_pointer(&second->flows[flow].latency, g_array_unref);
    for (unsigned end = 0; end < 2; end++)
        g_clear_pointer(&second->picked[end], g_array_unref);
    g_free(second);
}

static void clear_stretch(void *data)
{
    struct zg_damage_found *stretch = data;

    g_clear_pointer(&stretch->sent, g_bytes_unref);
    g_clear_pointer(&stretch->arrived, g_bytes_unref);
    g_clear_pointer(&stretch->times, g_array_unref);
}

static GArray *new_stretches(void)
{
    GArray *stretches = g_array_new(FALSE, FALSE, sizeof(struct zg_damage_found));
    g_array_set_clear_func(stretches, clear_stretch);
    return stretches;
}

static void clear_event(void *data)
{
    g_free(((struct zg_event *)data)->text);
}

GArray *zg_events_new(void)
{
    GArray *events = g_array_new(FALSE, FALSE, sizeof(struct zg_event));

    g_array_set_clear_func(events, clear_event);
    return events;
}

struct zg_journal *zg_journal_new(bool keeps)
{
    struct zg_journal *journal = g_new0(struct zg_journal, 1);

    journal->keeps = keeps;
    journal->seconds = g_ptr_array_new_with_free_func(free_second);
    journal->events = zg_events_new();
    journal->stretches = new_stretches();
    journal->times = g_array_new(FALSE, FALSE, sizeof(struct zg_time_row));
    journal->picks = zg_random_seeded(1, 0);
    return journal;
}

void zg_journal_free(struct zg_journal *journal)
{
    if (!journal)
        return;
    g_ptr_array_unref(journal->seconds);
    g_array_unref(journal->events);
    g_array_unref(journal->times);
    g_array_unref(journal->stretches);
    g_free(journal);
}

void zg_journal_begin(struct zg_journal *journal, uint64_t zero_ns, uint32_t first, bool real)
{
    if (!journal)
        return;
    journal->real = real;
    journal->begin_ns = zero_ns;
    journal->zero_ns = zero_ns - (uint64_t)first * ZG_SECOND_NS;
    journal->first = journal->final = first;
}

/* Since second 0 began. What is older than the beginning of the run belongs to its first second. */
static uint64_t since_zero(const struct zg_journal *journal, uint64_t ns)
{
    const uint64_t since = ns - journal->zero_ns;
    return since > INT64_MAX ? 0 : since;
}

/* The second, which is there from now on. What comes later than the final ones belongs to the first that is not. */
static struct zg_second *second_of(struct zg_journal *journal, uint64_t at_ns)
{
    const uint32_t at = MAX((uint32_t)(since_zero(journal, at_ns) / ZG_SECOND_NS), journal->final);

    while (journal->first + journal->seconds->len <= at) {
        struct zg_second *second = g_new0(struct zg_second, 1);
        second->at = journal->first + journal->seconds->len;
        second->changed = true;
        g_ptr_array_add(journal->seconds, second);
    }
    struct zg_second *second = journal->seconds->pdata[at - journal->first];
    second->changed = true;
    return second;
}

void zg_journal_count(struct zg_journal *journal, uint64_t at_ns, enum zg_flow flow, enum zg_class class_, int count)
{
    if (!journal)
        return;
    struct zg_second_flow *of = &second_of(journal, at_ns)->flows[flow];
    uint32_t *counter = class_ == ZG_CLASSES ? &of->sent : &of->classes[class_];
    *counter += (uint32_t)count;
}

void zg_journal_sent(struct zg_journal *journal, uint64_t due_ns, enum zg_flow flow, size_t bytes)
{
    if (!journal)
        return;
    struct zg_second_flow *of = &second_of(journal, due_ns)->flows[flow];
    of->sent++;
    of->bytes += (uint32_t)bytes;
}

/* The count of a bin, which is there from now on, with some around it. */
static uint32_t *latency_count(struct zg_second_flow *of, uint32_t bin)
{
    if (!of->latency) {
        of->latency = g_array_new(FALSE, TRUE, sizeof(uint32_t));
        of->latency_first = bin - MIN(bin, (uint32_t)BINS_MORE);
    }
    if (bin < of->latency_first) {
        const uint32_t first = bin - MIN(bin, (uint32_t)BINS_MORE), more = of->latency_first - first;
        g_autofree uint32_t *none = g_new0(uint32_t, more);
        g_array_prepend_vals(of->latency, none, more);
        of->latency_first = first;
    }
    if (bin - of->latency_first >= of->latency->len)
        g_array_set_size(of->latency, bin - of->latency_first + BINS_MORE);
    return &g_array_index(of->latency, uint32_t, bin - of->latency_first);
}

void zg_journal_latency(struct zg_journal *journal, uint64_t due_ns, enum zg_flow flow, uint64_t latency_ns)
{
    if (journal)
        ++*latency_count(&second_of(journal, due_ns)->flows[flow], zg_spread_bin(latency_ns));
}

void zg_journal_slow(struct zg_journal *journal, uint64_t due_ns, enum zg_flow flow)
{
    if (journal)
        second_of(journal, due_ns)->flows[flow].slow++;
}

void zg_journal_damage(struct zg_journal *journal, uint64_t at_ns, bool at_host)
{
    if (journal)
        second_of(journal, at_ns)->damages[at_host]++;
}

void zg_journal_other(struct zg_journal *journal, uint64_t at_ns, bool at_host, enum zg_class class_, uint32_t count)
{
    if (journal && count > 0)
        second_of(journal, at_ns)->others[at_host][class_ - ZG_CLASS_REPEATED] += count;
}

void zg_journal_carried(struct zg_journal *journal, uint64_t at_ns, bool by_host, uint64_t bytes)
{
    if (journal && bytes > 0)
        second_of(journal, at_ns)->carried[by_host] += bytes;
}

/* How many bytes are between two that are chosen, so that about as many are chosen in each second, by how many came in
 * the one before. */
static uint64_t until_next_pick(struct zg_journal *journal, uint32_t at, bool at_host, uint64_t byte_ns)
{
    const struct zg_second *before = zg_journal_at(journal, at - 1);
    const uint64_t many = before && before->came[at_host] > 0 ? before->came[at_host] : ZG_SECOND_NS / MAX(byte_ns, 1);

    return zg_random_skip(&journal->picks, MIN(1, PICKED / (double)many));
}

/* The newest lump is over. The next one begins so long after it. */
static void end_lump(struct zg_second *second, struct lump *lump, bool at_host, uint64_t gap_ns)
{
    second->lump_bytes[at_host] += lump->bytes * lump->bytes;
    second->lump_us[at_host] += lump->bytes * (lump->gap_ns / 1000);
    lump->bytes = 0;
    lump->gap_ns = gap_ns;
}

/* Adds bytes to the newest lump, or as one of their own if they come that long after it. */
static void add_to_lump(struct lump *lump, struct zg_second *second, uint64_t at_ns, bool at_host, uint64_t count,
                        uint64_t apart_ns)
{
    const uint64_t gap_ns = at_ns - MIN(lump->at_ns, at_ns);

    if (gap_ns >= apart_ns)
        end_lump(second, lump, at_host, gap_ns);
    lump->at_ns = at_ns;
    lump->bytes += count;
}

/* Adds bytes of which each comes by itself. */
static void add_singly(struct lump *lump, struct zg_second *second, uint64_t last_ns, bool at_host, uint64_t count,
                       uint64_t each_ns)
{
    const uint64_t between = count - 1;

    add_to_lump(lump, second, last_ns - MIN(between * each_ns, last_ns), at_host, 1, each_ns);
    if (between == 0)
        return;
    end_lump(second, lump, at_host, each_ns);
    second->lump_bytes[at_host] += between - 1;
    second->lump_us[at_host] += (between - 1) * (each_ns / 1000);
    lump->at_ns = last_ns;
    lump->bytes = 1;
}

/* Chooses some of the bytes that came in a second, the last of them so long after it began. */
static void pick(struct zg_journal *journal, struct zg_second *second, uint64_t last_in_ns, bool at_host,
                 uint64_t count, uint64_t byte_ns)
{
    uint64_t *const left = &journal->to_pick[at_host], place = *left;

    for (; place < count; place += 1 + until_next_pick(journal, second->at, at_host, byte_ns)) {
        const uint32_t us = (uint32_t)((last_in_ns - MIN(last_in_ns, (count - 1 - place) * byte_ns)) / 1000);
        if (!second->picked[at_host])
            second->picked[at_host] = g_array_new(FALSE, FALSE, sizeof us);
        g_array_append_val(second->picked[at_host], us);
    }
    *left = place - count;
}

void zg_journal_came(struct zg_journal *journal, uint64_t last_ns, bool at_host, uint64_t count, uint64_t each_ns,
                     uint64_t byte_ns)
{
    if (!zg_journal_keeps(journal) || count == 0)
        return;
    struct zg_second *second = second_of(journal, last_ns);
    const uint64_t since_ns = since_zero(journal, last_ns), from_ns = (uint64_t)second->at * ZG_SECOND_NS,
                   last_in_ns = since_ns - MIN(since_ns, from_ns);
    if (since_ns >= from_ns && second->at > journal->final && (count - 1) * each_ns > last_in_ns) {
        const uint64_t here = last_in_ns / each_ns + 1;
        zg_journal_came(journal, last_ns - here * each_ns, at_host, count - here, each_ns, byte_ns);
        count = here;
    }
    second->came[at_host] += count;
    if (each_ns > 0)
        add_singly(&journal->lumps[at_host], second, last_ns, at_host, count, each_ns);
    else
        add_to_lump(&journal->lumps[at_host], second, last_ns, at_host, count, byte_ns);
    pick(journal, second, last_in_ns, at_host, count, byte_ns);
}

void zg_journal_held(struct zg_journal *journal, uint64_t from_ns, uint64_t to_ns)
{
    while (journal && from_ns < to_ns) {
        const uint64_t rest_ns = ZG_SECOND_NS - since_zero(journal, from_ns) % ZG_SECOND_NS,
                       next_ns = MIN(to_ns, from_ns + rest_ns);
        second_of(journal, from_ns)->held_ms += (uint32_t)((next_ns - from_ns + 500000) / 1000000);
        from_ns = next_ns;
    }
}

void zg_journal_event(struct zg_journal *journal, uint64_t at_ns, enum zg_event_kind kind, const char *format, ...)
{
    va_list arguments;

    if (!journal)
        return;
    va_start(arguments, format);
    const struct zg_event event = { since_zero(journal, at_ns), kind, g_strdup_vprintf(format, arguments) };
    va_end(arguments);
    g_array_append_val(journal->events, event);
}

uint64_t zg_damage_time_ns(const struct zg_damage_found *stretch, size_t place)
{
    uint64_t before_ns = 0;

    for (guint i = 0; stretch->times && i < stretch->times->len; i++) {
        const struct zg_passed *passed = &g_array_index(stretch->times, struct zg_passed, i);
        if (place < passed->end || i + 1 == stretch->times->len) {
            const uint64_t back_ns = place < passed->end ? (passed->end - 1 - place) * stretch->byte_ns : 0;
            return MAX(passed->last_ns - MIN(back_ns, passed->last_ns), before_ns);
        }
        before_ns = passed->last_ns;
    }
    return 0;
}

bool zg_journal_keeps(const struct zg_journal *journal)
{
    return journal && journal->keeps;
}

void zg_journal_stretch(struct zg_journal *journal, struct zg_damage_found *stretch)
{
    if (!zg_journal_keeps(journal)) {
        clear_stretch(stretch);
        return;
    }
    stretch->from_ns = since_zero(journal, stretch->from_ns);
    stretch->to_ns = since_zero(journal, stretch->to_ns);
    for (guint i = 0; stretch->times && i < stretch->times->len; i++) {
        struct zg_passed *passed = &g_array_index(stretch->times, struct zg_passed, i);
        passed->last_ns = since_zero(journal, passed->last_ns);
    }
    g_array_append_val(journal->stretches, *stretch);
}

GArray *zg_journal_take_stretches(struct zg_journal *journal)
{
    GArray *taken = journal->stretches;

    journal->stretches = new_stretches();
    return taken;
}

void zg_journal_mark(struct zg_journal *journal, uint64_t since_begin_ns, const char *text)
{
    zg_journal_event(journal, journal->begin_ns + since_begin_ns, ZG_EVENT_MARK, "%s", text);
}

/* What a second adds to each rate. */
static void count_rates(const struct zg_second *second, bool real, struct zg_rate_row *row)
{
    struct zg_rate_source source = { .damages = { second->damages[0], second->damages[1] },
                                     .real = real,
                                     .has_device = real };

    for (unsigned i = 0; i < ZG_FLOWS; i++) {
        const struct zg_second_flow *of = &second->flows[i];
        const bool at_host = zg_flow_is_back((enum zg_flow)i);
        for (unsigned k = 0; k < ZG_ENTRY_CLASSES; k++) {
            source.sums.entries[i][k] = of->classes[k];
            if (k <= ZG_CLASS_OUT_OF_ORDER) /* those that arrived intact */
                source.sums.arrivals[at_host][k] += of->classes[k];
        }
        source.slow += of->slow;
        if (i == ZG_FLOW_ECHO_BACK)
            source.answers = (uint64_t)of->classes[ZG_CLASS_DELIVERED] + of->classes[ZG_CLASS_LATE] +
                             of->classes[ZG_CLASS_OUT_OF_ORDER];
    }
    for (unsigned end = 0; end < 2; end++)
        for (unsigned k = 0; k < ZG_OTHER_CLASSES; k++)
            source.sums.arrivals[end][ZG_CLASS_REPEATED + k] = second->others[end][k];
    for (unsigned i = 0; i < ZG_RATES; i++) {
        uint64_t errors, trials;
        zg_rate_count(i, &source, &errors, &trials);
        row->errors[i] = (uint32_t)errors;
        row->trials[i] = (uint32_t)trials;
    }
}

struct zg_time_row zg_time_row_of(const struct zg_second *second, bool real)
{
    struct zg_time_row row = { .held = second->held_ms > 0 };

    for (unsigned i = 0; i < ZG_FLOWS; i++) {
        const enum zg_flow flow = (enum zg_flow)i;
        const struct zg_second_flow *of = &second->flows[i];
        if (real && flow == ZG_FLOW_ECHO_BACK) /* its entries begin with their arrival */
            continue;
        const enum zg_path path = real && flow == ZG_FLOW_ECHO_OUT ? ZG_PATH_TRIP
                                  : zg_flow_is_back(flow)          ? ZG_PATH_BACK
                                                                   : ZG_PATH_OUT;
        const uint32_t came =
            of->classes[ZG_CLASS_DELIVERED] + of->classes[ZG_CLASS_LATE] + of->classes[ZG_CLASS_OUT_OF_ORDER];
        row.sent[path] += of->sent;
        row.bad[path] += of->sent - MIN(of->sent, came);
    }
    count_rates(second, real, &row.rates);
    return row;
}

/* Forgets final seconds that nobody waits for. */
static void forget(struct zg_journal *journal)
{
    guint count = 0;

    while (count < journal->seconds->len) {
        const struct zg_second *second = journal->seconds->pdata[count];
        if (second->at >= journal->final || (journal->keeps && second->changed))
            break;
        count++;
    }
    if (count > 0)
        g_ptr_array_remove_range(journal->seconds, 0, count);
    journal->first += count;
}

static void make_final(struct zg_journal *journal, uint32_t before)
{
    if (before <= journal->final)
        return;
    for (uint32_t at = journal->final; at < before; at++) {
        const struct zg_second *second = zg_journal_at(journal, at);
        const struct zg_time_row row = second ? zg_time_row_of(second, journal->real) : (struct zg_time_row){ 0 };
        g_array_append_val(journal->times, row);
    }
    if (journal->first + journal->seconds->len < before) /* seconds without anything are kept as such */
        (void)second_of(journal, journal->zero_ns + (uint64_t)(before - 1) * ZG_SECOND_NS);
    journal->final = before;
    forget(journal);
}

void zg_journal_settle(struct zg_journal *journal, uint64_t before_ns)
{
    if (journal)
        make_final(journal, (uint32_t)(since_zero(journal, before_ns) / ZG_SECOND_NS));
}

void zg_journal_close(struct zg_journal *journal, uint64_t ran_ns)
{
    if (!journal)
        return;
    make_final(journal, journal->first + journal->seconds->len);
    g_array_set_size(journal->times, MIN(journal->times->len, (guint)(ran_ns / ZG_SECOND_NS)));
}

void zg_journal_take(struct zg_journal *journal, zg_journal_taker take, void *data)
{
    for (guint i = 0; i < journal->seconds->len; i++) {
        struct zg_second *second = journal->seconds->pdata[i];
        if (second->changed)
            take(second, data);
        second->changed = false;
    }
    forget(journal);
}

const struct zg_second *zg_journal_at(const struct zg_journal *journal, uint32_t at)
{
    return at - journal->first < journal->seconds->len ? journal->seconds->pdata[at - journal->first] : NULL;
}

const GArray *zg_journal_events(const struct zg_journal *journal)
{
    return journal->events;
}

const GArray *zg_journal_times(const struct zg_journal *journal)
{
    return journal->times;
}
