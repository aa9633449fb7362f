/* SPDX-License-Identifier: MIT */
#include "soak/clusters.h"

#include <math.h>

#include "soak/statistics.h"

enum { USUAL_BLOCK_S = 10, USUAL_BLOCKS = 30, BLOCKS_LEAST = 8, ERRORS_LEAST = 5 };

static const double above = 2.6;                /* standard deviations */
static const double normal = 1.959963984540054; /* zg_student_t(0.95, infinity) */

/* What a second holds; of one that was not measured nothing. */
static const struct zg_rate_row *row_at(const GArray *rows, guint at)
{
    static const struct zg_rate_row nothing;
    const struct zg_time_row *row = &g_array_index(rows, struct zg_time_row, at);
    return row->held ? &nothing : &row->rates;
}

static gint compare(gconstpointer a, gconstpointer b)
{
    const uint32_t one = *(const uint32_t *)a, other = *(const uint32_t *)b;
    return (one > other) - (one < other);
}

/* Counts the disturbances. Returns their median length, s. */
static uint32_t find_disturbances(const GArray *rows, unsigned index, struct zg_cluster *cluster)
{
    g_autoptr(GArray) lengths = g_array_new(FALSE, FALSE, sizeof(uint32_t));
    uint32_t length = 0, errors = 0;

    for (guint at = 0; at <= rows->len; at++) {
        const uint32_t here = at < rows->len ? row_at(rows, at)->errors[index] : 0;
        length += here > 0;
        errors += here;
        if (here > 0 || length == 0)
            continue;
        g_array_append_val(lengths, length);
        cluster->disturbances++;
        cluster->most = MAX(cluster->most, errors);
        length = errors = 0;
    }
    g_array_sort(lengths, compare);
    return lengths->len > 0 ? g_array_index(lengths, uint32_t, lengths->len / 2) : 0;
}

/* What a block holds. */
struct block {
    double errors, trials;
};

static GArray *blocks_of(const GArray *rows, unsigned index, uint32_t block_s)
{
    GArray *blocks = g_array_new(FALSE, FALSE, sizeof(struct block));

    for (guint at = 0; at < rows->len; at += block_s) {
        struct block block = { 0, 0 };
        for (guint i = at; i < MIN(at + block_s, rows->len); i++) {
            block.errors += row_at(rows, i)->errors[index];
            block.trials += row_at(rows, i)->trials[index];
        }
        if (block.trials > 0)
            g_array_append_val(blocks, block);
    }
    return blocks;
}

/* The index of dispersion, and whether it is above 1. */
static void find_dispersion(const GArray *blocks, struct zg_cluster *cluster)
{
    double errors = 0, trials = 0, chi_square = 0, inverse = 0;
    const double m = blocks->len;

    for (guint i = 0; i < blocks->len; i++) {
        errors += g_array_index(blocks, struct block, i).errors;
        trials += g_array_index(blocks, struct block, i).trials;
    }
    const double rate = trials > 0 ? errors / trials : 0;
    if (blocks->len < BLOCKS_LEAST || rate <= 0 || rate >= 1)
        return;
    for (guint i = 0; i < blocks->len; i++) {
        const struct block *block = &g_array_index(blocks, struct block, i);
        const double expected = rate * block->trials, off = block->errors - expected;
        chi_square += off * off / (expected * (1 - rate));
        inverse += trials / block->trials;
    }
    const double variance = 2 * (m - 1) + (inverse - m * m - 2 * m + 2) / errors;
    cluster->dispersion = chi_square / (m - 1);
    cluster->clustered = errors >= ERRORS_LEAST && chi_square - (m - 1) > above * sqrt(MAX(variance, 0));
}

struct zg_cluster zg_cluster_of(const GArray *rows, unsigned index)
{
    struct zg_cluster cluster = { .dispersion = 1 };
    const uint32_t median_s = find_disturbances(rows, index, &cluster);

    cluster.block_s = CLAMP(rows->len / USUAL_BLOCKS, 1, USUAL_BLOCK_S);
    if (median_s > 1)
        cluster.block_s = MAX(cluster.block_s, MIN(10 * median_s, rows->len / BLOCKS_LEAST));
    g_autoptr(GArray) blocks = blocks_of(rows, index, cluster.block_s);
    cluster.blocks = blocks->len;
    find_dispersion(blocks, &cluster);
    return cluster;
}

void zg_clusters_of(const GArray *rows, struct zg_cluster *clusters)
{
    for (unsigned i = 0; i < ZG_RATES; i++)
        clusters[i] = zg_cluster_of(rows, i);
}

double zg_cluster_weight(const struct zg_cluster *cluster)
{
    if (!cluster->clustered)
        return 1;
    const uint32_t known_by = CLAMP(cluster->disturbances, 2, cluster->blocks);
    const double widening = zg_student_t(0.95, known_by - 1) / normal;
    return MAX(cluster->dispersion * widening * widening, 1);
}

void zg_count_bounds(uint64_t count, double confidence, double *low, double *high)
{
    const double many = 1e15; /* trials, of which the count is a vanishing part */

    zg_rate_bounds_real((double)count, many, confidence, low, high);
    *low *= many;
    *high *= many;
}

void zg_cluster_widen(const struct zg_cluster *cluster, uint64_t errors, uint64_t trials, double confidence,
                      double *low, double *high)
{
    double wide_low, wide_high;

    if (!cluster->clustered || trials == 0)
        return;
    if (cluster->disturbances < ZG_DISTURBANCES_ENOUGH) {
        zg_count_bounds(cluster->disturbances, confidence, &wide_low, &wide_high);
        wide_low /= (double)trials;
        wide_high *= (double)cluster->most / (double)trials;
    } else {
        const double weight = zg_cluster_weight(cluster);
        zg_rate_bounds_real((double)errors / weight, (double)trials / weight, confidence, &wide_low, &wide_high);
    }
    *low = MIN(*low, wide_low);
    *high = MIN(MAX(*high, wide_high), 1);
}
