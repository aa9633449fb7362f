/* SPDX-License-Identifier: MIT */
/*
 * examples/dosing against an implementation of the register bus by others, in both roles, on pseudo-terminals: the
 * example's pump answers a foreign client, and `zeugma send` asks a foreign server.
 */
#include "support.h"

#include <fcntl.h>
#include <modbus.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include "../../examples/dosing/device.h"

/* The same as test_open_pty(), and reading does not wait. */
static int open_pty(char **path)
{
    const int own = test_open_pty(path);

    assert_int_equal(fcntl(own, F_SETFL, O_NONBLOCK), 0);
    return own;
}

static uint32_t now_us(void *context)
{
    struct timespec now;
    (void)context;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint32_t)now.tv_sec * 1000000U + (uint32_t)(now.tv_nsec / 1000);
}

static void start(void *context)
{
    (void)context;
}

/* The pump's firmware, in a process of its own, until it is killed. */
static pid_t run_pump(int line)
{
    static const struct zg_port port = { .now_us = now_us, .start_transmit = start };
    static struct device pump;
    const pid_t child = fork();
    uint8_t bytes[256];

    if (child != 0)
        return child;
    if (device_begin(&pump, 5, &port, NULL) != 0)
        _exit(1);
    for (;;) {
        const ssize_t count = read(line, bytes, sizeof bytes);
        size_t used = 0;
        if (count > 0)
            dosing_device_receive(&pump.node, bytes, (size_t)count);
        device_loop(&pump);
        while (used < sizeof bytes && dosing_device_transmit_isr(&pump.node, &bytes[used]))
            used++;
        if (used > 0 && write(line, bytes, used) != (ssize_t)used)
            _exit(1);
        if (count <= 0)
            g_usleep(500);
    }
}

static modbus_t *connect_to(const char *path, int address)
{
    modbus_t *bus = modbus_new_rtu(path, 9600, 'N', 8, 1);

    assert_non_null(bus);
    assert_int_equal(modbus_set_slave(bus, address), 0);
    assert_int_equal(modbus_set_response_timeout(bus, 2, 0), 0);
    assert_int_equal(modbus_connect(bus), 0);
    return bus;
}

static void test_foreign_client(void **state)
{
    g_autofree char *path = NULL;
    uint16_t values[REGISTERS] = { 0 };
    const int line = open_pty(&path);
    const pid_t pump = run_pump(line);
    modbus_t *bus = connect_to(path, 5);
    (void)state;
    for (unsigned round = 0; round < 3; round++) {
        assert_int_equal(modbus_read_registers(bus, SETPOINT, 2, values), 2);
        assert_int_equal(values[0], round == 0 ? 40 : 70 + round - 1);
        assert_int_equal(values[1], round == 0 ? 120 : 130);
        assert_int_equal(modbus_write_register(bus, SETPOINT, (uint16_t)(70 + round)), 1);
        assert_int_equal(modbus_write_register(bus, LIMIT, 130), 1);
        assert_int_equal(modbus_read_registers(bus, 0, REGISTERS, values), REGISTERS);
        assert_int_equal(values[SETPOINT], 70 + round);
        const uint16_t both[] = { (uint16_t)(70 + round), 130 };
        assert_int_equal(modbus_write_registers(bus, SETPOINT, 2, both), 2);
    }
    assert_int_equal(modbus_read_registers(bus, SETPOINT, 5, values), -1);
    assert_int_equal(errno, EMBXILADD); /* no such register */
    assert_int_equal(modbus_write_register(bus, SETPOINT, 500), -1);
    assert_int_equal(errno, EMBXILVAL); /* above the limit */
    modbus_close(bus);
    modbus_free(bus);
    kill(pump, SIGKILL);
    waitpid(pump, NULL, 0);
    close(line);
}

/* Serves registers 0 to 199, each three times its number, on one pseudo-terminal; what it and the command write is
 * carried between the two. */
static pid_t run_server(const char *path)
{
    const pid_t child = fork();

    if (child != 0)
        return child;
    modbus_t *bus = connect_to(path, 17);
    modbus_mapping_t *map = modbus_mapping_new(0, 0, 200, 0);
    uint8_t request[MODBUS_RTU_MAX_ADU_LENGTH];
    for (unsigned i = 0; i < 200; i++)
        map->tab_registers[i] = (uint16_t)(3 * i);
    for (;;) {
        const int length = modbus_receive(bus, request);
        if (length > 0)
            modbus_reply(bus, request, length, map);
    }
}

static pid_t join(int one, int other)
{
    const pid_t child = fork();
    uint8_t bytes[512];

    while (child == 0) {
        const ssize_t a = read(one, bytes, sizeof bytes);
        if (a > 0 && write(other, bytes, (size_t)a) != a)
            _exit(1);
        const ssize_t b = read(other, bytes, sizeof bytes);
        if (b > 0 && write(one, bytes, (size_t)b) != b)
            _exit(1);
        if (a <= 0 && b <= 0)
            g_usleep(300);
    }
    return child;
}

/* Sends one message with the command, and checks that the answer is told. */
static void ask(const char *path, const char *message, const char *fields, const char *answer)
{
    g_autofree char *line = g_strdup_printf("%s send %s/examples/dosing/dosing.yaml serial:%s %s '%s' --to 17",
                                            TEST_ZEUGMA, TEST_SOURCE, path, message, fields);
    g_autofree char *out = NULL;
    int status;

    assert_true(g_spawn_command_line_sync(line, &out, NULL, &status, NULL));
    if (!strstr(out, answer) || status != 0)
        fail_msg("%s\n%s\nexpected %s", line, out, answer);
}

static void test_foreign_server(void **state)
{
    g_autofree char *ours = NULL, *theirs = NULL;
    const int one = open_pty(&ours), other = open_pty(&theirs);
    const pid_t wires = join(one, other), server = run_server(theirs);
    (void)state;
    g_usleep(300000);
    ask(ours, "read_registers", "{\"first\":5,\"count\":5}", "values=[15 18 21 24 27]");
    ask(ours, "read_registers", "{\"first\":0,\"count\":125}", "360 363 366 369 372]");
    ask(ours, "write_register", "{\"number\":7,\"value\":4711}", "written      node 17 number=7  value=4711");
    ask(ours, "write_registers", "{\"first\":8,\"count\":2,\"values\":[1,65535]}",
        "all_written  node 17 first=8  count=2");
    ask(ours, "read_registers", "{\"first\":6,\"count\":4}", "values=[18 4711 1 65535]");
    ask(ours, "read_registers", "{\"first\":190,\"count\":20}", "read_refused node 17 why=no_register");
    kill(server, SIGKILL);
    kill(wires, SIGKILL);
    waitpid(server, NULL, 0);
    waitpid(wires, NULL, 0);
    close(one);
    close(other);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_foreign_client), cmocka_unit_test(test_foreign_server) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
