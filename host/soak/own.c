/* SPDX-License-Identifier: MIT */
#include "soak/own.h"

#include <math.h>
#include <string.h>

#include "codec/from_json.h"
#include "codec/json.h"
#include "codec/read_json.h"
#include "definition/words.h"
#include "device/plausible.h"

/* A field whose value is drawn. */
struct range {
    char *field;
    bool whole;
    bool below;           /* whole: the first number is below zero; */
    uint64_t first, span; /* it, modulo 2^64, and how far on the last is */
    double from, to;      /* not whole */
};

/* A kind of message. */
struct kind {
    const struct zg_plan_message *message;
    struct zg_json_node *fixed; /* the values that stay; NULL: none were given */
    GArray *ranges;             /* of struct range */
    bool random;                /* any valid values */
    uint64_t count;
    struct zg_value *values;
};

struct zg_own {
    const struct zg_plan *plan;
    GArray *kinds;
    uint64_t period_ns;
};

static void clear_range(void *data)
{
    g_free(((struct range *)data)->field);
}

static void clear_kind(void *data)
{
    struct kind *kind = data;

    zg_json_node_free(kind->fixed);
    g_array_unref(kind->ranges);
    zg_values_free(&kind->message->payload, kind->values);
}

struct zg_own *zg_own_new(const struct zg_plan *plan)
{
    struct zg_own *own = g_new0(struct zg_own, 1);

    own->plan = plan;
    own->kinds = g_array_new(FALSE, FALSE, sizeof(struct kind));
    g_array_set_clear_func(own->kinds, clear_kind);
    return own;
}

void zg_own_free(struct zg_own *own)
{
    if (!own)
        return;
    g_array_unref(own->kinds);
    g_free(own);
}

static bool is_sent_by_host(const struct zg_plan_message *message)
{
    return (message->message->from & ZG_SIDE_HOST) && !message->message->is_reply && !message->message->service;
}

/* The kind of a message, which is there from now on. */
static struct kind *kind_of(struct zg_own *own, const struct zg_plan_message *message)
{
    for (guint i = 0; i < own->kinds->len; i++)
        if (g_array_index(own->kinds, struct kind, i).message == message)
            return &g_array_index(own->kinds, struct kind, i);
    struct kind kind = { .message = message,
                         .ranges = g_array_new(FALSE, FALSE, sizeof(struct range)),
                         .values = zg_values_new(&message->payload) };
    g_array_set_clear_func(kind.ranges, clear_range);
    g_array_append_val(own->kinds, kind);
    return &g_array_index(own->kinds, struct kind, own->kinds->len - 1);
}

static const struct zg_plan_message *find(const struct zg_own *own, const char *name, GError **error)
{
    const struct zg_plan_message *message = zg_plan_by_name(own->plan, name);
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    if (message && is_sent_by_host(message))
        return message;
    if (message) {
        g_set_error(error, ZG_OWN_ERROR, 0, "%s is not for the host to send by itself", name);
        return NULL;
    }
    for (guint i = 0; i < own->plan->messages->len; i++) {
        const struct zg_plan_message *other = &g_array_index(own->plan->messages, struct zg_plan_message, i);
        if (is_sent_by_host(other))
            g_ptr_array_add(names, (gpointer)other->message->name);
    }
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(name, (const char *const *)names->pdata);
    g_set_error(error, ZG_OWN_ERROR, 0, "unknown message \"%s\"%s", name, hint);
    return NULL;
}

/* Whole numbers, exactly. False: the first is the greater, or no 64 bits hold both. */
static bool set_whole(struct range *range, bool below, uint64_t first, bool ends_below, uint64_t last)
{
    first = below ? 0 - first : first;
    last = ends_below ? 0 - last : last;
    range->below = below;
    range->first = first;
    range->span = last - first;
    return below && !ends_below ? last <= (uint64_t)INT64_MAX : below == ends_below && first <= last;
}

/* range = number ".." number */
static bool read_range(const char *text, struct range *range)
{
    g_auto(GStrv) ends = g_strsplit(text, "..", 2);
    char *end_from = NULL, *end_to = NULL;
    bool below, ends_below;
    uint64_t first, last;

    if (!ends[0] || !ends[1])
        return false;
    range->whole = zgi_parse_integer(ends[0], &below, &first) && zgi_parse_integer(ends[1], &ends_below, &last);
    if (range->whole)
        return set_whole(range, below, first, ends_below, last);
    range->from = g_ascii_strtod(ends[0], &end_from);
    range->to = g_ascii_strtod(ends[1], &end_to);
    return end_from != ends[0] && *end_from == '\0' && end_to != ends[1] && *end_to == '\0' &&
           range->from <= range->to && isfinite(range->to - range->from);
}

