/* SPDX-License-Identifier: MIT */
#include "view/plotted.h"

#include <string.h>

#include "codec/as_text.h"

enum { SKIPPED_MOST = 5000 };

static const double gap_after = 5;         /* times the usual interval: the longest of late, */
static const double forgotten = 1 / 128.0; /* of the time that passes: by so much it is forgotten, not within a lump */

/* A field of a message, device and source. */
struct drawn {
    const struct zg_plan_message *message;
    unsigned index, device;
    zg_header_number source;
    char *name;
    struct zg_series *series;
    uint64_t last_ns;
    double usual_ns; /* between two, or between the lumps in which they arrive; 0: not known yet */
};

struct panel {
    struct zg_viewed *viewed; /* what it draws, of each device */
    unsigned count;           /* of devices */
    GPtrArray *drawn;         /* of struct drawn */
};

/* A field of a message that a panel draws. */
struct wanted {
    struct panel *panel;
    unsigned index;
};

struct zg_plotted {
    const struct zg_viewed *viewed;
    unsigned count;     /* of devices */
    GPtrArray *panels;  /* of struct panel */
    GHashTable *wanted; /* by message: of GArray of struct wanted */
    GArray *skipped;    /* of double, s */
    uint64_t first_ns, last_ns, values, skips;
};

static void free_drawn(void *data)
{
    struct drawn *drawn = data;

    zg_series_free(drawn->series);
    g_free(drawn->name);
    g_free(drawn);
}

static void free_panel(void *data)
{
    struct panel *panel = data;

    for (unsigned i = 0; i < panel->count; i++)
        zg_selection_free(panel->viewed[i].selection);
    g_free(panel->viewed);
    g_ptr_array_unref(panel->drawn);
    g_free(panel);
}

struct zg_plotted *zg_plotted_new(const struct zg_viewed *viewed, unsigned count)
{
    struct zg_plotted *plotted = g_new0(struct zg_plotted, 1);

    plotted->viewed = viewed;
    plotted->count = count;
    plotted->panels = g_ptr_array_new_with_free_func(free_panel);
    plotted->wanted = g_hash_table_new_full(g_direct_hash, g_direct_equal, NULL, (GDestroyNotify)g_array_unref);
    plotted->skipped = g_array_new(FALSE, FALSE, sizeof(double));
    return plotted;
}

void zg_plotted_free(struct zg_plotted *plotted)
{
    if (!plotted)
        return;
    g_ptr_array_unref(plotted->panels);
    g_hash_table_unref(plotted->wanted);
    g_array_unref(plotted->skipped);
    g_free(plotted);
}

/* Whether any field that is shown can be drawn. */
static bool has_numbers(const struct zg_viewed *viewed)
{
    for (unsigned i = 0; i < viewed->plan->messages->len; i++) {
        const struct zg_plan_message *message = zg_plan_message_at(viewed->plan, i);
        for (unsigned k = 0; k < message->payload.steps->len; k++)
            if (zg_selection_shows_field(viewed->selection, message, k) &&
                zg_step_is_number(zg_block_step(&message->payload, k)))
                return true;
    }
    return false;
}

bool zg_plotted_add(struct zg_plotted *plotted, const char *fields, GError **error)
{
    g_auto(GStrv) names = g_strsplit(fields, ",", -1);
    struct panel *panel = g_new0(struct panel, 1);
    bool any = false;

    panel->count = plotted->count;
    panel->viewed = g_memdup2(plotted->viewed, plotted->count * sizeof *plotted->viewed);
    for (unsigned i = 0; i < panel->count; i++)
        panel->viewed[i].selection = zg_selection_new(panel->viewed[i].plan);
    panel->drawn = g_ptr_array_new_with_free_func(free_drawn);
    g_ptr_array_add(plotted->panels, panel);
    if (!zg_viewed_show(panel->viewed, panel->count, (const char *const *)names, error))
        return false;
    for (unsigned i = 0; i < panel->count; i++)
        any = any || has_numbers(&panel->viewed[i]);
    if (any)
        return true;
    g_set_error(error, ZG_SELECTION_ERROR, 0, "%s: expected fields that are single numbers, found lists, bytes or text",
                fields);
    return false;
}

