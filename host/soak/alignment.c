/* SPDX-License-Identifier: MIT */
#include "soak/alignment.h"

#include <stdbool.h>

enum {
    LOOKED_AT = 1024, /* bytes of each side */
    HELD_LEAST = 3,   /* in a row */
    /* costs */
    CHANGE = 2, /* of a byte, and 1 for each of its bits */
    GAP = 6,    /* a run of missing or inserted bytes, and 1 for each */
    FAR = 1 << 28
};

const char *zg_damage_name(enum zg_damage_name name)
{
    static const char *const names[ZG_DAMAGE_NAMES] = { "nothing changed", "bits flipped",   "bytes missing",
                                                        "bytes doubled",   "bytes inserted", "held at a level",
                                                        "several of these" };
    return names[name];
}

const char *zg_damage_key(enum zg_damage_name name)
{
    static const char *const keys[ZG_DAMAGE_NAMES] = { "unchanged", "flipped", "missing", "doubled",
                                                       "inserted",  "held",    "mixed" };
    return keys[name];
}

/* How the best alignment of the first i bytes sent and the first k that arrived ends. */
enum { BOTH, SENT_ONLY, ARRIVED_ONLY, WAYS };

struct table {
    const uint8_t *sent, *arrived;
    unsigned sent_size, arrived_size;
    int32_t *cost[2]; /* of two rows, WAYS for each k */
    uint8_t *came;    /* how the bytes before were, WAYS for each i and k */
    unsigned front;   /* bytes that are the same before these */
    GArray *steps;    /* NULL: nobody asks */
    guint noted;      /* in it before */
};

static int change_cost(uint8_t sent, uint8_t arrived)
{
    static const uint8_t ones[16] = { 0, 1, 1, 2, 1, 2, 2, 3, 1, 2, 2, 3, 2, 3, 3, 4 };
    const unsigned flipped = sent ^ arrived;
    return sent == arrived ? 0 : CHANGE + ones[flipped & 15U] + ones[flipped >> 4];
}

/* Puts the cheapest way to a cell, from costs by the way before. */
static void put(struct table *table, unsigned i, unsigned k, unsigned way, const int32_t *before, const int *more)
{
    int32_t *const cost = &table->cost[i & 1U][(size_t)k * WAYS + way];
    uint8_t *const came = &table->came[((size_t)i * (table->arrived_size + 1) + k) * WAYS + way];

    *cost = FAR;
    for (uint8_t from = 0; from < WAYS; from++)
        if (before[from] + more[from] < *cost) {
            *cost = before[from] + more[from];
            *came = from;
        }
}

static void fill(struct table *table)
{
    static const int32_t nowhere[WAYS] = { FAR, FAR, FAR };

    for (unsigned i = 0; i <= table->sent_size; i++)
        for (unsigned k = 0; k <= table->arrived_size; k++) {
            const int32_t *above = i > 0 ? &table->cost[(i - 1) & 1U][(size_t)k * WAYS] : nowhere;
            const int32_t *left = k > 0 ? &table->cost[i & 1U][((size_t)k - 1) * WAYS] : nowhere;
            const int32_t *corner = i > 0 && k > 0 ? &table->cost[(i - 1) & 1U][((size_t)k - 1) * WAYS] : nowhere;
            const int change = i > 0 && k > 0 ? change_cost(table->sent[i - 1], table->arrived[k - 1]) : 0;
            put(table, i, k, BOTH, corner, (const int[WAYS]){ change, change, change });
            put(table, i, k, SENT_ONLY, above, (const int[WAYS]){ GAP + 1, 1, GAP + 1 });
            put(table, i, k, ARRIVED_ONLY, left, (const int[WAYS]){ GAP + 1, GAP + 1, 1 });
            if (i == 0 && k == 0)
                table->cost[0][BOTH] = 0;
        }
}

/* The way of the last bytes. */
static unsigned best_end(const struct table *table)
{
    const int32_t *cost = &table->cost[table->sent_size & 1U][(size_t)table->arrived_size * WAYS];
    unsigned best = BOTH;

    for (unsigned way = 1; way < WAYS; way++)
        best = cost[way] < cost[best] ? way : best;
    return best;
}

/* Counts changed bytes, from the last to the first. A run that became all 00 or all FF was held. */
struct run {
    unsigned bytes, bits;
    int value; /* -1: none */
};

static void end_run(struct run *run, struct zg_alignment *found)
{
    const bool held = run->bytes >= HELD_LEAST && run->value >= 0;

    found->held += held ? run->bytes : 0;
    found->hit_bytes += held ? 0 : run->bytes;
    found->flipped_bits += held ? 0 : run->bits;
    *run = (struct run){ 0, 0, -1 };
}

static void add_change(struct run *run, uint8_t sent, uint8_t arrived, struct zg_alignment *found)
{
    const int value = arrived == 0x00 || arrived == 0xFF ? arrived : -1;

    if (run->bytes > 0 && (run->value != value || value < 0))
        end_run(run, found);
    run->value = value;
    run->bytes++;
    run->bits += (unsigned)__builtin_popcount((unsigned)(sent ^ arrived));
}

/* Notes a step, before those that follow it. */
static void note_step(const struct table *table, unsigned way, unsigned i, unsigned k, struct zg_alignment *found)
{
    const struct zg_align_step step = { way == BOTH        ? ZG_ALIGN_CHANGED
                                        : way == SENT_ONLY ? ZG_ALIGN_MISSING
                                                           : ZG_ALIGN_INSERTED,
                                        table->front + i, table->front + k, 1 };

    found->hit_to = MAX(found->hit_to, step.arrived_at);
    found->hit_from = step.arrived_at;
    if (!table->steps)
        return;
    struct zg_align_step *next = table->steps->len > table->noted
                                     ? &g_array_index(table->steps, struct zg_align_step, table->steps->len - 1)
                                     : NULL;
    if (next && way != BOTH && next->what == step.what && next->sent_at == step.sent_at + (way == SENT_ONLY) &&
        next->arrived_at == step.arrived_at + (way == ARRIVED_ONLY)) {
        next->sent_at = step.sent_at;
        next->arrived_at = step.arrived_at;
        next->count++;
    } else {
        g_array_append_val(table->steps, step);
    }
}

