/* SPDX-License-Identifier: MIT */
/* What a soak does if nothing else is asked for. */
#include <string.h>

#include "definition/words.h"
#include "soak/soak.h"
#include "zeugma/traffic.h"

struct zg_soak_settings zg_soak_defaults(void)
{
    return (struct zg_soak_settings){ .duration_ns = UINT64_C(10000000000),
                                      .seed = 1,
                                      .load = 0.5,
                                      .late_ns = UINT64_C(100000000),
                                      .slow_ns = UINT64_C(200000000),
                                      .way = ZG_TRAFFIC_DEVICE_SENDS | ZG_TRAFFIC_HOST_SENDS };
}

uint64_t zg_soak_chance(const struct zg_soak_settings *settings)
{
    return settings->seed + settings->part * UINT64_C(0xD1B54A32D192ED03);
}

char *zg_soak_line_unfit(const struct zg_plan *plan, const struct zg_soak_settings *settings)
{
    g_autofree char *of_bits = zg_faults_of_bits(&settings->faults);

    if (!settings->bits && !of_bits && zg_fault_times_need_bits(settings->fault_times))
        return g_strdup("--faults: ppm, glitch and edges are of a line that is computed by the bit; add --line bits");
    if (!settings->bits)
        return of_bits
                   ? g_strdup_printf("--faults: %s: of a line that is computed by the bit; add --line bits", of_bits)
                   : NULL;
    if (settings->link)
        return g_strdup("--line bits: is for sim:");
    if (plan->definition->line.is_clocked)
        return g_strdup("--line bits: a clocked line has no start and stop bits to be sampled; leave it out");
    return plan->packets ? g_strdup("--line bits: a link that keeps packets apart has no bits; leave it out") : NULL;
}

uint64_t zg_soak_usual_late_ns(const struct zg_plan *plan)
{
    const uint64_t byte_ns = zg_line_byte_ns(&plan->definition->line);

    return MAX(UINT64_C(100000000), 8 * (plan->max_frame * byte_ns + plan->turn_ns));
}

/* Those that end a run which should show none. */
static bool is_trouble(unsigned class_)
{
    return class_ > ZG_CLASS_DELIVERED && class_ != ZG_CLASS_CUT_OFF;
}

bool zg_soak_stop_on(const char *word, unsigned *stop_on, GError **error)
{
    g_autoptr(GPtrArray) words = g_ptr_array_new();
    unsigned found = 0;

    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        const char *key = zg_class_key((enum zg_class)i);
        if (is_trouble(i))
            g_ptr_array_add(words, (gpointer)key);
        if (is_trouble(i) && (strcmp(key, word) == 0 || (strcmp(word, "lost") == 0 && g_str_has_prefix(key, "lost_"))))
            found |= 1U << i;
    }
    if (strcmp(word, "restart") == 0)
        found = 1U << ZG_STOP_ON_RESTART;
    *stop_on |= found;
    if (found != 0)
        return true;
    g_ptr_array_add(words, (gpointer) "lost");
    g_ptr_array_add(words, (gpointer) "restart");
    g_ptr_array_add(words, NULL);
    g_autofree char *hint = zg_word_hint(word, (const char *const *)words->pdata);
    g_set_error(error, ZG_SOAK_ERROR, 0, "unknown class \"%s\"%s", word, hint);
    return false;
}

const char *zg_soak_stop_name(int what)
{
    return what == ZG_STOP_ON_RESTART ? "a restart" : zg_class_name((enum zg_class)what);
}
