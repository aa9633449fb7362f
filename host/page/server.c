/* SPDX-License-Identifier: MIT */
#include "page/server.h"

#include <libsoup/soup.h>
#include <stdint.h>
#include <string.h>
#include <sys/random.h>

enum {
    TOKEN_BYTES = 16,
    UPDATES_MOST = 6,  /* on their way to a viewer that is not behind */
    TEXTS_MOST = 60,   /* on their way, answers included, below 64 */
    WAITING_MOST = 32, /* requests of a viewer that nobody has taken yet */
    TELLING_MOST = 64, /* texts that the thread has not taken yet */
    ASKED_BYTES = 65536
};

struct viewer {
    struct zg_page_server *server;
    SoupWebsocketConnection *connection;
    unsigned number;
    unsigned unseen;  /* texts on their way, */
    uint64_t answers; /* of which those of these bits, the oldest first, are for this viewer alone */
    bool behind;
    gint *waiting; /* how many of its requests nobody has taken yet; shared with these, atomic */
};

struct zg_page_server {
    const struct zg_page_file *files;
    SoupServer *soup;
    GMainContext *context;
    GMainLoop *loop;
    GThread *thread;
    GPtrArray *viewers; /* of struct viewer; of the thread */
    unsigned last_number;
    GAsyncQueue *asked;
    char token[2 * TOKEN_BYTES + 1];
    char *host; /* as it was given */
    unsigned port;
    char *address;
    gint count, telling; /* atomic */
};

/* --- what a viewer wants */

static void hand_over(const struct viewer *viewer, char *text, bool left)
{
    struct zg_page_asked *asked = g_new(struct zg_page_asked, 1);

    *asked = (struct zg_page_asked){ viewer->number, text, left, g_atomic_rc_box_acquire(viewer->waiting) };
    (void)g_atomic_int_add(viewer->waiting, 1);
    g_async_queue_push(viewer->server->asked, asked);
}

void zg_page_asked_free(struct zg_page_asked *asked)
{
    if (!asked)
        return;
    (void)g_atomic_int_add(asked->waiting, -1);
    g_atomic_rc_box_release(asked->waiting);
    g_free(asked->text);
    g_free(asked);
}

struct zg_page_asked *zg_page_server_take(struct zg_page_server *server)
{
    return g_async_queue_try_pop(server->asked);
}

/* --- viewers */

static void free_viewer(void *data)
{
    struct viewer *viewer = data;

    g_signal_handlers_disconnect_by_data(viewer->connection, viewer);
    g_object_unref(viewer->connection);
    g_atomic_rc_box_release(viewer->waiting);
    g_free(viewer);
}

static void catch_up(struct viewer *viewer)
{
    if (viewer->unseen > 0)
        viewer->unseen--;
    viewer->answers >>= 1;
    if (!viewer->behind || viewer->unseen > 0)
        return;
    viewer->behind = false;
    hand_over(viewer, NULL, false);
}

static void take_text(SoupWebsocketConnection *connection, gint type, GBytes *message, gpointer data)
{
    struct viewer *viewer = data;
    gsize length;
    const char *text = g_bytes_get_data(message, &length);

    if (type != SOUP_WEBSOCKET_DATA_TEXT || memchr(text, '\0', length)) {
        soup_websocket_connection_close(connection, SOUP_WEBSOCKET_CLOSE_UNSUPPORTED_DATA, "text is expected");
    } else if (length >= 8 && memcmp(text, "{\"seen\":", 8) == 0) {
        catch_up(viewer);
    } else if (g_atomic_int_get(viewer->waiting) > WAITING_MOST) {
        soup_websocket_connection_close(connection, SOUP_WEBSOCKET_CLOSE_POLICY_VIOLATION, "it asks too much");
    } else {
        hand_over(viewer, g_strndup(text, length), false);
    }
}

static void leave(SoupWebsocketConnection *connection, gpointer data)
{
    struct viewer *viewer = data;
    struct zg_page_server *server = viewer->server;

    (void)connection;
    hand_over(viewer, NULL, true);
    (void)g_ptr_array_remove(server->viewers, viewer);
    g_atomic_int_set(&server->count, (gint)server->viewers->len);
}

