/* SPDX-License-Identifier: MIT */
/* Channels of the operating system, in cases that others cause and our own end cannot. */
#include "posix/channel.h"

#include <arpa/inet.h>
#include <stdio.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include "support.h"

static struct sockaddr_in local(unsigned port)
{
    return (struct sockaddr_in){ .sin_family = AF_INET,
                                 .sin_port = htons((uint16_t)port),
                                 .sin_addr.s_addr = htonl(INADDR_LOOPBACK) };
}

/* A datagram from port 0 has no sender to answer: it is skipped, and the next one is read. */
static void test_no_port(void **state)
{
    struct sockaddr_in at = local(0);
    socklen_t size = sizeof at;
    struct zg_channel channel;
    uint8_t bytes[16];
    char text[8];
    int other = socket(AF_INET, SOCK_DGRAM, 0), raw = socket(AF_INET, SOCK_RAW, IPPROTO_UDP);
    (void)state;
    assert_int_equal(bind(other, (const struct sockaddr *)&at, size), 0);
    assert_int_equal(getsockname(other, (struct sockaddr *)&at, &size), 0);
    const unsigned theirs = ntohs(at.sin_port), ours = theirs == 65535 ? 65534 : theirs + 1;
    (void)snprintf(text, sizeof text, "%u", ours);
    assert_int_equal(zg_channel_listen_udp(&channel, "127.0.0.1", text), 0);
    at = local(ours);
    if (raw >= 0) { /* only an administrator can make one */
        const uint8_t datagram[] = { 0, 0, (uint8_t)(ours >> 8), (uint8_t)ours, 0, 11, 0, 0, 'a', 'b', 'c' };
        assert_int_equal(sendto(raw, datagram, sizeof datagram, 0, (const struct sockaddr *)&at, sizeof at),
                         (long)sizeof datagram);
        assert_int_equal(zg_channel_read(&channel, bytes, sizeof bytes), 0);
        assert_false(zg_channel_is_open(&channel));
        assert_int_equal(zg_channel_write(&channel, bytes, 3), 3); /* nobody hears it */
    } else {
        print_message("no raw socket: the datagram from port 0 is left out\n");
    }
    assert_int_equal(sendto(other, "xyz", 3, 0, (const struct sockaddr *)&at, sizeof at), 3);
    assert_int_equal(zg_channel_read(&channel, bytes, sizeof bytes), 3);
    assert_memory_equal(bytes, "xyz", 3);
    assert_true(zg_channel_is_open(&channel));
    zg_channel_close(&channel);
    (void)close(other);
    (void)close(raw);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_no_port) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
