/* SPDX-License-Identifier: MIT */
#include "report/compare.h"

#include <math.h>
#include <string.h>

#include "codec/read_json.h"
#include "sim/random.h"
#include "soak/rates.h"
#include "soak/statistics.h"

enum {
    PERMUTATIONS = 20000,
    BLOCK_S = 10 /* at least */
};

static const double together = 0.05; /* the chance that any of the kinds is taken for worse that is not */

/* --- what is compared */

/* A kind of error: rates that are added up, the trials of the first one. */
struct kind {
    const char *keys[2];
};

static const struct kind kinds[ZG_COMPARED_MOST] = { { { "lost" } },
                                                     { { "lost_out" } },
                                                     { { "lost_back" } },
                                                     { { "late" } },
                                                     { { "out_of_order" } },
                                                     { { "repeated" } },
                                                     { { "damaged_accepted", "unexpected" } } };

static const char *key_of(const struct kind *kind)
{
    return kind->keys[1] ? "accepted_or_unexpected" : kind->keys[0];
}

bool zg_compared_fits(const struct zg_stored *const *runs, unsigned count, unsigned kind)
{
    uint64_t either = 0;

    for (unsigned run = 0; run < count; run++)
        for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
            either += runs[run]->sums.sums.entries[flow][ZG_CLASS_LOST_EITHER];
    return kind == 0 ? either > 0 : kind > 2 || either == 0;
}

static unsigned index_of(const char *key)
{
    unsigned index = 0;

    while (!g_str_equal(zg_rate_key(index), key))
        index++;
    return index;
}

/* A stretch of time: errors and trials. */
struct block {
    double errors, trials;
};

/* The blocks of a run, without seconds in which nothing was measured. */
static void add_blocks(const struct zg_stored *stored, const struct kind *kind, guint block_s, GArray *blocks)
{
    struct block block = { 0, 0 };
    guint seconds = 0;

    for (guint at = 0; at < stored->times->len; at++) {
        const struct zg_time_row *row = &g_array_index(stored->times, struct zg_time_row, at);
        for (unsigned i = 0; i < 2 && kind->keys[i] && !row->held; i++) {
            block.errors += row->rates.errors[index_of(kind->keys[i])];
            block.trials += i == 0 ? row->rates.trials[index_of(kind->keys[i])] : 0;
        }
        if (++seconds < block_s && at + 1 < stored->times->len)
            continue;
        if (block.trials > 0)
            g_array_append_val(blocks, block);
        block = (struct block){ 0, 0 };
        seconds = 0;
    }
}

/* The rate of a kind's part. */
static struct zg_soak_rate rate_of(const struct zg_stored *run, const char *key)
{
    struct zg_soak_rate rate = { .key = NULL };

    for (unsigned k = 0; zg_soak_rate_at(&run->sums, k, &rate) && !g_str_equal(rate.key, key); k++)
        ;
    return rate;
}

const char *zg_compared_count(const struct zg_stored *run, unsigned kind, uint64_t *errors, uint64_t *trials)
{
    *errors = *trials = 0;
    for (unsigned i = 0; i < 2 && kinds[kind].keys[i]; i++) {
        const struct zg_soak_rate rate = rate_of(run, kinds[kind].keys[i]);
        *errors += rate.errors;
        *trials += i == 0 ? rate.trials : 0;
    }
    return key_of(&kinds[kind]);
}

double zg_compared_weight(const struct zg_stored *run, unsigned kind)
{
    double weight = 1;

    for (unsigned i = 0; i < 2 && kinds[kind].keys[i]; i++)
        weight = fmax(weight, zg_cluster_weight(&run->sums.clusters[index_of(kinds[kind].keys[i])]));
    return weight;
}