static void welcome(SoupServer *soup, SoupServerMessage *message, const char *path, SoupWebsocketConnection *connection,
                    gpointer data)
{
    struct zg_page_server *server = data;
    struct viewer *viewer = g_new0(struct viewer, 1);

    (void)soup;
    (void)message;
    (void)path;
    viewer->server = server;
    viewer->connection = g_object_ref(connection);
    viewer->number = ++server->last_number;
    viewer->waiting = g_atomic_rc_box_new0(gint);
    soup_websocket_connection_set_max_incoming_payload_size(connection, ASKED_BYTES);
    soup_websocket_connection_set_keepalive_interval(connection, 20);
    (void)g_signal_connect(connection, "message", G_CALLBACK(take_text), viewer);
    (void)g_signal_connect(connection, "closed", G_CALLBACK(leave), viewer);
    g_ptr_array_add(server->viewers, viewer);
    g_atomic_int_set(&server->count, (gint)server->viewers->len);
    hand_over(viewer, NULL, false);
}

guint zg_page_server_viewers(const struct zg_page_server *server)
{
    return (guint)g_atomic_int_get(&server->count);
}

/* Has something done by the thread, in the order of the calls; never by the caller, who may be faster than the thread
 * begins. */
static void do_there(const struct zg_page_server *server, GSourceFunc function, void *data, GDestroyNotify free_data)
{
    g_autoptr(GSource) source = g_idle_source_new();

    g_source_set_priority(source, G_PRIORITY_DEFAULT);
    g_source_set_callback(source, function, data, free_data);
    (void)g_source_attach(source, server->context);
}

/* --- telling */

struct telling {
    struct zg_page_server *server;
    unsigned viewer; /* 0: all */
    char *text;
};

static void free_telling(void *data)
{
    struct telling *telling = data;

    (void)g_atomic_int_add(&telling->server->telling, -1);
    g_free(telling->text);
    g_free(telling);
}

static unsigned updates_unseen(const struct viewer *viewer)
{
    unsigned answers = 0;

    for (uint64_t left = viewer->answers; left > 0; left &= left - 1)
        answers++;
    return viewer->unseen - answers;
}

static gboolean tell_now(gpointer data)
{
    const struct telling *telling = data;
    const GPtrArray *viewers = telling->server->viewers;

    for (guint i = 0; i < viewers->len; i++) {
        struct viewer *viewer = viewers->pdata[i];
        if (telling->viewer > 0 && viewer->number != telling->viewer)
            continue;
        if (telling->viewer == 0 &&
            (viewer->behind || updates_unseen(viewer) >= UPDATES_MOST || viewer->unseen >= TEXTS_MOST - UPDATES_MOST)) {
            viewer->behind = true;
            continue;
        }
        if (soup_websocket_connection_get_state(viewer->connection) != SOUP_WEBSOCKET_STATE_OPEN)
            continue;
        if (viewer->unseen >= TEXTS_MOST) {
            soup_websocket_connection_close(viewer->connection, SOUP_WEBSOCKET_CLOSE_POLICY_VIOLATION,
                                            "it asks, and does not read");
            continue;
        }
        viewer->answers |= (uint64_t)(telling->viewer > 0) << viewer->unseen++;
        soup_websocket_connection_send_text(viewer->connection, telling->text);
    }
    return G_SOURCE_REMOVE;
}

void zg_page_server_tell(struct zg_page_server *server, unsigned viewer, const char *text)
{
    struct telling *telling = g_new(struct telling, 1);

    *telling = (struct telling){ server, viewer, g_strdup(text) };
    (void)g_atomic_int_add(&server->telling, 1);
    do_there(server, tell_now, telling, free_telling);
}

/* The thread itself may be behind: then this update is lost to all, and the next one says so by its number. */
void zg_page_server_tell_all(struct zg_page_server *server, const char *text)
{
    if (g_atomic_int_get(&server->telling) < TELLING_MOST)
        zg_page_server_tell(server, 0, text);
}

/* --- requests */

/* Compares all of a token, whatever of it is wrong: the time tells nothing. */
static bool is_token(const struct zg_page_server *server, const char *begin, size_t length)
{
    unsigned different = length != 2 * TOKEN_BYTES;

    for (size_t i = 0; i < 2 * TOKEN_BYTES; i++)
        different |= (unsigned char)server->token[i] ^ (unsigned char)(i < length ? begin[i] : 0);
    return different == 0;
}

/* Whether a host's name in a request is this server's: an address in digits, or a name that nobody else can give to
 * this machine (against names that are made to point here). */
