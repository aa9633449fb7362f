/* SPDX-License-Identifier: MIT */
#include "view/watched.h"

#include "codec/describe.h"

enum { EVENTS_MOST = 500 };

static const uint64_t silence_ns = 3 * UINT64_C(1000000000); /* where the definition has no link_timeout */

static void free_event(void *data)
{
    struct zg_watched_event *event = data;

    g_free(event->text);
    g_free(event);
}

void zg_watched_init(struct zg_watched *watched, const struct zg_viewed *viewed, bool shows)
{
    *watched =
        (struct zg_watched){ .viewed = viewed, .table = shows ? zg_table_new(viewed->plan, viewed->selection) : NULL };
    zg_recent_init(&watched->recent);
    g_queue_init(&watched->events);
}

void zg_watched_clear(struct zg_watched *watched)
{
    zg_table_free(watched->table);
    zg_recent_clear(&watched->recent);
    g_queue_clear_full(&watched->events, free_event);
}

void zg_watched_stretch(struct zg_watched *watched, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    const uint8_t *bytes;
    size_t count;

    if (stretch->kind == ZG_STRETCH_FRAME && !out) {
        watched->frames++;
        watched->heard_ns = at_ns;
    }
    if (!watched->table || !zg_selection_shows(watched->viewed->selection, stretch))
        return;
    if (zg_stretch_console(stretch, &bytes, &count))
        zg_recent_console(&watched->recent, bytes, count);
    else if (!watched->held)
        zg_table_note(watched->table, at_ns, out, stretch);
    if (watched->plotted && !out)
        zg_plotted_take(watched->plotted, watched->device, at_ns, stretch);
}

void zg_watched_bytes(struct zg_watched *watched, const struct zg_passage *passage)
{
    if (passage->out)
        return;
    watched->bytes += passage->count;
    if (watched->table && !watched->held)
        zg_recent_bytes(&watched->recent, passage->bytes, passage->count);
}

void zg_watched_event(struct zg_watched *watched, uint64_t at_ns, const char *text)
{
    struct zg_watched_event *event = g_new(struct zg_watched_event, 1);

    *event = (struct zg_watched_event){ at_ns, g_strdup(text) };
    g_queue_push_tail(&watched->events, event);
    if (watched->events.length > EVENTS_MOST)
        free_event(g_queue_pop_head(&watched->events));
}

enum zg_watched_state zg_watched_state(const struct zg_watched *watched, bool up, uint64_t now_ns)
{
    const uint64_t limit_ns = watched->viewed->plan->definition->line.link_timeout_ns;
    const uint64_t silent_ns = now_ns - MIN(now_ns, watched->heard_ns);

    return !up                                                  ? ZG_WATCHED_PORT_GONE
           : watched->frames == 0                               ? ZG_WATCHED_UNHEARD
           : silent_ns > (limit_ns > 0 ? limit_ns : silence_ns) ? ZG_WATCHED_DOWN
                                                                : ZG_WATCHED_UP;
}

const char *zg_watched_state_text(enum zg_watched_state state)
{
    static const char *const texts[] = { "port gone", "nothing heard yet", "link down", "link up" };

    return texts[state];
}

uint32_t zg_counters_failed(const struct zg_counters *counters)
{
    return counters->failed_check + counters->malformed + counters->too_long + counters->timed_out;
}
