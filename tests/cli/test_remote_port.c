/* SPDX-License-Identifier: MIT */
/*
 * rfc2217: a serial port of another machine, behind an independent server, ser2net, on a simulated device's terminal;
 * and behind a server of our own that answers as a test requires.
 */
#include "processes.h"

#include <netinet/in.h>
#include <stdio.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include "codec/hex.h"

#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"

/* --- a server of others */

static GPid start_ser2net(unsigned *port)
{
    g_autofree char *terminal = g_build_filename(test_folder, "p", NULL);
    g_autofree char *path = g_build_filename(test_folder, "ser2net.yaml", NULL);
    GPid id;

    (void)close(test_bind_anywhere(SOCK_STREAM, port));
    g_autofree char *text = g_strdup_printf("connection: &port\n  accepter: telnet(rfc2217),tcp,localhost,%u\n"
                                            "  connector: serialdev,%s,9600n81,local\n",
                                            *port, terminal);
    assert_true(g_file_set_contents(path, text, -1, NULL));
    char *command[] = { "ser2net", "-n", "-u", "-c", path, NULL };
    assert_true(g_spawn_async(NULL, command, NULL,
                              G_SPAWN_SEARCH_PATH | G_SPAWN_STDOUT_TO_DEV_NULL | G_SPAWN_STDERR_TO_DEV_NULL |
                                  G_SPAWN_DO_NOT_REAP_CHILD,
                              NULL, NULL, &id, NULL));
    for (unsigned i = 0; i < 100; i++) {
        struct sockaddr_in at = { .sin_family = AF_INET,
                                  .sin_port = htons((uint16_t)*port),
                                  .sin_addr.s_addr = htonl(INADDR_LOOPBACK) };
        int fd = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
        const bool up = connect(fd, (const struct sockaddr *)&at, sizeof at) == 0;
        (void)close(fd);
        if (up)
            break;
        g_usleep(50000);
    }
    g_usleep(200000); /* so that it releases that connection */
    return id;
}

/* Frames, all values of bytes, acknowledged messages, a soak and the port's settings. */
static void test_ser2net(void **state)
{
    unsigned port;
    (void)state;
    struct process device = test_start_device("pty:p", "");
    GPid server = start_ser2net(&port);
    g_autofree char *link = g_strdup_printf("rfc2217:localhost:%u", port);
    g_autofree char *watch = g_strdup_printf("watch " LOOM " %s --json --show pick --count 8", link);
    g_autofree char *live = test_run(0, watch);
    assert_int_equal(test_lines_with(live, "\"message\":\"pick\""), 8);
    for (unsigned first = 0; first < 256; first += 16) {
        g_autoptr(GString) data = g_string_new(NULL);
        for (unsigned i = 0; i < 16; i++)
            g_string_append_printf(data, "%02x", first + i);
        g_autofree char *echo = g_strdup_printf("send " LOOM " %s echo_request '{\"data\":\"%s\"}'", link, data->str);
        g_autofree char *wanted = g_strdup_printf("echo_reply   seq");
        g_autofree char *text = test_run(0, echo);
        test_assert_in(text, wanted);
        assert_int_equal(test_lines_with(text, data->str), 2);
    }
    g_autofree char *request = g_strdup_printf("send " LOOM " %s load_row '{\"row\":77,\"lift\":5}'", link);
    test_assert_run(0, request, "row=77");
    g_autofree char *soak = g_strdup_printf("soak " LOOM " %s --for 500ms --json", link);
    test_assert_run(0, soak, "\"adds_up\": true");
    g_autofree char *slower = g_strdup_printf("watch " LOOM " '%s?baud=9600' --json --for 500ms", link);
    g_autofree char *unread =
        test_run(0, slower); /* the terminal was set to a speed at which the device cannot be read */
    assert_null(strstr(unread, "\"message\""));
    assert_int_equal(kill(server, SIGTERM), 0);
    g_spawn_close_pid(server);
    test_end(&device);
}

/* --- one that answers as it is told: steps are bytes, the next sent once the client has said what is waited for */

struct step {
    const char *send, *await; /* hex; await NULL: no more */
};

struct server {
    int listener;
    const struct step *steps;
};