/* What a field is drawn from; NULL: it is not drawn. */
static struct range *range_of(const struct kind *kind, const char *field)
{
    for (guint i = 0; i < kind->ranges->len; i++)
        if (strcmp(g_array_index(kind->ranges, struct range, i).field, field) == 0)
            return &g_array_index(kind->ranges, struct range, i);
    return NULL;
}

/* What is said last of a field counts. */
static bool add_range(struct kind *kind, const char *field, const char *text)
{
    struct range range = { .field = NULL }, *const earlier = range_of(kind, field);

    if (!text || !read_range(text, &range))
        return false;
    range.field = earlier ? earlier->field : g_strdup(field);
    if (earlier)
        *earlier = range;
    else
        g_array_append_val(kind->ranges, range);
    return true;
}

static bool add_fixed(struct kind *kind, const char *text, GError **error)
{
    zg_json_node_free(kind->fixed);
    kind->fixed = zg_json_read(text, error);
    if (!kind->fixed)
        g_prefix_error(error, "%s: ", kind->message->message->name);
    else if (kind->fixed->kind != ZG_JSON_OBJECT)
        g_set_error(error, ZG_OWN_ERROR, 0, "%s: expected %s={\"field\": value, ...}, found %s",
                    kind->message->message->name, kind->message->message->name, text);
    return kind->fixed && kind->fixed->kind == ZG_JSON_OBJECT;
}

/* send = name [ "=" json ] | name "." field "=" range */
bool zg_own_add(struct zg_own *own, const char *text, GError **error)
{
    g_auto(GStrv) sides = g_strsplit(text, "=", 2);
    char *dot = sides[0] ? strchr(sides[0], '.') : NULL;

    if (dot)
        *dot = '\0';
    const struct zg_plan_message *message = find(own, sides[0] ? sides[0] : "", error);
    if (!message)
        return false;
    struct kind *kind = kind_of(own, message);
    if (dot && !add_range(kind, dot + 1, sides[1])) {
        g_set_error(error, ZG_OWN_ERROR, 0, "\"%s\": expected NAME.FIELD=A..B, such as %s.%s=0..100", text, sides[0],
                    dot + 1);
        return false;
    }
    return dot || !sides[1] || add_fixed(kind, sides[1], error);
}

void zg_own_add_all(struct zg_own *own)
{
    for (guint i = 0; i < own->plan->messages->len; i++) {
        const struct zg_plan_message *message = &g_array_index(own->plan->messages, struct zg_plan_message, i);
        if (is_sent_by_host(message))
            kind_of(own, message)->random = true;
    }
}

void zg_own_set_period(struct zg_own *own, uint64_t period_ns)
{
    own->period_ns = period_ns;
}

unsigned zg_own_count(const struct zg_own *own)
{
    return own->kinds->len;
}

const struct zg_plan_message *zg_own_message(const struct zg_own *own, unsigned index)
{
    return g_array_index(own->kinds, struct kind, index).message;
}

uint64_t zg_own_period_ns(const struct zg_own *own, unsigned index)
{
    const uint64_t every_ns = zg_own_message(own, index)->message->every_ns;
    return own->period_ns > 0 ? own->period_ns : every_ns > 0 ? every_ns : UINT64_C(100000000);
}

static void draw(const struct range *range, struct zg_random *random, struct zg_json *json)
{
    if (!range->whole) {
        zg_json_double(json, range->field, range->from + zg_random_unit(random) * (range->to - range->from));
        return;
    }
    const uint64_t on = range->span == UINT64_MAX ? zg_random_next(random) : zg_random_below(random, range->span + 1);
    const uint64_t value = range->first + on;
    if (range->below && on < 0 - range->first)
        zg_json_signed(json, range->field, -1 - (int64_t)~value);
    else
        zg_json_unsigned(json, range->field, value);
}

/* The JSON of the next values. */
static char *compose(const struct kind *kind, struct zg_random *random)
{
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    for (const struct zg_json_node *member = kind->fixed ? kind->fixed->members : NULL; member; member = member->next) {
        g_autofree char *written = zg_json_written(member);
        if (!range_of(kind, member->name))
            zg_json_literal(&json, member->name, written);
    }
    for (guint i = 0; i < kind->ranges->len; i++)
        draw(&g_array_index(kind->ranges, struct range, i), random, &json);
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}

const struct zg_value *zg_own_values(struct zg_own *own, unsigned index, struct zg_random *random, GError **error)
{
    struct kind *kind = &g_array_index(own->kinds, struct kind, index);

    if (kind->random) {
        zg_plausible_fill(&kind->message->payload, (double)zg_random_below(random, 1000000), kind->count++,
                          zg_random_next(random), kind->values);
        return kind->values;
    }
    g_autofree char *json = compose(kind, random);
    return zg_values_from_json(kind->message, json, kind->values, error) ? kind->values : NULL;
}