/* Counts a kind in both runs. Returns the block's length: 0 if errors cluster in neither. */
static guint count_kind(const struct zg_stored *const runs[2], unsigned kind, struct zg_compared *row)
{
    guint block_s = 0;

    *row = (struct zg_compared){ .of = rate_of(runs[0], kinds[kind].keys[0]).of };
    for (unsigned run = 0; run < 2; run++) {
        row->key = zg_compared_count(runs[run], kind, &row->errors[run], &row->trials[run]);
        for (unsigned i = 0; i < 2 && kinds[kind].keys[i]; i++) {
            const struct zg_cluster *cluster = &runs[run]->sums.clusters[index_of(kinds[kind].keys[i])];
            if (cluster->clustered)
                block_s = MAX(MAX(block_s, cluster->block_s), (guint)BLOCK_S);
        }
    }
    row->clustered = block_s > 0;
    return block_s;
}

/* --- chance */

static double log_choose(double n, double k)
{
    int sign; /* lgamma() would write to a variable of the C library */
    return lgamma_r(n + 1, &sign) - lgamma_r(k + 1, &sign) - lgamma_r(n - k + 1, &sign);
}

/* The chance that of all errors `k` or more, or with `less` or fewer, are the run's, if its rate is `ratio` times the
 * other's: exact for a ratio of 1, otherwise of a small rate. */
static double exact_chance(const struct zg_compared *row, uint64_t k, uint64_t all, double ratio, bool less)
{
    const double one = (double)row->trials[0], other = (double)row->trials[1], sum = (double)all;
    const double share = ratio * one / (ratio * one + other);
    double chance = 0;

    for (uint64_t i = less ? 0 : k; i <= (less ? k : all); i++) {
        const double x = (double)i;
        if (ratio == 1 && x <= one && sum - x <= other)
            chance += exp(log_choose(one, x) + log_choose(other, sum - x) - log_choose(one + other, sum));
        else if (ratio != 1)
            chance += exp(log_choose(sum, x) + x * log(share) + (sum - x) * log1p(-share));
    }
    return fmin(chance, 1);
}

static double rate_over(const struct block sums[2])
{
    return sums[0].errors / sums[0].trials - sums[1].errors / sums[1].trials;
}

static void add(struct block *to, const struct block *block)
{
    to->errors += block->errors;
    to->trials += block->trials;
}

/* The same by giving the blocks to the runs by chance. With a ratio the other's errors count as many times. */
static double permuted_chance(const struct zg_stored *const runs[2], const struct kind *kind, guint block_s,
                              double ratio, bool less)
{
    g_autoptr(GArray) blocks = g_array_new(FALSE, FALSE, sizeof(struct block));
    struct zg_random random = zg_random_seeded(1, 3);
    struct block seen[2] = { { 0, 0 } }, all = { 0, 0 };
    unsigned extreme = 1;

    add_blocks(runs[0], kind, block_s, blocks);
    const guint first = blocks->len;
    add_blocks(runs[1], kind, block_s, blocks);
    for (guint i = 0; i < blocks->len; i++) {
        struct block *block = &g_array_index(blocks, struct block, i);
        block->errors *= i < first ? 1 : ratio;
        add(&seen[i >= first], block);
        add(&all, block);
    }
    if (first == 0 || first == blocks->len)
        return 1;
    const double wanted = rate_over(seen);
    const guint fewer = MIN(first, blocks->len - first); /* those of one run are drawn, the rest is the other's */
    for (unsigned round = 0; round < PERMUTATIONS; round++) {
        struct block drawn = { 0, 0 };
        for (guint i = 0; i < fewer; i++) {
            const guint at = i + (guint)zg_random_below(&random, blocks->len - i);
            const struct block block = g_array_index(blocks, struct block, at);
            g_array_index(blocks, struct block, at) = g_array_index(blocks, struct block, i);
            g_array_index(blocks, struct block, i) = block;
            add(&drawn, &block);
        }
        const struct block rest = { all.errors - drawn.errors, all.trials - drawn.trials };
        const struct block sums[2] = { fewer == first ? drawn : rest, fewer == first ? rest : drawn };
        const double found = rate_over(sums);
        extreme += less ? found <= wanted + 1e-15 : found >= wanted - 1e-15;
    }
    return (double)extreme / (PERMUTATIONS + 1);
}

