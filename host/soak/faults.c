/* SPDX-License-Identifier: MIT */
#include "soak/faults.h"

#include <stddef.h>
#include <string.h>

#include "definition/words.h"

#define FAULT(member) offsetof(struct zg_way_faults, member)

static const struct fault {
    const char *name;
    size_t offset;
    bool time;
} table[] = {
    { "ber", FAULT(line.bit_error_rate), false },
    { "drop", FAULT(line.drop), false },
    { "double", FAULT(line.twice), false },
    { "insert", FAULT(line.insert), false },
    { "latency", FAULT(line.latency_ns), true },
    { "repeat", FAULT(repeat), false },
    { "swap", FAULT(swap), false },
    { "stray", FAULT(stray), false },
};

/* The words before a colon, and the ways that they stand for, as bits. */
static const struct {
    const char *name;
    unsigned ways;
} ways[] = { { "back:", 1 }, { "out:", 2 }, { "both:", 3 } };

bool zg_faults_are_even(const struct zg_faults *faults)
{
    return memcmp(&faults->way[0], &faults->way[1], sizeof faults->way[0]) == 0;
}

bool zg_faults_need_sim(const struct zg_faults *faults)
{
    for (unsigned i = 0; i < 2; i++) {
        const struct zg_way_faults *way = &faults->way[i];
        if (way->line.latency_ns > 0 || way->repeat > 0 || way->swap > 0 || way->stray > 0)
            return true;
    }
    return false;
}

static const struct fault *find(const char *name, GError **error)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (size_t i = 0; i < G_N_ELEMENTS(table); i++) {
        if (strcmp(table[i].name, name) == 0)
            return &table[i];
        g_ptr_array_add(names, (gpointer)table[i].name);
    }
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(name, (const char *const *)names->pdata);
    g_set_error(error, ZG_FAULTS_ERROR, 0, "unknown fault \"%s\"%s", name, hint);
    return NULL;
}

static void set(struct zg_faults *faults, unsigned where, size_t offset, const void *value, size_t size)
{
    for (unsigned i = 0; i < 2; i++)
        if (where >> i & 1)
            memcpy((char *)&faults->way[i] + offset, value, size);
}

/* fault = [ way ":" ] name "=" ( rate | time ); `where` is the way in force */
static bool parse_one(char *text, unsigned *where, struct zg_faults *faults, GError **error)
{
    for (size_t i = 0; i < G_N_ELEMENTS(ways); i++)
        if (g_str_has_prefix(text, ways[i].name)) {
            *where = ways[i].ways;
            text += strlen(ways[i].name);
        }
    char *equals = strchr(text, '=');
    char *end = NULL;

    if (!equals) {
        g_set_error(error, ZG_FAULTS_ERROR, 0, "fault \"%s\": expected NAME=VALUE, such as ber=1e-5", text);
        return false;
    }
    *equals = '\0';
    const char *value = equals + 1;
    const struct fault *fault = find(text, error);
    if (!fault)
        return false;
    if (fault->time) {
        uint64_t ns;
        if (!zg_parse_time(value, &ns) || ns > 60 * UINT64_C(1000000000)) {
            g_set_error(error, ZG_FAULTS_ERROR, 0,
                        "%s: expected a time up to 1min with its unit, such as 2ms, found \"%s\"", text, value);
            return false;
        }
        set(faults, *where, fault->offset, &ns, sizeof ns);
        return true;
    }
    double rate = g_ascii_strtod(value, &end);
    if (end == value || *end != '\0' || !(rate >= 0 && rate <= 1)) {
        g_set_error(error, ZG_FAULTS_ERROR, 0, "%s: expected a rate from 0 to 1, found \"%s\"", text, value);
        return false;
    }
    set(faults, *where, fault->offset, &rate, sizeof rate);
    return true;
}

bool zg_faults_parse(const char *text, struct zg_faults *faults, GError **error)
{
    g_auto(GStrv) parts = g_strsplit_set(text, ", ", -1);
    struct zg_faults read = *faults;
    unsigned where = 3;
    bool any = false;

    for (char **part = parts; *part; part++) {
        any = any || **part != '\0';
        if (**part != '\0' && !parse_one(*part, &where, &read, error))
            return false;
    }
    if (!any) {
        g_set_error(error, ZG_FAULTS_ERROR, 0, "expected NAME=VALUE, such as ber=1e-5");
        return false;
    }
    *faults = read;
    return true;
}
