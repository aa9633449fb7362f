/* SPDX-License-Identifier: MIT */
/*
 * Links on a page: what they have shown, for any number of browsers, and what these ask for. docs/live.md describes the
 * page. All calls come from one thread, that of the links. Devices are told by their numbers in `viewed`.
 */
#ifndef ZEUGMA_PAGE_LIVE_H
#define ZEUGMA_PAGE_LIVE_H

#include "node/session.h"
#include "page/server.h"
#include "view/viewed.h"

struct zg_live_settings {
    const struct zg_viewed *viewed; /* the devices; what is shown of each, and marked */
    unsigned count;
    const char *const *links; /* as the user gave them */
    zg_header_number to;      /* the device that is first spoken to on a shared line; 0: none */
    bool answers;             /* viewers may send */
};

/* Opaque; free with zg_live_free(). */
struct zg_live;

/* Begins to serve the page at `where` (see zg_page_server_new()); NULL: 127.0.0.1, any port. `viewed` and the links
 * must outlive it. */
struct zg_live *zg_live_new(const struct zg_live_settings *settings, const char *where, GError **error);
void zg_live_free(struct zg_live *live);

/* Says by what a device is reached. Before that nothing may be called that concerns it. */
void zg_live_attach(struct zg_live *live, unsigned device, struct zg_wire *wire, struct zg_session *session);

/* Where the page is; how many look at it. */
const char *zg_live_address(const struct zg_live *live);
guint zg_live_viewers(const struct zg_live *live);

/* Takes what passes, and what happens. */
void zg_live_stretch(struct zg_live *live, unsigned device, uint64_t at_ns, bool out, const struct zg_stretch *stretch);
void zg_live_bytes(struct zg_live *live, unsigned device, const struct zg_passage *passage);
void zg_live_event(struct zg_live *live, uint64_t at_ns, const char *text);

/* Takes what the host's end was told, and how something that was sent ended, for those who asked for it. */
void zg_live_told(struct zg_live *live, unsigned device, const struct zg_plan_message *message,
                  const struct zg_value *values);
void zg_live_settled(struct zg_live *live, unsigned device, zg_header_number peer,
                     const struct zg_plan_message *message, uint8_t ticket, enum zg_settled how);

/* Does what is due: tells the viewers what is new, 20 times a second, and does what they ask. */
void zg_live_step(struct zg_live *live);

#endif
