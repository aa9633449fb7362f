/* SPDX-License-Identifier: MIT */
/* In place of server.c, without libsoup. */
#include "page/server.h"

struct zg_page_server *zg_page_server_new(const char *where, const struct zg_page_file *files, GError **error)
{
    (void)where;
    (void)files;
    g_set_error(error, ZG_PAGE_ERROR, ZG_PAGE_ERROR_USE,
                "this program was built without a page; install libsoup 3's development files and build it again");
    return NULL;
}

void zg_page_server_free(struct zg_page_server *server)
{
    (void)server;
}

const char *zg_page_server_address(const struct zg_page_server *server)
{
    (void)server;
    return "";
}

guint zg_page_server_viewers(const struct zg_page_server *server)
{
    (void)server;
    return 0;
}

struct zg_page_asked *zg_page_server_take(struct zg_page_server *server)
{
    (void)server;
    return NULL;
}

void zg_page_asked_free(struct zg_page_asked *asked)
{
    (void)asked;
}

void zg_page_server_tell(struct zg_page_server *server, unsigned viewer, const char *text)
{
    (void)server;
    (void)viewer;
    (void)text;
}

void zg_page_server_tell_all(struct zg_page_server *server, const char *text)
{
    (void)server;
    (void)text;
}
