/* SPDX-License-Identifier: MIT */
/*
 * Serves one page to browsers (HTTP/1.1, RFC 9112) and talks with each over a WebSocket (RFC 6455), by a thread of its
 * own: whoever owns the server never waits for a viewer. The address holds a random token; a request with another one,
 * for another host, or from another page's script is refused.
 *
 * Each viewer says which texts it has seen, {"seen": N}. One that is behind by a few gets none until it has caught up:
 * it loses its own updates, and then is reported as new.
 */
#ifndef ZEUGMA_PAGE_SERVER_H
#define ZEUGMA_PAGE_SERVER_H

#include <glib.h>
#include <stdbool.h>

#define ZG_PAGE_ERROR (g_quark_from_static_string("zg-page-error"))

enum zg_page_error {
    ZG_PAGE_ERROR_USE,    /* not an address; or this program was built without a server */
    ZG_PAGE_ERROR_TROUBLE /* it cannot be listened on */
};

/* A file of the page. */
struct zg_page_file {
    const char *name; /* "" for the page itself */
    const char *type; /* its media type */
    const char *text;
};

/* Something that a viewer wants. */
struct zg_page_asked {
    unsigned viewer;
    char *text; /* what it sent, valid UTF-8; NULL: it is new, or has lost updates, or has left */
    bool left;
    gint *waiting; /* private */
};

/* Opaque; free with zg_page_server_free(). */
struct zg_page_server;

/* `where`: HOST:PORT, of which the host is an IP address or "localhost"; port 0, or NULL for the whole: 127.0.0.1 and
 * any free port. `files` ends with a name of NULL; it and its texts must outlive the server. */
struct zg_page_server *zg_page_server_new(const char *where, const struct zg_page_file *files, GError **error);
void zg_page_server_free(struct zg_page_server *server);

/* Where the page is, with the token; owned by the server. */
const char *zg_page_server_address(const struct zg_page_server *server);

/* How many viewers there are. */
guint zg_page_server_viewers(const struct zg_page_server *server);

/* The next thing that a viewer wants; NULL: nothing. Free with zg_page_asked_free(). */
struct zg_page_asked *zg_page_server_take(struct zg_page_server *server);
void zg_page_asked_free(struct zg_page_asked *asked);

/* Sends a text, JSON, to one viewer; to all that are not behind. */
void zg_page_server_tell(struct zg_page_server *server, unsigned viewer, const char *text);
void zg_page_server_tell_all(struct zg_page_server *server, const char *text);

#endif