/* Follows the best alignment from its end. `*levels`: of the bytes that nobody sent so, how many are
 * 00 or FF. */
static void trace_back(const struct table *table, struct zg_alignment *found, unsigned *levels)
{
    unsigned i = table->sent_size, k = table->arrived_size, way = best_end(table), last = WAYS;
    struct run run = { 0, 0, -1 };

    while (i > 0 || k > 0) {
        const unsigned before = table->came[((size_t)i * (table->arrived_size + 1) + k) * WAYS + way];
        if (way == SENT_ONLY) {
            i--;
            found->missing++;
            found->missing_runs += last != SENT_ONLY;
        } else if (way == ARRIVED_ONLY) {
            k--;
            const bool is_again = (k > 0 && table->arrived[k] == table->arrived[k - 1]) ||
                                  (k + 1 < table->arrived_size && table->arrived[k] == table->arrived[k + 1]);
            *(is_again ? &found->doubled : &found->inserted) += 1;
        } else {
            i--;
            k--;
        }
        const bool is_change = way == BOTH && table->sent[i] != table->arrived[k];
        if (is_change || way != BOTH)
            note_step(table, way, i, k, found);
        *levels += (is_change || way == ARRIVED_ONLY) && (table->arrived[k] == 0x00 || table->arrived[k] == 0xFF);
        if (is_change)
            add_change(&run, table->sent[i], table->arrived[k], found);
        else
            end_run(&run, found);
        last = way;
        way = before;
    }
    end_run(&run, found);
}

static void turn_round(GArray *steps, guint first)
{
    for (guint i = first, k = steps->len; i + 1 < k; i++) {
        const struct zg_align_step step = g_array_index(steps, struct zg_align_step, --k);
        g_array_index(steps, struct zg_align_step, k) = g_array_index(steps, struct zg_align_step, i);
        g_array_index(steps, struct zg_align_step, i) = step;
    }
}

struct zg_alignment zg_align(const uint8_t *sent, size_t sent_size, const uint8_t *arrived, size_t arrived_size)
{
    return zg_align_steps(sent, sent_size, arrived, arrived_size, NULL);
}

struct zg_alignment zg_align_steps(const uint8_t *sent, size_t sent_size, const uint8_t *arrived, size_t arrived_size,
                                   GArray *steps)
{
    const guint before = steps ? steps->len : 0;
    struct zg_alignment found = { 0 };
    unsigned levels = 0;
    size_t front = 0;

    while (front < sent_size && front < arrived_size && sent[front] == arrived[front])
        front++;
    while (sent_size > front && arrived_size > front && sent[sent_size - 1] == arrived[arrived_size - 1]) {
        sent_size--;
        arrived_size--;
    }
    front -= MIN(front, 1); /* so that a doubled byte is seen behind the one that it repeats */
    struct table table = { .sent = sent + front,
                           .arrived = arrived + front,
                           .sent_size = (unsigned)MIN(sent_size - front, LOOKED_AT),
                           .arrived_size = (unsigned)MIN(arrived_size - front, LOOKED_AT),
                           .front = (unsigned)front,
                           .steps = steps,
                           .noted = before };
    found.missing = (unsigned)(sent_size - front - table.sent_size);
    found.missing_runs = found.missing > 0;
    found.inserted = (unsigned)(arrived_size - front - table.arrived_size);
    const size_t width = (size_t)table.arrived_size + 1;
    table.cost[0] = g_new(int32_t, width * WAYS);
    table.cost[1] = g_new(int32_t, width * WAYS);
    table.came = g_malloc0((table.sent_size + 1) * width * WAYS);
    fill(&table);
    trace_back(&table, &found, &levels);
    found.cost = (unsigned)table.cost[table.sent_size & 1U][(size_t)table.arrived_size * WAYS + best_end(&table)];
    if (found.missing > 0 && levels > 0 && levels == found.inserted + found.doubled + found.hit_bytes + found.held) {
        const unsigned held = found.held + found.missing + found.hit_bytes; /* in their place, as in a break */
        found = (struct zg_alignment){
            .held = held, .cost = found.cost, .hit_from = found.hit_from, .hit_to = found.hit_to
        };
    }
    if (steps)
        turn_round(steps, before);
    g_free(table.cost[0]);
    g_free(table.cost[1]);
    g_free(table.came);
    return found;
}

enum zg_damage_name zg_alignment_name(const struct zg_alignment *alignment)
{
    const bool is[ZG_DAMAGE_MIXED] = { [ZG_DAMAGE_FLIPPED] = alignment->hit_bytes > 0,
                                       [ZG_DAMAGE_MISSING] = alignment->missing > 0,
                                       [ZG_DAMAGE_DOUBLED] = alignment->doubled > 0,
                                       [ZG_DAMAGE_INSERTED] = alignment->inserted > 0,
                                       [ZG_DAMAGE_HELD] = alignment->held > 0 };
    enum zg_damage_name name = ZG_DAMAGE_NONE;

    for (unsigned i = 0; i < ZG_DAMAGE_MIXED; i++)
        if (is[i])
            name = name == ZG_DAMAGE_NONE ? (enum zg_damage_name)i : ZG_DAMAGE_MIXED;
    return name;
}