void zg_plotted_add_all(struct zg_plotted *plotted)
{
    for (unsigned d = 0; d < plotted->count; d++) {
        const struct zg_viewed *viewed = &plotted->viewed[d];
        for (unsigned i = 0; i < viewed->plan->messages->len; i++) {
            const struct zg_plan_message *message = zg_plan_message_at(viewed->plan, i);
            for (unsigned k = 0; k < message->payload.steps->len; k++) {
                const struct zg_step *step = zg_block_step(&message->payload, k);
                g_autofree char *name = g_strdup_printf("%s%s%s.%s", viewed->name ? viewed->name : "",
                                                        viewed->name ? ":" : "", message->message->name, step->name);
                if (zg_selection_shows_field(viewed->selection, message, k) && zg_step_is_number(step))
                    (void)zg_plotted_add(plotted, name, NULL);
            }
        }
    }
}

/* What is in front of a line's name. Free with g_free(). */
static char *origin(const struct zg_viewed *viewed, zg_header_number source)
{
    if (viewed->plan->source_bits == 0)
        return viewed->name ? g_strconcat(viewed->name, ": ", NULL) : g_strdup("");
    return g_strdup_printf("%s%s%u: ", viewed->name ? viewed->name : "", viewed->name ? " " : "", (unsigned)source);
}

static struct drawn *drawn_of(struct panel *panel, unsigned device, const struct zg_stretch *stretch, unsigned index)
{
    const struct zg_viewed *viewed = &panel->viewed[device];
    const zg_header_number source = viewed->plan->source_bits > 0 ? stretch->header.source : 0;

    for (guint i = 0; i < panel->drawn->len; i++) {
        struct drawn *drawn = panel->drawn->pdata[i];
        if (drawn->message == stretch->message && drawn->index == index && drawn->source == source)
            return drawn;
    }
    struct drawn *drawn = g_new0(struct drawn, 1);
    const char *field = zg_block_step(&stretch->message->payload, index)->name;
    drawn->message = stretch->message;
    drawn->index = index;
    drawn->device = device;
    drawn->source = source;
    drawn->series = zg_series_new();
    g_autofree char *from = origin(viewed, source);
    drawn->name = g_strdup_printf("%s%s.%s", from, stretch->message->message->name, field);
    g_ptr_array_add(panel->drawn, drawn);
    return drawn;
}

static void take_field(struct zg_plotted *plotted, struct panel *panel, unsigned device, uint64_t at_ns,
                       const struct zg_stretch *stretch, unsigned index)
{
    struct drawn *drawn = drawn_of(panel, device, stretch, index);
    const double interval = (double)(at_ns - MIN(drawn->last_ns, at_ns));
    const bool is_first = zg_series_count(drawn->series) == 0;
    const bool is_gap = !is_first && drawn->usual_ns > 0 && interval > gap_after * drawn->usual_ns;

    zg_series_add(drawn->series, at_ns,
                  zg_step_physical(zg_block_step(&stretch->message->payload, index), stretch->values[index].raw),
                  is_gap);
    if (is_gap)
        drawn->usual_ns *= 2; /* several in a row are the new usual */
    else if (!is_first)
        drawn->usual_ns = MAX(interval, drawn->usual_ns - forgotten * MIN(interval, drawn->usual_ns));
    drawn->last_ns = at_ns;
    plotted->first_ns = plotted->values == 0 ? at_ns : MIN(plotted->first_ns, at_ns);
    plotted->last_ns = MAX(plotted->last_ns, at_ns);
    plotted->values++;
}

/* What is drawn of a message, found once. */
static const GArray *wanted_of(const struct zg_plotted *plotted, unsigned device, const struct zg_plan_message *message)
{
    GArray *found = g_hash_table_lookup(plotted->wanted, message);

    if (found)
        return found;
    found = g_array_new(FALSE, FALSE, sizeof(struct wanted));
    for (guint i = 0; i < plotted->panels->len; i++)
        for (unsigned k = 0; k < message->payload.steps->len; k++) {
            const struct wanted wanted = { plotted->panels->pdata[i], k };
            if (zg_selection_shows_field(wanted.panel->viewed[device].selection, message, k) &&
                zg_step_is_number(zg_block_step(&message->payload, k)))
                g_array_append_val(found, wanted);
        }
    (void)g_hash_table_insert(plotted->wanted, (gpointer)message, found);
    return found;
}