/* --- ratios */

double zg_compared_ratio(const struct zg_compared *row)
{
    const double one = (double)row->errors[0] / (double)row->trials[0],
                 other = (double)row->errors[1] / (double)row->trials[1];
    return one == 0 && other == 0 ? NAN : other == 0 ? INFINITY : one / other;
}

/* Bounds from the run's share of all errors, which is known as well as that of a rate. */
static void bound_ratio(struct zg_compared *row, double weight, double confidence)
{
    const double all = (double)(row->errors[0] + row->errors[1]),
                 times = (double)row->trials[1] / (double)row->trials[0];
    double low = 0, high = 1, other_low = 0, other_high = 1;

    row->ratio_low = 0;
    row->ratio_high = INFINITY;
    if (all == 0)
        return;
    if (2 * row->errors[0] <= row->errors[0] + row->errors[1]) {
        zg_rate_bounds_real((double)row->errors[0] / weight, all / weight, confidence, &low, &high);
    } else { /* of the smaller one */
        zg_rate_bounds_real((double)row->errors[1] / weight, all / weight, confidence, &other_low, &other_high);
        low = 1 - other_high;
        high = 1 - other_low;
    }
    row->ratio_low = low / (1 - low) * times;
    row->ratio_high = high < 1 ? high / (1 - high) * times : INFINITY;
}

/* The fewest errors of the run, beside those of the other, that would have been shown to be worse, as a ratio. */
static double smallest_shown(const struct zg_compared *row, double weight, double level)
{
    const uint64_t other = (uint64_t)((double)row->errors[1] / weight + 0.5);
    uint64_t low = 0, high = 64 + 4 * other * (1 + row->trials[0] / MAX(row->trials[1], 1));

    if (other == 0 || exact_chance(row, high, high + other, 1, false) >= level)
        return INFINITY;
    while (low + 1 < high) {
        const uint64_t middle = (low + high) / 2;
        if (exact_chance(row, middle, middle + other, 1, false) < level)
            high = middle;
        else
            low = middle;
    }
    return (double)high / (double)row->trials[0] * (double)row->trials[1] / (double)other;
}

/* --- all kinds */

/* Kinds with errors: without any nothing can be shown, whichever run it is. */
static unsigned asked_of(const struct zg_comparison *comparison)
{
    unsigned count = 0;

    for (unsigned i = 0; i < comparison->count; i++)
        count += !comparison->rows[i].empty;
    return count;
}

/* Holm: the smallest chance has to fall below the level for all, the next one below that for the others, and so on. */
static void decide(struct zg_comparison *comparison)
{
    const unsigned count = asked_of(comparison);
    bool goes_on = true;

    for (unsigned done = 0; done < count; done++) {
        struct zg_compared *next = NULL;
        for (unsigned i = 0; i < comparison->count; i++)
            if (!comparison->rows[i].empty && comparison->rows[i].level == 0 &&
                (!next || comparison->rows[i].chance < next->chance))
                next = &comparison->rows[i];
        next->level = together / (count - done);
        goes_on = goes_on && next->chance < next->level;
        next->shown = goes_on;
    }
    comparison->passed = true;
    for (unsigned i = 0; i < comparison->count; i++)
        comparison->passed =
            comparison->passed && (comparison->rows[i].empty || comparison->rows[i].shown == (comparison->allowed > 0));
}

struct zg_comparison zg_compare_runs(const struct zg_stored *run, const struct zg_stored *other, double allowed)
{
    const struct zg_stored *const runs[2] = { run, other };
    const double ratio = allowed > 0 ? allowed : 1;
    struct zg_comparison comparison = { .allowed = allowed };
    guint blocks[ZG_COMPARED_MOST];
    double weights[ZG_COMPARED_MOST];
    unsigned of[ZG_COMPARED_MOST];