static bool is_host(const struct zg_page_server *server, const char *given)
{
    g_autoptr(GError) error = NULL;
    g_autoptr(GSocketConnectable) parsed = given ? g_network_address_parse(given, 80, &error) : NULL;

    if (!parsed || g_network_address_get_port(G_NETWORK_ADDRESS(parsed)) != server->port)
        return false;
    const char *host = g_network_address_get_hostname(G_NETWORK_ADDRESS(parsed));
    return g_hostname_is_ip_address(host) || g_ascii_strcasecmp(host, "localhost") == 0 ||
           g_ascii_strcasecmp(host, server->host) == 0 || g_ascii_strcasecmp(host, g_get_host_name()) == 0;
}

static void refuse(SoupServerMessage *message, unsigned status, const char *text)
{
    soup_server_message_set_status(message, status, NULL);
    soup_server_message_set_response(message, "text/plain; charset=utf-8", SOUP_MEMORY_COPY, text, strlen(text));
}

static bool becomes_socket(SoupServerMessage *message)
{
    return soup_message_headers_header_contains(soup_server_message_get_request_headers(message), "Upgrade",
                                                "websocket");
}

/* Looks at every request first, also at those that become a WebSocket. */
static void judge(SoupServer *soup, SoupServerMessage *message, const char *path, GHashTable *query, gpointer data)
{
    const struct zg_page_server *server = data;
    SoupMessageHeaders *headers = soup_server_message_get_request_headers(message);
    const char *host = soup_message_headers_get_one(headers, "Host"),
               *origin = soup_message_headers_get_one(headers, "Origin");
    const char *end = path[0] == '/' ? strchr(path + 1, '/') : NULL;

    (void)soup;
    (void)query;
    if (!is_host(server, host)) {
        refuse(message, SOUP_STATUS_FORBIDDEN, "This page is not here under this host's name.\n");
        return;
    }
    if (becomes_socket(message) || origin) {
        g_autofree char *own = g_strconcat("http://", host, NULL);
        if (!origin || strcmp(origin, own) != 0) {
            refuse(message, SOUP_STATUS_FORBIDDEN, "Another page may not ask this one.\n");
            return;
        }
    }
    if (!end || !is_token(server, path + 1, (size_t)(end - path - 1)))
        refuse(message, SOUP_STATUS_FORBIDDEN, "The address lacks the token that zeugma printed.\n");
    else if (becomes_socket(message) && strcmp(end, "/link") != 0)
        refuse(message, SOUP_STATUS_NOT_FOUND, "There is nothing here.\n");
}

static void serve(SoupServer *soup, SoupServerMessage *message, const char *path, GHashTable *query, gpointer data)
{
    const struct zg_page_server *server = data;
    SoupMessageHeaders *headers = soup_server_message_get_response_headers(message);
    const char *method = soup_server_message_get_method(message), *name = path + 2 + 2 * TOKEN_BYTES;

    (void)soup;
    (void)query;
    if (becomes_socket(message))
        return; /* welcome() is next */
    if (strcmp(method, "GET") != 0 && strcmp(method, "HEAD") != 0) {
        refuse(message, SOUP_STATUS_METHOD_NOT_ALLOWED, "The page can only be read.\n");
        return;
    }
    soup_message_headers_append(
        headers, "Content-Security-Policy",
        "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; img-src data:; "
        "base-uri 'none'; form-action 'none'; frame-ancestors 'none'");
    soup_message_headers_append(headers, "Referrer-Policy", "no-referrer");
    soup_message_headers_append(headers, "X-Content-Type-Options", "nosniff");
    soup_message_headers_append(headers, "Cross-Origin-Resource-Policy", "same-origin");
    soup_message_headers_append(headers, "Cache-Control", "no-store");
    for (const struct zg_page_file *file = server->files; file->name; file++) {
        if (strcmp(file->name, name) != 0)
            continue;
        soup_server_message_set_status(message, SOUP_STATUS_OK, NULL);
        soup_server_message_set_response(message, file->type, SOUP_MEMORY_STATIC, file->text, strlen(file->text));
        return;
    }
    refuse(message, SOUP_STATUS_NOT_FOUND, "There is nothing here.\n");
}

/* --- the server */

static gpointer run(gpointer data)
{
    struct zg_page_server *server = data;

    g_main_context_push_thread_default(server->context);
    g_main_loop_run(server->loop);
    g_main_context_pop_thread_default(server->context);
    return NULL;
}

static gboolean stop(gpointer data)
{
    struct zg_page_server *server = data;

    g_ptr_array_set_size(server->viewers, 0);
    soup_server_disconnect(server->soup);
    g_main_loop_quit(server->loop);
    return G_SOURCE_REMOVE;
}

