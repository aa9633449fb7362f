/* SPDX-License-Identifier: MIT */
/* Private to the live page: its state, and the texts that go to its viewers. */
#ifndef ZEUGMA_PAGE_PARTS_LIVE_H
#define ZEUGMA_PAGE_PARTS_LIVE_H

#include "codec/json.h"
#include "page/live.h"
#include "view/lines.h"
#include "view/watched.h"

/* What is new for viewers, and the last of what was: JSON values, one each. */
struct zgi_feed {
    GQueue kept; /* char *, the newest last; the last `fresh` of which were not told yet */
    guint fresh, most;
    uint64_t omitted; /* of those that were not told yet: there were too many */
};

/* Values over time that somebody looks at. */
struct zgi_followed {
    char *name;
    GArray *viewers; /* unsigned */
    uint64_t told_ns;
};

/* Something that a viewer asked for, and that has not ended. */
struct zgi_open {
    unsigned viewer, device;
    gint64 number;                           /* by which the viewer knows it */
    const struct zg_plan_message *message;   /* NULL: any with the ticket; */
    const struct zg_plan_variable *variable; /* of a variable */
    zg_header_number to;
    uint8_t ticket;
};

/* A device, and what it has shown. */
struct zgi_live_device {
    struct zg_watched watched;
    struct zg_lines *lines;
    struct zg_wire *wire;
    struct zg_session *session;
};

struct zg_live {
    struct zg_live_settings settings;
    struct zg_page_server *server;
    struct zgi_live_device *devices;
    struct zg_plotted *plotted; /* of all */
    struct zgi_feed frames, raw, console, events;
    GArray *damages;            /* uint64_t, ns: when bytes were skipped, not told yet */
    GHashTable *counted;        /* by struct zg_table_row: how many of it were told, GSIZE */
    GPtrArray *followed;        /* of struct zgi_followed */
    GArray *open;               /* of struct zgi_open */
    GQueue typed;               /* of struct zgi_typed: for the devices' consoles */
    uint64_t number;            /* of the update told last */
    gint64 due_us;              /* when the next one is */
    zg_header_number following; /* the device that was followed last */
};

/* Text for a device's console, and how much of it is sent. */
struct zgi_typed {
    unsigned device;
    char *text;
    size_t sent;
    zg_header_number to;
};

/* What a page is told first: protocol, messages, variables. Free with g_free(). */
char *zgi_live_about(const struct zg_live *live);

/* What is new; or, `all`, everything that a new viewer is to see. Free with g_free(). */
char *zgi_live_update(struct zg_live *live, bool all);

/* Values over time. Free with g_free(). */
char *zgi_live_series(const struct zg_live *live, const char *name, gint64 number, double from_s, double to_s,
                      guint most);

/* Does what a viewer asks for in JSON. */
void zgi_live_ask(struct zg_live *live, unsigned viewer, const char *text);

/* Sends what is typed, as far as there is room. */
void zgi_live_type(struct zg_live *live);

/* Tells a viewer how what it asked for ended. */
void zgi_live_answer(struct zg_live *live, unsigned viewer, gint64 number, bool good, const char *text);

/* Forgets what a viewer looks at and waits for. */
void zgi_live_forget(struct zg_live *live, unsigned viewer);

/* Adds one value to a feed, which takes it over. */
void zgi_feed_add(struct zgi_feed *feed, char *json);

#endif