    for (unsigned i = 0; i < ZG_COMPARED_MOST; i++) {
        struct zg_compared *row = &comparison.rows[comparison.count];
        blocks[comparison.count] = count_kind(runs, i, row);
        of[comparison.count] = i;
        row->empty = row->errors[0] + row->errors[1] == 0;
        comparison.count += zg_compared_fits(runs, 2, i) && row->trials[0] > 0 && row->trials[1] > 0;
    }
    const double each = together / MAX(asked_of(&comparison), 1);
    for (unsigned i = 0; i < comparison.count; i++) {
        struct zg_compared *row = &comparison.rows[i];
        weights[i] = fmax(zg_compared_weight(run, of[i]), zg_compared_weight(other, of[i]));
        row->chance = row->clustered
                          ? permuted_chance(runs, &kinds[of[i]], blocks[i], ratio, allowed > 0)
                          : exact_chance(row, row->errors[0], row->errors[0] + row->errors[1], ratio, allowed > 0);
        row->shown_from = smallest_shown(row, weights[i], each);
    }
    decide(&comparison);
    for (unsigned i = 0; i < comparison.count; i++) {
        struct zg_compared *row = &comparison.rows[i];
        bound_ratio(row, weights[i], row->empty ? 1 - 2 * together : 1 - 2 * row->level);
    }
    return comparison;
}

/* --- settings */

static void add_leaves(const struct zg_json_node *node, const char *path, GHashTable *leaves)
{
    if (node->kind != ZG_JSON_OBJECT) {
        g_hash_table_insert(leaves, g_strdup(path), zg_json_written(node));
        return;
    }
    for (const struct zg_json_node *member = node->members; member; member = member->next) {
        g_autofree char *below =
            path[0] != '\0' ? g_strdup_printf("%s.%s", path, member->name) : g_strdup(member->name);
        add_leaves(member, below, leaves);
    }
}

static GHashTable *leaves_of(const char *settings)
{
    GHashTable *leaves = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    g_autoptr(zg_json_node) root = zg_json_read(settings, NULL);

    if (root)
        add_leaves(root, "", leaves);
    return leaves;
}

static gint by_name(gconstpointer a, gconstpointer b)
{
    return strcmp(*(const char *const *)a, *(const char *const *)b);
}

char *zg_compare_settings(const struct zg_stored *run, const struct zg_stored *other)
{
    static const char *const free_ones[] = { "seed", "link", "seconds", NULL };
    g_autoptr(GHashTable) one = leaves_of(run->settings);
    g_autoptr(GHashTable) two = leaves_of(other->settings);
    g_autoptr(GPtrArray) names = g_ptr_array_new();
    GString *text = g_string_new(NULL);
    GHashTableIter iterator;
    gpointer name;

    g_hash_table_iter_init(&iterator, one);
    while (g_hash_table_iter_next(&iterator, &name, NULL))
        g_ptr_array_add(names, name);
    g_hash_table_iter_init(&iterator, two);
    while (g_hash_table_iter_next(&iterator, &name, NULL))
        if (!g_hash_table_contains(one, name))
            g_ptr_array_add(names, name);
    g_ptr_array_sort(names, by_name);
    for (guint i = 0; i < names->len; i++) {
        const char *here = g_hash_table_lookup(one, names->pdata[i]),
                   *there = g_hash_table_lookup(two, names->pdata[i]);
        const bool is_part = g_str_has_prefix(names->pdata[i], "faults.") && !g_str_has_suffix(names->pdata[i], ".all");
        if (is_part || g_strv_contains(free_ones, names->pdata[i]) || g_strcmp0(here, there) == 0)
            continue;
        g_string_append_printf(text, "%s%s is %s here and %s there", text->len > 0 ? "; " : "",
                               (const char *)names->pdata[i], here ? here : "not set", there ? there : "not set");
    }
    return g_string_free(text, text->len == 0);
}