static gpointer serve(gpointer data)
{
    const struct server *server = data;
    g_autoptr(GString) heard = g_string_new(NULL);
    uint8_t bytes[512];
    int fd = accept(server->listener, NULL, NULL);

    for (const struct step *step = server->steps; fd >= 0 && step->send; step++) {
        g_autoptr(GByteArray) out = zg_bytes_from_hex(step->send, NULL);
        g_autoptr(GByteArray) wanted = zg_bytes_from_hex(step->await ? step->await : "", NULL);
        if (send(fd, out->data, out->len, MSG_NOSIGNAL) < 0)
            break;
        for (ssize_t count = 1;
             count > 0 && step->await && !memmem(heard->str, heard->len, wanted->data, wanted->len);) {
            count = recv(fd, bytes, sizeof bytes, 0);
            if (count > 0)
                g_string_append_len(heard, (const char *)bytes, count);
        }
        if (!step->await) {
            g_usleep(100000);
            break;
        }
    }
    (void)close(fd);
    return NULL;
}

/* What a watch prints while a server goes through these steps. Free with g_free(). */
static char *watch_served(const struct step *steps, int status, const char *more)
{
    unsigned port;
    struct server server = { test_bind_anywhere(SOCK_STREAM, &port), steps };
    assert_int_equal(listen(server.listener, 1), 0);
    GThread *thread = g_thread_new("server", serve, &server);
    g_autofree char *arguments = g_strdup_printf("watch " LOOM " 'rfc2217:localhost:%u%s", port, more);
    char *text = test_run(status, arguments);

    (void)g_thread_join(thread);
    (void)close(server.listener);
    return text;
}

#define AGREED "fffd2c fffd00 fffb00"
#define LAST_SETTING "fffa2c0501fff0" /* no flow control */
#define SPEED "fffa2c650007a120fff0"  /* 500000 */
#define FORMAT "fffa2c6608fff0 fffa2c6701fff0 fffa2c6801fff0"
#define NO_FLOW "fffa2c6901fff0"

static void test_refusals(void **state)
{
    static const struct {
        const struct step steps[3];
        const char *wanted;
    } cases[] = {
        { { { "fffe2c fffd00 fffb00", "fffb2c" } }, "does not offer control of a port (RFC 2217)" },
        { { { "fffd2c fffe00 fffb00", "fffb2c" } }, "does not pass all byte values" },
        { { { AGREED, LAST_SETTING }, { "fffa2c6500002580fff0" FORMAT NO_FLOW, "fffa2c0501fff0" } },
          "runs at 9600 baud, not at the 500000 wanted" },
        { { { AGREED, LAST_SETTING }, { SPEED "fffa2c6607fff0 fffa2c6703fff0 fffa2c6803fff0 fffa2c6903fff0", "ff" } },
          "is set to format=7E1.5&flow=rts_cts, not to the format=8N1&flow=none wanted" },
        { { { "61", NULL } }, "the other side closed the connection" },
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *text = watch_served(cases[i].steps, 3, "'");
        test_assert_in(text, cases[i].wanted);
    }
    test_assert_run(3, "watch " LOOM " rfc2217:localhost:1", "nobody serves there: connection refused");
    test_assert_run(2, "watch " LOOM " rfc2217:localhost", "expected a host and a port");
    test_assert_run(2, "watch " LOOM " 'rfc2217:h:1?format=9N1'", "5 to 8 data bits");
    test_assert_run(2, "sim " LOOM " --on 'rfc2217:h:1?speed=9'", "expected one of baud, format, flow, dtr, rts");
}

/* What the server reports about the line goes into the summary and the capture; modem lines become notes. What came
 * before the settings were made is dropped. */
static void test_news(void **state)
{
    g_autofree char *frame = test_run(0, "encode " LOOM " echo_reply '{\"data\":\"ff00ff\"}'");
    (void)state;
    g_auto(GStrv) parts = g_strsplit(g_strstrip(frame), "ff", -1);
    g_autofree char *doubled = g_strjoinv("ffff", parts);
    g_autofree char *first = g_strconcat(doubled, SPEED FORMAT NO_FLOW "fffa2c6b30fff0", NULL);
    g_autofree char *then = g_strconcat("fffa2c6a0cfff0", doubled, "fffa2c6b10fff0 fffa2c6a10fff0", doubled, NULL);
    const struct step steps[] = {
        { AGREED, LAST_SETTING }, { first, "fffa2c0501fff0" }, { then, NULL }, { NULL, NULL }
    };
    g_autofree char *text = watch_served(steps, 3, "' --capture seen");
    assert_int_equal(test_lines_with(text, "echo_reply   data=ff00ff"), 2);
    test_assert_in(text, "modem lines changed: CTS on, DSR off, CD off, RI off");
    test_assert_in(text, "line errors: framing 1, parity 1, overrun 0, break 1");
}

#define LINK_TEST(test) cmocka_unit_test_teardown(test, test_kill_running)

int main(void)
{
    const struct CMUnitTest tests[] = { LINK_TEST(test_ser2net), LINK_TEST(test_refusals), LINK_TEST(test_news) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
