/* SPDX-License-Identifier: MIT */
#include "soak/faults.h"

#include <stddef.h>
#include <string.h>

#include "definition/words.h"

static const struct fault {
    const char *name;
    size_t offset;
    bool time;
} table[] = {
    { "ber", offsetof(struct zg_faults, line.bit_error_rate), false },
    { "drop", offsetof(struct zg_faults, line.drop), false },
    { "double", offsetof(struct zg_faults, line.twice), false },
    { "latency", offsetof(struct zg_faults, line.latency_ns), true },
    { "repeat", offsetof(struct zg_faults, repeat), false },
    { "swap", offsetof(struct zg_faults, swap), false },
    { "stray", offsetof(struct zg_faults, stray), false },
};

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

/* fault = name "=" ( rate | time ) */
static bool parse_one(char *text, struct zg_faults *faults, GError **error)
{
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
        memcpy((char *)faults + fault->offset, &ns, sizeof ns);
        return true;
    }
    double rate = g_ascii_strtod(value, &end);
    if (end == value || *end != '\0' || !(rate >= 0 && rate <= 1)) {
        g_set_error(error, ZG_FAULTS_ERROR, 0, "%s: expected a rate from 0 to 1, found \"%s\"", text, value);
        return false;
    }
    memcpy((char *)faults + fault->offset, &rate, sizeof rate);
    return true;
}

bool zg_faults_parse(const char *text, struct zg_faults *faults, GError **error)
{
    g_auto(GStrv) parts = g_strsplit(text, ",", -1);
    struct zg_faults read = *faults;

    for (char **part = parts; *part; part++)
        if (!parse_one(g_strstrip(*part), &read, error))
            return false;
    *faults = read;
    return true;
}
