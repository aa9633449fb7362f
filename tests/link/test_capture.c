/* SPDX-License-Identifier: MIT */
/* Captures: what was written reads back, whatever the end of the file looks like; libpcap reads it too. */
#include "link/capture.h"

#include <glib/gstdio.h>
#include <pcap/pcap.h>
#include <string.h>

#include "sim/random.h"
#include "support.h"
#include "zeugma/link.h"

enum { RECORDS = 60, MOST = 70000 };

static struct record {
    enum zg_capture_kind kind;
    uint8_t device;
    uint64_t at_ns;
    uint8_t line_errors;
    uint8_t *bytes;
    size_t count;
} records[RECORDS];
static char *folder, *path;

static int set_up(void **state)
{
    struct zg_random random = zg_random_seeded(9, 9);
    (void)state;
    folder = g_dir_make_tmp("zeugma-capture-XXXXXX", NULL);
    path = g_build_filename(folder, "seen", NULL);
    for (unsigned i = 0; i < RECORDS; i++) {
        struct record *record = &records[i];
        record->kind = (enum zg_capture_kind)zg_random_below(&random, 4);
        record->device = (uint8_t)zg_random_below(&random, 3);
        record->at_ns = UINT64_C(1700000000123456789) + i * UINT64_C(987654321);
        record->line_errors = record->kind == ZG_CAPTURE_IN ? (uint8_t)zg_random_below(&random, 16) : 0;
        record->count = 1 + zg_random_below(&random, i % 20 == 7 ? MOST : 90);
        record->bytes = g_malloc(record->count);
        for (size_t k = 0; k < record->count; k++)
            record->bytes[k] = record->kind >= ZG_CAPTURE_REMARK ? 'a' : (uint8_t)zg_random_below(&random, 256);
    }
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    for (unsigned i = 0; i < RECORDS; i++)
        g_free(records[i].bytes);
    test_remove_folder(folder);
    g_free(folder);
    g_free(path);
    return 0;
}

static void write_all(void)
{
    struct zg_capture_writer *writer = zg_capture_create(path, NULL);

    for (unsigned i = 0; i < RECORDS; i++)
        assert_true(zg_capture_add(writer, records[i].kind, records[i].device, records[i].at_ns, records[i].line_errors,
                                   records[i].bytes, records[i].count, NULL));
    assert_true(zg_capture_close(writer, NULL));
}

/* Reads as long as what comes is what was written, a long record in pieces. Returns how many records were complete. */
static unsigned read_all(char **damage)
{
    struct zg_capture_reader *reader = zg_capture_open(path, NULL);
    struct zg_record_read read;
    unsigned whole = 0;
    size_t taken = 0;

    *damage = NULL;
    if (!reader)
        return 0;
    while (zg_capture_read(reader, &read, damage)) {
        const struct record *record = &records[whole];
        assert_int_equal(read.kind, record->kind);
        assert_int_equal(read.device, record->device);
        assert_true(read.at_ns == record->at_ns);
        assert_int_equal(read.line_errors, record->line_errors);
        assert_true(taken + read.count <= record->count);
        assert_memory_equal(read.bytes, record->bytes + taken, read.count);
        taken += read.count;
        if (taken == record->count) {
            whole++;
            taken = 0;
        }
    }
    zg_capture_reader_free(reader);
    return whole;
}

static void test_round_trip(void **state)
{
    char *damage;
    (void)state;
    write_all();
    assert_int_equal(read_all(&damage), RECORDS);
    assert_null(damage);
}

/* The open format: libpcap reads it, with times in nanoseconds and our link type. */
static void test_format(void **state)
{
    char message[PCAP_ERRBUF_SIZE];
    struct pcap_pkthdr *header;
    const u_char *data;
    unsigned seen = 0;
    (void)state;
    write_all();
    pcap_t *file = pcap_open_offline_with_tstamp_precision(path, PCAP_TSTAMP_PRECISION_NANO, message);
    assert_non_null(file);
    assert_int_equal(pcap_datalink(file), DLT_USER0);
    while (pcap_next_ex(file, &header, &data) == 1) {
        if (seen == 0) {
            assert_true((uint64_t)header->ts.tv_sec * 1000000000 + (uint64_t)header->ts.tv_usec == records[0].at_ns);
            assert_int_equal(header->caplen, 4 + records[0].count);
            assert_memory_equal(data + 4, records[0].bytes, records[0].count);
        }
        seen++;
    }
    assert_true(seen >= RECORDS);
    pcap_close(file);
}

/* Cut anywhere, it is read as far as possible, and the cut is reported; damage too. */
static void test_cut(void **state)
{
    struct zg_random random = zg_random_seeded(9, 10);
    g_autofree char *whole = NULL;
    gsize length;
    unsigned before = 0, told = 0;
    (void)state;
    write_all();
    assert_true(g_file_get_contents(path, &whole, &length, NULL));
    for (gsize size = 0; size < length; size += 1 + zg_random_below(&random, size < 200 ? 9 : length / 60)) {
        g_autofree char *damage = NULL;
        assert_true(g_file_set_contents(path, whole, (gssize)size, NULL));
        const unsigned now = read_all(&damage);
        assert_true(now >= before);
        told += damage != NULL;
        before = now;
    }
    assert_true(told > 20);
    assert_true(g_file_set_contents(path, "no capture at all", -1, NULL));
    g_autoptr(GError) error = NULL;
    assert_null(zg_capture_open(path, &error));
    assert_non_null(strstr(error->message, path));
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_round_trip), cmocka_unit_test(test_format),
                                        cmocka_unit_test(test_cut) };
    return cmocka_run_group_tests(tests, set_up, tear_down);
}
