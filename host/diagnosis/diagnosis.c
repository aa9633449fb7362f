/* SPDX-License-Identifier: MIT */
#include "diagnosis/diagnosis.h"

#include <string.h>

#include "diagnosis/causes.h"

static const struct {
    const char *name, *key;
} causes[ZG_CAUSES] = {
    [ZG_CAUSE_RESTART] = { "restart", "restart" },
    [ZG_CAUSE_CUT] = { "cut, unplugged or held at a level", "cut" },
    [ZG_CAUSE_FIFO] = { "overrun of the UART's FIFO", "fifo_overrun" },
    [ZG_CAUSE_RING] = { "overrun of the receive ring", "ring_overrun" },
    [ZG_CAUSE_DRIVER] = { "something on the way changes bytes", "driver" },
    [ZG_CAUSE_AFTER_CHECK] = { "damage after the check", "after_check" },
    [ZG_CAUSE_CHECK] = { "the check's own limit", "check" },
    [ZG_CAUSE_RATE] = { "rate mismatch", "rate_mismatch" },
    [ZG_CAUSE_EDGES] = { "slow edges", "slow_edges" },
    [ZG_CAUSE_PERIODIC] = { "periodic interference", "periodic" },
    [ZG_CAUSE_BURSTS] = { "bursts", "bursts" },
    [ZG_CAUSE_BITS] = { "independent bit errors", "bit_errors" },
    [ZG_CAUSE_BYTES] = { "bytes lost, doubled or inserted one by one", "single_bytes" },
    [ZG_CAUSE_DATA] = { "dependence on the data", "data" },
    [ZG_CAUSE_LENGTH] = { "dependence on the length", "length" },
    [ZG_CAUSE_LUMPS] = { "held up on the way", "held_up" },
    [ZG_CAUSE_SENDER] = { "a sender's fault", "sender" },
    [ZG_CAUSE_OTHER] = { "another sender on the line", "other_sender" },
    [ZG_CAUSE_ECHO] = { "own echo", "own_echo" },
};

const char *zg_cause_name(enum zg_cause cause)
{
    return causes[cause].name;
}

const char *zg_cause_key(enum zg_cause cause)
{
    return causes[cause].key;
}

static void clear_finding(void *data)
{
    g_free(((struct zg_finding *)data)->evidence);
}

static gint by_weight(gconstpointer a, gconstpointer b)
{
    const struct zg_finding *one = a, *other = b;

    if (one->damages != other->damages)
        return one->damages < other->damages ? 1 : -1;
    if (one->cause != other->cause)
        return one->cause > other->cause ? 1 : -1;
    return one->back - other->back;
}

/* One way, from what is certain to what is likely. `known`: a period of interference on the other way, or NULL. Returns
 * that of this one; of 0 Hz: none was found. */
static struct zgi_period explain(struct zg_evidence *evidence, struct zg_diagnosis *diagnosis, bool back,
                                 const struct zgi_period *known)
{
    struct zgi_case of = zgi_case_of(evidence, diagnosis, back);

    of.known = known;

    zgi_look_for_restarts(&of);
    zgi_look_for_overruns(&of);
    zgi_look_for_accepted(&of);
    zgi_look_for_driver(&of);
    zgi_drop_answered_hits(&of);
    zgi_look_for_limit(&of);
    zgi_look_for_levels(&of);
    zgi_look_for_data(&of);
    zgi_look_for_cuts(&of);
    zgi_look_for_times(&of);
    zgi_look_for_bytes(&of);
    zgi_look_for_length(&of);
    zgi_look_for_senders(&of);
    zgi_look_for_lumps(&of);
    for (guint i = 0; i < of.marks->len; i++) {
        struct zgi_mark *mark = zgi_mark_at(&of, i);
        if (mark->asks & ~mark->answered)
            diagnosis->unexplained[back]++;
    }
    zgi_case_clear(&of);
    return of.period;
}

/* What was found of one way, for it to be explained anew. */
static void forget(struct zg_diagnosis *diagnosis, bool back)
{
    for (guint i = diagnosis->findings->len; i > 0; i--)
        if (g_array_index(diagnosis->findings, struct zg_finding, i - 1).back == back)
            g_array_remove_index(diagnosis->findings, i - 1);
    diagnosis->damages[back] = diagnosis->looked_at[back] = diagnosis->unexplained[back] = 0;
    diagnosis->hertz_most[back] = 0;
    memset(diagnosis->bits[back], 0, sizeof diagnosis->bits[back]);
    memset(diagnosis->places[back], 0, sizeof diagnosis->places[back]);
}

/* Both ways. What interferes with one of them may interfere with the other, where there was too little of it to find.
 */
static void explain_both(struct zg_evidence *evidence, struct zg_diagnosis *diagnosis)
{
    const struct zgi_period out = explain(evidence, diagnosis, false, NULL);
    const struct zgi_period back = explain(evidence, diagnosis, true, out.hertz > 0 ? &out : NULL);

    if (out.hertz > 0 || back.hertz <= 0)
        return;
    forget(diagnosis, false);
    (void)explain(evidence, diagnosis, false, &back);
}

struct zg_diagnosis *zg_diagnose(struct zg_evidence *evidence)
{
    struct zg_diagnosis *diagnosis = g_new0(struct zg_diagnosis, 1);

    diagnosis->findings = g_array_new(FALSE, FALSE, sizeof(struct zg_finding));
    g_array_set_clear_func(diagnosis->findings, clear_finding);
    explain_both(evidence, diagnosis);
    g_array_sort(diagnosis->findings, by_weight);
    return diagnosis;
}

void zg_diagnosis_free(struct zg_diagnosis *diagnosis)
{
    if (!diagnosis)
        return;
    g_array_unref(diagnosis->findings);
    g_free(diagnosis);
}

const struct zg_finding *zg_diagnosis_find(const struct zg_diagnosis *diagnosis, enum zg_cause cause, bool back)
{
    for (guint i = 0; i < diagnosis->findings->len; i++) {
        const struct zg_finding *finding = &g_array_index(diagnosis->findings, struct zg_finding, i);
        if (finding->cause == cause && finding->back == back)
            return finding;
    }
    return NULL;
}
