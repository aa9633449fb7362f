/* SPDX-License-Identifier: MIT */
#include "analysis/nearby.h"

#include <string.h>

#include "plan/checker.h"

struct search {
    const struct zg_check_choice *tried;
    const uint8_t *bytes;
    size_t count;
    uint64_t seen;
    GPtrArray *found;
    GHashTable *known; /* settings that were tried already, as text */
};

static void nearby_free(gpointer data)
{
    struct zg_nearby *nearby = data;
    g_free(nearby->text);
    g_free(nearby);
}

static unsigned size_of(const struct zg_check_choice *choice)
{
    return (choice->crc.width + 7) / 8;
}

static uint64_t swapped(uint64_t value, unsigned size)
{
    return GUINT64_SWAP_LE_BE(value) >> (64 - 8 * size);
}

static void differ(GString *text, unsigned *steps, const char *what, uint64_t now, uint64_t then, unsigned width)
{
    int digits = (int)(width + 3) / 4;

    if (now == then)
        return;
    ++*steps;
    g_string_append_printf(text, "%s%s 0x%0*" G_GINT64_MODIFIER "x, not 0x%0*" G_GINT64_MODIFIER "x",
                           text->len ? "; " : "", what, digits, now, digits, then);
}

static void differ_in_truth(GString *text, unsigned *steps, const char *yes, const char *no, bool now, bool then)
{
    if (now == then)
        return;
    ++*steps;
    g_string_append_printf(text, "%s%s", text->len ? "; " : "", now ? yes : no);
}

/* What must change to get from the settings tried first to these. */
static char *difference(const struct search *search, const struct zg_check_choice *choice, bool other_order,
                        unsigned *steps)
{
    const struct zg_crc_parameters *now = &choice->crc, *then = &search->tried->crc;
    g_autoptr(GString) text = g_string_new(NULL);

    if (choice->kind != ZG_CHECK_CRC || search->tried->kind != ZG_CHECK_CRC) {
        if (choice->kind != search->tried->kind || choice->sum != search->tried->sum) {
            g_string_append_printf(text, "%s instead", choice->name ? choice->name : "a CRC");
            *steps += 3;
        }
    } else {
        differ(text, steps, "polynomial", now->poly, then->poly, now->width);
        differ(text, steps, "initial value", now->init, then->init, now->width);
        differ_in_truth(text, steps, "bytes reflected", "bytes not reflected", now->reflect_in, then->reflect_in);
        differ_in_truth(text, steps, "result reflected", "result not reflected", now->reflect_out, then->reflect_out);
        differ(text, steps, "final XOR", now->xor_out, then->xor_out, now->width);
    }
    differ_in_truth(text, steps, "the check's bytes in reverse order", "", other_order, false);
    return g_strdup(text->len ? text->str : "as tried");
}

static void try_choice(struct search *search, const struct zg_check_choice *choice)
{
    const struct zg_crc_parameters *crc = &choice->crc;
    char *key = g_strdup_printf("%s %u %" G_GINT64_MODIFIER "x %" G_GINT64_MODIFIER "x %d %d %" G_GINT64_MODIFIER "x",
                                choice->sum ? choice->sum->name : "", crc->width, crc->poly, crc->init, crc->reflect_in,
                                crc->reflect_out, crc->xor_out);
    unsigned size = size_of(choice);

    if (!g_hash_table_add(search->known, key) || size == 0 || size != size_of(search->tried))
        return;
    uint64_t value = zg_check_choice_value(choice, search->bytes, search->count);
    bool other_order = value != search->seen;
    if (other_order && (size == 1 || swapped(value, size) != search->seen))
        return;
    struct zg_nearby *nearby = g_new0(struct zg_nearby, 1);
    nearby->choice = *choice;
    nearby->swapped = other_order;
    nearby->text = difference(search, choice, other_order, &nearby->steps);
    g_ptr_array_add(search->found, nearby);
}

/* The name of a CRC with these parameters, or NULL. */
static char *name_of(const struct zg_crc_parameters *crc)
{
    for (unsigned i = 0; i < zg_crc_table_length; i++) {
        const struct zg_crc_parameters *named = &zg_crc_table[i];
        if (named->width == crc->width && named->poly == crc->poly && named->init == crc->init &&
            named->reflect_in == crc->reflect_in && named->reflect_out == crc->reflect_out &&
            named->xor_out == crc->xor_out)
            return (char *)named->name;
    }
    return NULL;
}

/* Tries a polynomial with every reflection and the usual initial and final values. */
static void try_polynomial(struct search *search, unsigned width, uint64_t poly)
{
    const struct zg_crc_parameters *tried = &search->tried->crc;
    uint64_t ones = UINT64_MAX >> (64 - width);
    const uint64_t inits[] = { tried->init & ones, 0, ones }, finals[] = { tried->xor_out & ones, 0, ones };

    for (unsigned i = 0; i < G_N_ELEMENTS(inits) * G_N_ELEMENTS(finals) * 4; i++) {
        struct zg_check_choice choice = { .kind = ZG_CHECK_CRC,
                                          .crc = { .width = width,
                                                   .poly = poly,
                                                   .init = inits[i / 4 % 3],
                                                   .reflect_in = i & 1,
                                                   .reflect_out = i >> 1 & 1,
                                                   .xor_out = finals[i / 12] } };
        choice.name = name_of(&choice.crc);
        try_choice(search, &choice);
    }
}

static int by_steps(gconstpointer a, gconstpointer b)
{
    const struct zg_nearby *left = *(const struct zg_nearby *const *)a, *right = *(const struct zg_nearby *const *)b;
    bool left_named = left->choice.name != NULL, right_named = right->choice.name != NULL;

    if (left->steps != right->steps)
        return left->steps < right->steps ? -1 : 1;
    return left_named == right_named ? 0 : left_named ? -1 : 1;
}

GPtrArray *zg_check_nearby(const struct zg_check_choice *tried, const uint8_t *bytes, size_t count, uint64_t seen)
{
    struct search search = { tried,
                             bytes,
                             count,
                             seen,
                             g_ptr_array_new_with_free_func(nearby_free),
                             g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL) };

    try_choice(&search, tried);
    for (unsigned i = 0; i < zg_crc_table_length; i++) {
        const struct zg_check_choice named = { .crc = zg_crc_table[i], .name = (char *)zg_crc_table[i].name };
        try_choice(&search, &named);
    }
    for (unsigned i = 0; i < zg_sum_table_length; i++) {
        const struct zg_check_choice sum = { .kind = ZG_CHECK_SUM,
                                             .crc = { .width = zg_sum_table[i].width },
                                             .sum = &zg_sum_table[i],
                                             .name = (char *)zg_sum_table[i].name };
        try_choice(&search, &sum);
    }
    if (tried->kind == ZG_CHECK_CRC) {
        try_polynomial(&search, tried->crc.width, tried->crc.poly);
        try_polynomial(&search, tried->crc.width, zg_bits_reversed(tried->crc.poly, tried->crc.width));
    }
    for (unsigned i = 0; i < zg_crc_table_length; i++)
        if (8 * size_of(tried) == zg_crc_table[i].width)
            try_polynomial(&search, zg_crc_table[i].width, zg_crc_table[i].poly);
    g_hash_table_unref(search.known);
    g_ptr_array_sort(search.found, by_steps);
    return search.found;
}
