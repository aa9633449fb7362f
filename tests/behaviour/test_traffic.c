/* SPDX-License-Identifier: MIT */
/* The service traffic: what two ends count, on lines that damage and with rings that are full, and number by number. */
#include <string.h>

#include "stage.h"
#include "zeugma/error.h"

static struct stage stage;

static void begin(uint32_t seed, uint32_t count, uint16_t size, uint32_t period, uint8_t way)
{
    const struct loom_traffic_request request = { seed, count, size, period, way };
    assert_int_equal(loom_host_traffic(&stage.host, &request), 0);
}

/* Every frame sent was taken once or is missing, on both sides; without damage none is. */
static void test_counts(void **state)
{
    (void)state;
    for (unsigned damaged = 0; damaged < 2; damaged++) {
        const struct zg_sim_faults faults = { .drop = damaged ? 1e-3 : 0, .twice = damaged ? 1e-3 : 0 };
        stage_begin(&stage, &faults, 5, UINT32_MAX - 500000);
        stage_run(&stage, 50);
        do { /* the request may be lost; again it is the same run */
            begin(9, 2000, ZG_TRAFFIC_OWN_SIZES, 2000, ZG_TRAFFIC_DEVICE_SENDS | ZG_TRAFFIC_HOST_SENDS);
            stage_run(&stage, 5);
        } while (stage.device.traffic.counts[ZG_TRAFFIC_SEED] != 9);
        stage_run(&stage, 4500);
        const struct zg_traffic *ends[] = { &stage.device.traffic, &stage.host.traffic };
        for (unsigned i = 0; i < 2; i++) {
            const uint32_t *counts = ends[i]->counts;
            assert_int_equal(ends[!i]->counts[ZG_TRAFFIC_SENT], 2000);
            assert_int_equal(counts[ZG_TRAFFIC_TAKEN] + counts[ZG_TRAFFIC_SKIPPED], counts[ZG_TRAFFIC_EXPECTED]);
            assert_int_equal(counts[ZG_TRAFFIC_WRONG] + counts[ZG_TRAFFIC_REPEATED] + counts[ZG_TRAFFIC_REFUSED], 0);
            if (damaged)
                assert_in_range(counts[ZG_TRAFFIC_TAKEN], 1700, 1960);
            else
                assert_int_equal(counts[ZG_TRAFFIC_TAKEN], 2000);
        }
        stage_end(&stage);
    }
}

/* More is due than the line carries: what finds the ring full is refused, and no number is left out. */
static void test_full_ring(void **state)
{
    (void)state;
    stage_begin(&stage, NULL, 1, 0);
    stage_run(&stage, 50);
    begin(1, ZG_TRAFFIC_NO_END, 50, 300, ZG_TRAFFIC_DEVICE_SENDS);
    stage_run(&stage, 1000);
    const struct zg_traffic *device = &stage.device.traffic, *host = &stage.host.traffic;
    assert_in_range(device->counts[ZG_TRAFFIC_SENT] + device->counts[ZG_TRAFFIC_REFUSED], 3200, 3340);
    assert_in_range(device->counts[ZG_TRAFFIC_SENT], 750, 900); /* of 50000 bytes a second, with 60 or so each */
    assert_int_equal(host->counts[ZG_TRAFFIC_SKIPPED], 0);
    begin(1, 1, 0, 0, 0);
    stage_run(&stage, 50);
    assert_int_equal(host->counts[ZG_TRAFFIC_TAKEN], device->counts[ZG_TRAFFIC_SENT]);
    begin(2, 300, 0, 0, ZG_TRAFFIC_DEVICE_SENDS); /* as the ring takes them */
    stage_run(&stage, 100);
    assert_int_equal(host->counts[ZG_TRAFFIC_TAKEN], 300);
    assert_int_equal(device->counts[ZG_TRAFFIC_REFUSED], 0);
    stage_end(&stage);
}

/* Numbers that come again, late, or far ahead; content that is not what the number says; frames that nobody expects. */
static void test_numbers(void **state)
{
    static const struct {
        uint32_t number;
        enum zg_traffic_count as;
        uint32_t expected, skipped;
    } rows[] = {
        { 0, ZG_TRAFFIC_TAKEN, 1, 0 },       { 3, ZG_TRAFFIC_TAKEN, 4, 2 },
        { 1, ZG_TRAFFIC_TAKEN, 4, 1 },       { 1, ZG_TRAFFIC_REPEATED, 4, 1 },
        { 3, ZG_TRAFFIC_REPEATED, 4, 1 },    { 40, ZG_TRAFFIC_TAKEN, 41, 37 },
        { 9, ZG_TRAFFIC_TAKEN, 41, 36 },     { 8, ZG_TRAFFIC_REPEATED, 41, 36 },
        { 72, ZG_TRAFFIC_TAKEN, 73, 67 },    { 41, ZG_TRAFFIC_TAKEN, 73, 66 },
        { 40, ZG_TRAFFIC_REPEATED, 73, 66 }, { 2000000000, ZG_TRAFFIC_TAKEN, 2000000001, 1999999993 },
    };
    static const uint8_t request[ZGI_TRAFFIC_REQUEST] = { 7, 0, 0, 0, 1, 0, 0, 0, 0xFF, 0xFF, 0, 0, 0, 0, 2 };
    struct zg_traffic device, host;
    uint8_t payload[64], room[64];
    (void)state;
    for (unsigned big = 0; big < 2; big++) {
        memset(&device, 0, sizeof device);
        memset(&host, 0, sizeof host);
        assert_int_equal(zgi_traffic_take(&device, true, sizeof payload, big, payload, 3, room), ZG_ESIZE);
        assert_int_equal(zgi_traffic_take(&device, true, sizeof payload, big, payload, 4, room), 0);
        assert_int_equal(device.counts[ZG_TRAFFIC_WRONG], 0); /* not begun: none of its business */
        uint8_t turned[ZGI_TRAFFIC_REQUEST] = { 0, 0, 0, 7, 0, 0, 0, 1, 0xFF, 0xFF, 0, 0, 0, 0, 2 };
        zgi_traffic_ask(&device, true, big ? turned : request, big, 0);
        zgi_traffic_ask(&host, false, big ? turned : request, big, 0);
        for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
            const uint32_t before = device.counts[rows[i].as];
            host.counts[ZG_TRAFFIC_SENT] = rows[i].number;
            const size_t length = zgi_traffic_next(&host, false, sizeof payload, big, payload);
            payload[length - 1] ^= 1; /* a number, or content, that was hit */
            assert_int_equal(zgi_traffic_take(&device, true, sizeof payload, big, payload, length, room), 0);
            assert_int_equal(device.counts[ZG_TRAFFIC_WRONG], 2 * i + 1);
            payload[length - 1] ^= 1;
            assert_int_equal(zgi_traffic_take(&device, true, sizeof payload, big, payload, length, room), 0);
            assert_int_equal(device.counts[rows[i].as], before + 1);
            assert_int_equal(device.counts[ZG_TRAFFIC_EXPECTED], rows[i].expected);
            assert_int_equal(device.counts[ZG_TRAFFIC_SKIPPED], rows[i].skipped);
            assert_int_equal(zgi_traffic_take(&device, true, sizeof payload, big, payload, length + 1, room), 0);
            assert_int_equal(device.counts[ZG_TRAFFIC_WRONG], 2 * i + 2); /* too long for its number */
        }
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_counts), cmocka_unit_test(test_full_ring),
                                        cmocka_unit_test(test_numbers) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