void zg_plotted_take(struct zg_plotted *plotted, unsigned device, uint64_t at_ns, const struct zg_stretch *stretch)
{
    plotted->skips += stretch->kind == ZG_STRETCH_SKIPPED;
    if (stretch->kind == ZG_STRETCH_SKIPPED) {
        const double at_s = (double)at_ns * 1e-9;
        g_array_append_val(plotted->skipped, at_s);
        if (plotted->skipped->len >= 2 * SKIPPED_MOST)
            g_array_remove_range(plotted->skipped, 0, SKIPPED_MOST);
    }
    if (stretch->kind != ZG_STRETCH_FRAME)
        return;
    const GArray *wanted = wanted_of(plotted, device, stretch->message);
    for (guint i = 0; i < wanted->len; i++) {
        const struct wanted *each = &g_array_index(wanted, struct wanted, i);
        take_field(plotted, each->panel, device, at_ns, stretch, each->index);
    }
}

bool zg_plotted_times(const struct zg_plotted *plotted, double *from_s, double *to_s)
{
    *from_s = (double)plotted->first_ns * 1e-9;
    *to_s = (double)plotted->last_ns * 1e-9;
    return plotted->values > 0;
}

const struct zg_series *zg_plotted_series(const struct zg_plotted *plotted, const char *name)
{
    for (guint i = 0; i < plotted->panels->len; i++) {
        const GPtrArray *drawn = ((const struct panel *)plotted->panels->pdata[i])->drawn;
        for (guint k = 0; k < drawn->len; k++)
            if (strcmp(((const struct drawn *)drawn->pdata[k])->name, name) == 0)
                return ((const struct drawn *)drawn->pdata[k])->series;
    }
    return NULL;
}

guint zg_plotted_panels(const struct zg_plotted *plotted)
{
    return plotted->panels->len;
}

uint64_t zg_plotted_count(const struct zg_plotted *plotted)
{
    return plotted->values;
}

uint64_t zg_plotted_skipped(const struct zg_plotted *plotted)
{
    return plotted->skips;
}

GArray *zg_plotted_limits(const struct zg_plotted *plotted, guint panel)
{
    const GPtrArray *drawn = ((const struct panel *)plotted->panels->pdata[panel])->drawn;
    GArray *limits = g_array_new(FALSE, FALSE, sizeof(double));

    for (guint i = 0; i < drawn->len; i++) {
        const struct drawn *each = drawn->pdata[i];
        g_autoptr(GArray) of = zg_selection_limits(plotted->viewed[each->device].selection, each->message, each->index);
        g_array_append_vals(limits, of->data, of->len);
    }
    return limits;
}

static GArray *points_of(const struct drawn *drawn, const struct zg_plot *plot, guint most)
{
    g_autoptr(GArray) spans =
        zg_series_read(drawn->series, (uint64_t)(MAX(plot->from_s, 0) * 1e9), (uint64_t)(plot->to_s * 1e9 + 1), most);
    GArray *points = g_array_sized_new(FALSE, FALSE, sizeof(struct zg_plot_point), spans->len);

    for (guint i = 0; i < spans->len; i++) {
        const struct zg_series_span *span = &g_array_index(spans, struct zg_series_span, i);
        const struct zg_plot_point point = { (double)span->from_ns * 1e-9, (double)span->to_ns * 1e-9, span->least,
                                             span->greatest, span->after_gap };
        g_array_append_val(points, point);
    }
    return points;
}

void zg_plotted_draw(const struct zg_plotted *plotted, guint most, struct zg_plot *plot)
{
    plot->panels = g_array_new(FALSE, FALSE, sizeof(struct zg_plot_panel));
    plot->damages = plotted->skipped;
    for (guint i = 0; i < plotted->panels->len; i++) {
        const struct panel *panel = plotted->panels->pdata[i];
        const struct zg_plot_panel drawn = { g_array_new(FALSE, FALSE, sizeof(struct zg_plot_line)) };
        for (guint k = 0; k < panel->drawn->len; k++) {
            const struct drawn *each = panel->drawn->pdata[k];
            const struct zg_field *field = zg_block_step(&each->message->payload, each->index)->field;
            const struct zg_plot_line line = { each->name, field ? field->unit : NULL, points_of(each, plot, most) };
            g_array_append_val(drawn.lines, line);
        }
        g_array_append_val(plot->panels, drawn);
    }
}

void zg_plotted_release(struct zg_plot *plot)
{
    for (guint i = 0; i < plot->panels->len; i++) {
        GArray *lines = g_array_index(plot->panels, struct zg_plot_panel, i).lines;
        for (guint k = 0; k < lines->len; k++)
            g_array_unref(g_array_index(lines, struct zg_plot_line, k).points);
        g_array_unref(lines);
    }
    g_array_unref(plot->panels);
}