static bool make_token(struct zg_page_server *server, GError **error)
{
    unsigned char bytes[TOKEN_BYTES];

    if (getrandom(bytes, sizeof bytes, 0) != (ssize_t)sizeof bytes) {
        g_set_error(error, ZG_PAGE_ERROR, ZG_PAGE_ERROR_TROUBLE, "the system has no random bytes for the token");
        return false;
    }
    for (unsigned i = 0; i < TOKEN_BYTES; i++)
        (void)g_snprintf(server->token + 2 * (gsize)i, 3, "%02x", bytes[i]);
    return true;
}

/* HOST:PORT as a socket's address. */
static GSocketAddress *read_where(struct zg_page_server *server, const char *where, GError **error)
{
    const char *colon = strrchr(where, ':');
    guint64 port = 0;

    if (colon && colon > where && g_ascii_string_to_unsigned(colon + 1, 10, 0, 65535, &port, NULL)) {
        const bool bracketed = where[0] == '[' && colon[-1] == ']';
        server->host =
            bracketed ? g_strndup(where + 1, (gsize)(colon - where - 2)) : g_strndup(where, (gsize)(colon - where));
        GSocketAddress *address = g_inet_socket_address_new_from_string(
            g_ascii_strcasecmp(server->host, "localhost") == 0 ? "127.0.0.1" : server->host, (guint)port);
        if (address)
            return address;
    }
    g_set_error(error, ZG_PAGE_ERROR, ZG_PAGE_ERROR_USE,
                "expected HOST:PORT with an IP address of this machine, such as 127.0.0.1:8080, found \"%s\"", where);
    return NULL;
}

static bool listen_there(struct zg_page_server *server, const char *where, GError **error)
{
    g_autoptr(GSocketAddress) address = read_where(server, where, error);
    g_autoptr(GError) reason = NULL;

    if (!address || !make_token(server, error))
        return false;
    server->soup = g_object_new(SOUP_TYPE_SERVER, "server-header", NULL, NULL);
    soup_server_add_early_handler(server->soup, NULL, judge, server, NULL);
    soup_server_add_handler(server->soup, NULL, serve, server, NULL);
    soup_server_add_websocket_handler(server->soup, NULL, NULL, NULL, welcome, server, NULL);
    g_main_context_push_thread_default(server->context);
    const bool listens = soup_server_listen(server->soup, address, 0, &reason);
    g_main_context_pop_thread_default(server->context);
    if (!listens) {
        g_set_error(error, ZG_PAGE_ERROR, ZG_PAGE_ERROR_TROUBLE,
                    "cannot listen on %s: %s; --page without an address takes this machine alone and a free port",
                    where, reason->message);
        return false;
    }
    GSList *uris = soup_server_get_uris(server->soup);
    const bool is_ipv6 = strchr(server->host, ':') != NULL;
    server->port = (unsigned)g_uri_get_port(uris->data);
    server->address = g_strdup_printf("http://%s%s%s:%u/%s/", is_ipv6 ? "[" : "", server->host, is_ipv6 ? "]" : "",
                                      server->port, server->token);
    g_slist_free_full(uris, (GDestroyNotify)g_uri_unref);
    return true;
}

struct zg_page_server *zg_page_server_new(const char *where, const struct zg_page_file *files, GError **error)
{
    struct zg_page_server *server = g_new0(struct zg_page_server, 1);

    server->files = files;
    server->context = g_main_context_new();
    server->loop = g_main_loop_new(server->context, FALSE);
    server->viewers = g_ptr_array_new_with_free_func(free_viewer);
    server->asked = g_async_queue_new_full((GDestroyNotify)zg_page_asked_free);
    if (!listen_there(server, where ? where : "127.0.0.1:0", error)) {
        zg_page_server_free(server);
        return NULL;
    }
    server->thread = g_thread_new("page", run, server);
    return server;
}

void zg_page_server_free(struct zg_page_server *server)
{
    if (!server)
        return;
    if (server->thread) {
        do_there(server, stop, server, NULL);
        (void)g_thread_join(server->thread);
    }
    while (g_main_context_iteration(server->context, FALSE)) /* what was still to be told */
        ;
    g_clear_object(&server->soup);
    g_ptr_array_unref(server->viewers);
    g_async_queue_unref(server->asked);
    g_main_loop_unref(server->loop);
    g_main_context_unref(server->context);
    g_free(server->host);
    g_free(server->address);
    g_free(server);
}

const char *zg_page_server_address(const struct zg_page_server *server)
{
    return server->address;
}
