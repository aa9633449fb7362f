/* SPDX-License-Identifier: MIT */
/* Waves that are drawn, written and read back; recordings as other programs write them; what they tell. */
#include "support.h"

#include <glib/gstdio.h>
#include <math.h>
#include <string.h>

#include "codec/frame.h"
#include "sim/bits.h"
#include "sim/random.h"
#include "wave/annotate.h"
#include "wave/why.h"
#include "wave/write.h"
#include "zeugma/link.h"

#define PS 1e12

static char *folder, *path;

static int set_up(void **state)
{
    (void)state;
    folder = g_dir_make_tmp("zeugma-wave-XXXXXX", NULL);
    path = g_build_filename(folder, "recording", NULL);
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    test_remove_folder(folder);
    g_free(folder);
    g_free(path);
    return 0;
}

static struct zg_recording *read_text(const char *text, gssize length, const struct zg_recording_settings *settings,
                                      GError **error)
{
    assert_true(g_file_set_contents(path, text, length, NULL));
    return zg_recording_read(path, settings, error);
}

static const struct zg_trace *trace_of(const struct zg_recording *recording, guint index)
{
    return recording->traces->pdata[index];
}

/* Characters that are read, as hex with their errors. */
static void note(void *data, const struct zg_received *received)
{
    g_autofree char *errors = zg_wave_errors_text(received->errors);
    g_string_append_printf(data, "%02x%s%s ", received->byte, *errors ? ":" : "", errors);
}

static char *characters_of(const struct zg_trace *trace, const struct zg_receiving *receiving)
{
    GString *text = g_string_new(NULL);

    zg_receive(trace, receiving, note, text);
    return g_string_free(g_string_truncate(text, text->len > 0 ? text->len - 1 : 0), FALSE);
}

/* --- there and back */

static struct zg_line random_line(struct zg_random *random)
{
    struct zg_line line = { .baud = 300 + zg_random_below(random, 1000000),
                            .data_bits = 4 + (unsigned)zg_random_below(random, 5),
                            .parity = "NNEOMS"[zg_random_below(random, 6)],
                            .half_stops = 2 + (unsigned)zg_random_below(random, 3),
                            .msb_first = zg_random_one_in(random, 3),
                            .idle_low = zg_random_one_in(random, 3),
                            .stop_opposite = zg_random_one_in(random, 4) };

    line.is_clocked = zg_random_one_in(random, 5);
    line.pair = (struct zg_pair){ zg_random_one_in(random, 2), zg_random_one_in(random, 2), zg_random_one_in(random, 2),
                                  UINT64_C(5000000000) / line.baud };
    if (!line.idle_low && zg_random_one_in(random, 4))
        line.carrier_hz = (double)line.baud * (5 + (double)zg_random_below(random, 30));
    return line;
}

/* What is drawn of any bytes on any line, written in either format and read back, is those bytes; and so is what the
 * drawing's own receiver samples. */
static void test_there_and_back(void **state)
{
    struct zg_random random = zg_random_seeded(3, 0);
    (void)state;
    for (unsigned round = 0; round < 400; round++) {
        const struct zg_line line = random_line(&random);
        const unsigned count = 1 + (unsigned)zg_random_below(&random, 40);
        uint8_t bytes[40];
        g_autoptr(GString) wanted = g_string_new(NULL);
        for (unsigned i = 0; i < count; i++) {
            bytes[i] = (uint8_t)(zg_random_next(&random) & (line.is_clocked ? 0xFFU : 0xFFU >> (8 - line.data_bits)));
            g_string_append_printf(wanted, "%s%02x", i > 0 ? " " : "", bytes[i]);
        }
        struct zg_wave *wave = zg_wave_draw(&line, bytes, count, "message", NULL);
        g_autofree char *text = zg_random_one_in(&random, 2) ? zg_wave_vcd(wave) : zg_wave_csv(wave);
        g_autoptr(GError) error = NULL;
        struct zg_recording *recording = read_text(text, -1, &(struct zg_recording_settings){ .most = 2 }, &error);
        if (!recording)
            fail_msg("%s", error->message);
        assert_true(recording->complete);
        const struct zg_receiving receiving = { .format = zg_line_format(&line),
                                                .baud = (double)line.baud,
                                                .is_whole = true,
                                                .pair = line.is_clocked ? &line.pair : NULL,
                                                .clock = trace_of(recording, 0) };
        g_autofree char *read = characters_of(trace_of(recording, recording->traces->len - 1), &receiving);
        if (strcmp(read, wanted->str) != 0)
            fail_msg("round %u:\n%s, not\n%s", round, read, wanted->str);
        if (!line.is_clocked && line.carrier_hz == 0) {
            zg_wave_add_other(wave, -1000 + (double)zg_random_below(&random, 2000));
            assert_int_equal(wave->reads->len, count);
            for (unsigned i = 0; i < count; i++)
                assert_int_equal(g_array_index(wave->reads, struct zg_wave_read, i).byte, bytes[i]);
            for (guint i = 0; i < wave->samples->len; i++)
                assert_false(g_array_index(wave->samples, struct zg_wave_sample, i).wrong);
        }
        zg_recording_free(recording);
        zg_wave_free(wave);
    }
}

/* --- as other programs write them */

/* "0 H 1000 L ...": the first level and the changes, picoseconds. */
static char *changes_of(const struct zg_trace *trace)
{
    GString *text = g_string_new(NULL);
    struct zg_trace_reader reader = zg_trace_read(trace);
    enum zg_trace_level level;
    int64_t at_ps;

    g_string_append_printf(text, "%c", "LH-"[trace->first]);
    while (zg_trace_next(&reader, &at_ps, &level))
        g_string_append_printf(text, " %" G_GINT64_FORMAT "%c", at_ps, "LH-"[level]);
    return g_string_free(text, FALSE);
}

static void test_files(void **state)
{
    static char *const deep[] = { "top.uart.tx", NULL }, *const bit[] = { "bus[2]", NULL },
                       *const rising[] = { "up[1]", NULL }, *const two[] = { "b", "a", NULL };
    static const struct {
        const char *text;
        struct zg_recording_settings settings;
        const char *wanted; /* of all traces */
        bool cut;
    } rows[] = {
        /* value change dumps: time scales, scopes, vectors, other names, x and z, values before any time */
        { "$date today $end $version any $end\n$timescale 10 us $end\n$scope module m $end\n$var wire 1 ! a $end\n"
          "$upscope $end\n$enddefinitions $end\n$dumpvars\n1!\n$end\n#3\n0!\n#5\n1!\n",
          { .most = 1 },
          "H 0L 20000000H",
          false },
        { "$timescale\n\t100ps\n$end $scope module top $end $scope module uart $end $var wire 1 ab tx $end $upscope "
          "$end "
          "$scope module other $end $var wire 1 ac tx $end $upscope $end $upscope $end $enddefinitions $end "
          "#0 xab 1ac #7 1ab #9 0ab 0ac #11 zab #20",
          { .signals = (char **)deep },
          "- 700H 900L 1100-",
          true },
        { "$timescale 1 fs $end $var reg 4 # bus [3:0] $end $var real 64 r real $end $enddefinitions $end\n#1000\n"
          "b0101 #\nr1.5 r\n#3000\nb1 #\n#5000 b1x00 #\n#6000\nbz #\n#7000\n",
          { .signals = (char **)bit },
          "H 2L 4-",
          false },
        { "$timescale 1 ns $end $var wire 3 ' up [0:2] $end $enddefinitions $end\n#0\nb010 '\n#1\nb101 '\n",
          { .signals = (char **)rising },
          "H 1000L",
          false },
        { "$timescale 1 us $end $var wire 1 ! a $end $var wire 1 ! again $end $enddefinitions $end\n#0\n1!\n$comment "
          "$notes 0! $end\n#12\n0!\n#2",
          { .most = 1 },
          "H 12000000L",
          true },
        /* tables: units, separators, decimal commas, headings, samples, voltages */
        { "0,1\n0.000001,0\n0.0000025,1\n", { .most = 1 }, "H 1000000L 2500000H", false },
        { "Time (ms);level\n0,5;1\n0,6;0\n0,75;1\n", { .most = 1 }, "H 100000000L 250000000H", false },
        { "Model,X\nDate,\"1 May\"\n\ntime [us]\tb\ta\n-1\t0\t1\n-0.5\t0\t0\n0\t1\t0\n1e0\t0\t1\n",
          { .signals = (char **)two },
          "L 1000000H 2000000L | H 500000L 2000000H",
          false },
        { "s,V\n0,3.2\n1e-6,3.1\n2e-6,1.7\n3e-6,0.1\n4e-6,1.7\n5e-6,3.3\n",
          { .most = 1 },
          "H 3000000L 5000000H",
          false },
        { "s,V\n0,3.2\n1e-6,1.9\n2e-6,1.7\n3e-6,1.9\n",
          { .most = 1, .has_threshold = true, .threshold = 1.8 },
          "H 2000000L 3000000H",
          false },
        { "# made by hand\nt_ns, rx\n0, 1\n10, x\n20, 0\n30, z\n40, 1\n",
          { .most = 1 },
          "H 10000- 20000L 30000- 40000H",
          false },
        { "0,1\n1,0\n2,1\n3", { .most = 1 }, "H 1000000000000L 2000000000000H", true },
        { "\"Time [s]\",\"Channel 0\"\r\n0.000000000,1\r\n0.000000125,0\r\n", { .most = 1 }, "H 125000L", false },
    };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        g_autoptr(GError) error = NULL;
        g_autoptr(GString) found = g_string_new(NULL);
        struct zg_recording *recording = read_text(rows[i].text, -1, &rows[i].settings, &error);
        if (!recording)
            fail_msg("%zu: %s", i, error->message);
        for (guint k = 0; k < recording->traces->len; k++) {
            g_autofree char *changes = changes_of(trace_of(recording, k));
            g_string_append_printf(found, "%s%s", k > 0 ? " | " : "", changes);
        }
        if (strcmp(found->str, rows[i].wanted) != 0 || recording->complete == rows[i].cut)
            fail_msg("%zu: %s%s, not %s", i, found->str, recording->complete ? "" : " (cut)", rows[i].wanted);
        zg_recording_free(recording);
    }
}

static void test_refused(void **state)
{
    static char *const none[] = { "rx", NULL }, *const twice[] = { "tx", NULL };
    static const struct {
        const char *text;
        struct zg_recording_settings settings;
        const char *wanted;
    } rows[] = {
        { "", { .most = 1 }, "is empty" },
        { "hello\nworld\n", { .most = 1 }, ":2: expected a table of times and levels" },
        { "0,1\n1,0\n0.5,1\n", { .most = 1 }, ":3: the time 0.5 is before" },
        { "0,1\n1,high\n", { .most = 1 }, ":2: expected a level or a voltage, found \"high\"" },
        { "0,1\n1e30,0\n", { .most = 1 }, ":2: expected a time of at most 100 days" },
        { "t,a,b\n0,1,1\n", { .most = 1 }, "say which columns are meant, with --signal NAME; it has a, b" },
        { "t,a,b\n0,1,1\n", { .signals = (char **)none }, "there is no column rx; it has a, b" },
        { "$timescale 3 ns $end", { .most = 1 }, ":1: expected a timescale of 1, 10 or 100" },
        { "$var wire 1 ! a $end", { .most = 1 }, "the header ends without $enddefinitions" },
        { "$var wire 1 ! a", { .most = 1 }, "not ended by $end" },
        { "$var wire ! a $end $enddefinitions $end", { .most = 1 }, "expected $var TYPE WIDTH ID NAME" },
        { "$var wire 1 ! a $end $var wire 1 \" b $end $enddefinitions $end", { .most = 1 }, "it has a, b" },
        { "$scope module x $end $var wire 1 ! tx $end $upscope $end $scope module y $end $var wire 1 \" tx $end "
          "$upscope "
          "$end $enddefinitions $end",
          { .signals = (char **)twice },
          "several signals are called tx; give the full path; it has x.tx, y.tx" },
        { "$var wire 1 ! a $end $enddefinitions $end\n#5\n1!\n#4\n0!\n", { .most = 1 }, ":4: the time #4 is before" },
        { "$var wire 1 ! a $end $enddefinitions $end\n#0\nhigh!\n#1\n", { .most = 1 }, "expected a change such as 0!" },
    };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        g_autoptr(GError) error = NULL;
        struct zg_recording *recording = read_text(rows[i].text, -1, &rows[i].settings, &error);
        assert_null(recording);
        if (!strstr(error->message, rows[i].wanted))
            fail_msg("%zu: %s", i, error->message);
    }
}

/* Files with a few characters changed, doubled or removed are read or refused. */
static void test_hostile(void **state)
{
    static const char *const bases[] = { "$date x $end $timescale 1 ns $end $scope module m $end $var wire 1 ! a $end "
                                         "$var reg 4 # bus [3:0] $end $upscope "
                                         "$end $enddefinitions $end\n#0\n1!\nb0101 #\n#10\n0!\nb1 #\n#20\n1!\n",
                                         "Time (us);a;b\n0,5;1;3,25\n0,75;0;-1e-3\n1,5;x;2\n2;1;0\n" };
    struct zg_random random = zg_random_seeded(8, 0);
    unsigned read = 0, refused = 0;
    (void)state;
    for (unsigned round = 0; round < 4000; round++) {
        g_autoptr(GString) text = g_string_new(bases[round % 2]);
        for (uint64_t i = zg_random_below(&random, 6) + 1; i > 0 && text->len > 0; i--) {
            const gsize at = zg_random_below(&random, text->len);
            switch (zg_random_below(&random, 4)) {
            case 0: text->str[at] = (char)zg_random_next(&random); break;
            case 1: g_string_insert_c(text, (gssize)at, "$#01bxz!\n ;,.e-9"[zg_random_below(&random, 16)]); break;
            case 2: g_string_erase(text, (gssize)at, 1); break;
            default: g_string_truncate(text, at + 1);
            }
        }
        struct zg_recording *recording =
            read_text(text->str, (gssize)text->len, &(struct zg_recording_settings){ .most = 2 }, NULL);
        read += recording != NULL;
        refused += recording == NULL;
        for (guint i = 0; recording && i < recording->traces->len; i++) {
            const struct zg_measured measured = zg_measure(trace_of(recording, i), 9, 0);
            const struct zg_receiving receiving = { .format = { .data_bits = 8, .parity = 'N', .half_stops = 2 },
                                                    .baud =
                                                        measured.has_rate ? CLAMP(measured.rate_bd, 1, 1e9) : 9600 };
            g_free(characters_of(trace_of(recording, i), &receiving));
        }
        zg_recording_free(recording);
    }
    assert_true(read > 500 && refused > 500);
}

/* --- what a recording tells */

/* The levels of bytes, as they come out of a medium: by its own code. */
static struct zg_trace *trace_through(const struct zg_uart_format *format, double bit_ps, double jitter_ps,
                                      double drift, double late_ps, const uint8_t *bytes, unsigned count)
{
    struct zg_trace *trace = zg_trace_new("wire");
    struct zg_random random = zg_random_seeded(count, 1);
    const unsigned before = zg_uart_before_stop(format);
    double at_ps = 20 * bit_ps;

    zg_trace_add(trace, 0, format->idle_low ? ZG_LEVEL_IS_LOW : ZG_LEVEL_IS_HIGH);
    for (unsigned i = 0; i < count; i++) {
        const double own_ps = bit_ps * (1 + drift * i / count);
        const unsigned bits = zg_uart_bits(format, bytes[i]);
        unsigned level = 0;
        for (unsigned bit = 0; bit <= before; bit++)
            if ((bits >> bit & 1U) != level) {
                level ^= 1U;
                const bool high = (level == 1) == format->idle_low;
                const double shift =
                    jitter_ps * ((double)zg_random_below(&random, 2001) / 1000 - 1) + (high ? late_ps : 0);
                zg_trace_add(trace, (int64_t)(at_ps + bit * own_ps + shift + 0.5),
                             high ? ZG_LEVEL_IS_HIGH : ZG_LEVEL_IS_LOW);
            }
        at_ps += (zg_uart_half_bits(format) / 2.0 + (i % 7 == 0 ? 3.3 : 0)) * own_ps;
    }
    zg_trace_add(trace, (int64_t)(at_ps + 30 * bit_ps), trace->latest);
    return trace;
}

/* The rate is found within a few of its own standard errors, whatever it is, with jitter, late edges and drift. */
static void test_measure(void **state)
{
    struct zg_random random = zg_random_seeded(4, 0);
    unsigned beyond = 0;
    (void)state;
    for (unsigned round = 0; round < 150; round++) {
        const struct zg_uart_format format = {
            .data_bits = 8, .parity = "NE"[round % 2], .half_stops = 2, .idle_low = round % 3 == 0
        };
        const double bit_ps = PS / (600 + (double)zg_random_below(&random, 2000000));
        const double jitter = round % 4 == 0 ? 0 : 0.05 * bit_ps, late = round % 5 == 0 ? 0.2 * bit_ps : 0;
        uint8_t bytes[600];
        for (unsigned i = 0; i < sizeof bytes; i++)
            bytes[i] = (uint8_t)zg_random_next(&random);
        struct zg_trace *trace = trace_through(&format, bit_ps, jitter, 0, late, bytes, sizeof bytes);
        const struct zg_measured measured = zg_measure(trace, zg_uart_before_stop(&format), 0);
        assert_true(measured.has_rate);
        assert_int_equal(measured.idle_low, format.idle_low);
        const double off_ppm = 1e6 * (measured.rate_bd * bit_ps / PS - 1);
        beyond += fabs(off_ppm) > 3 * measured.rate_error_ppm + 2;
        assert_true(fabs(off_ppm) < 6 * measured.rate_error_ppm + 5);
        assert_true(fabs(measured.jitter_s * PS - jitter / sqrt(3)) <
                    0.1 * jitter + 1e-6 * bit_ps + 3); /* of an even distribution */
        assert_true(fabs(measured.rise_late_s * PS - late) < 0.01 * bit_ps);
        assert_true(fabs(measured.drift_ppm) < 10 * measured.rate_error_ppm + 10);
        zg_trace_free(trace);
    }
    assert_true(beyond <= 3);
    uint8_t bytes[600];
    for (unsigned i = 0; i < sizeof bytes; i++)
        bytes[i] = (uint8_t)zg_random_next(&random);
    const struct zg_uart_format format = { .data_bits = 8, .parity = 'N', .half_stops = 2 };
    struct zg_trace *trace = trace_through(&format, 1e8, 0, 0.004, 0, bytes, sizeof bytes);
    const struct zg_measured measured = zg_measure(trace, 9, 0);
    assert_true(fabs(measured.drift_ppm + 2000) < 100); /* the halves' middles are half of it apart */
    zg_trace_free(trace);
}

/* A recording that begins anywhere holds the frames that begin behind that, and no others. */
static void test_beginnings(void **state)
{
    struct test_plan plan = test_plan_of(test_small_definition);
    const struct zg_uart_format format = { .data_bits = 8, .parity = 'N', .half_stops = 2 };
    const struct zg_receiving receiving = { .format = format, .baud = 1e6, .is_whole = true };
    const struct zg_received_calls calls = { 0 };
    g_autoptr(GByteArray) bytes = g_byte_array_new();
    int64_t begins_ps[20], ends_ps = 0;
    (void)state;
    for (unsigned k = 0; k < G_N_ELEMENTS(begins_ps); k++) {
        const struct zg_header header = { .id = 1, .sequence = k };
        const uint8_t payload[8] = { (uint8_t)(k * 91), (uint8_t)(0xFF - k), 3, 0x81, 0, 0xF6, 0x55, (uint8_t)k };
        g_autoptr(GByteArray) frame = zg_frame_make(plan.plan, &header, payload, sizeof payload);
        begins_ps[k] = 20000000 + (int64_t)bytes->len * 10000000;
        for (guint i = 0; i < bytes->len; i++) /* the pauses of trace_through() */
            begins_ps[k] += i % 7 == 0 ? 3300000 : 0;
        g_byte_array_append(bytes, frame->data, frame->len);
    }
    struct zg_trace *whole = trace_through(&format, 1e6, 0, 0, 0, bytes->data, bytes->len);
    ends_ps = begins_ps[G_N_ELEMENTS(begins_ps) - 2];
    for (int64_t from_ps = 0; from_ps < ends_ps; from_ps += 1250000) {
        struct zg_trace *part = zg_trace_new("part");
        struct zg_trace_reader reader = zg_trace_read(whole);
        enum zg_trace_level level = whole->first, now = whole->first;
        int64_t at_ps = 0;
        unsigned wanted = 0;
        while (zg_trace_next(&reader, &at_ps, &level) && at_ps <= from_ps)
            now = level;
        zg_trace_add(part, 0, now);
        do
            zg_trace_add(part, at_ps - from_ps, level);
        while (zg_trace_next(&reader, &at_ps, &level));
        zg_trace_add(part, whole->end_ps - from_ps, level);
        for (unsigned k = 0; k < G_N_ELEMENTS(begins_ps); k++)
            wanted += begins_ps[k] > from_ps;
        const struct zg_received_counts counts = zg_receive_frames(part, &receiving, plan.plan, &calls);
        if (counts.frames > wanted || counts.frames + 4 < wanted) /* at most so many until it is in step */
            fail_msg("from %.2f us: %" G_GUINT64_FORMAT " frames of %u", (double)from_ps / 1e6, counts.frames, wanted);
        zg_trace_free(part);
    }
    zg_trace_free(whole);
    test_plan_clear(&plan);
}

static void test_why(void **state)
{
    static const struct {
        struct zg_uart_format sent;
        double baud;
        const char *wanted;
    } rows[] = { { { 8, 'E', 2, false, true, false }, 9600, "9600 8E1 inverted" },
                 { { 8, 'N', 2, true, false, false }, 9600, "9600 8N1 msb first" },
                 { { 8, 'O', 2, false, false, false }, 9600, "9600 8O1" },
                 { { 8, 'N', 2, false, false, false }, 7250, "7250 8N1" } };
    struct test_plan plan = test_plan_of(test_small_definition);
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        g_autoptr(GByteArray) bytes = g_byte_array_new();
        for (unsigned k = 0; k < 40; k++) {
            const struct zg_header header = { .id = 1, .sequence = k };
            const uint8_t payload[8] = { (uint8_t)(k * 17), (uint8_t)k, 3, 0x81, 5, 0xF6, 7, 8 };
            g_autoptr(GByteArray) frame = zg_frame_make(plan.plan, &header, payload, sizeof payload);
            g_byte_array_append(bytes, frame->data, frame->len);
        }
        struct zg_trace *trace = trace_through(&rows[i].sent, PS / rows[i].baud, 0, 0, 0, bytes->data, bytes->len);
        const struct zg_receiving defined = { .format = { .data_bits = 8, .parity = 'N', .half_stops = 2 },
                                              .baud = 9600,
                                              .is_whole = true };
        const struct zg_measured measured = zg_measure(trace, 9, 9600);
        g_autoptr(GArray) why = zg_explain_wire(trace, &defined, &measured, plan.plan);
        assert_true(why->len > 0);
        const struct zg_explanation *first = &g_array_index(why, struct zg_explanation, 0);
        assert_string_equal(first->as, rows[i].wanted);
        assert_int_equal(first->frames, 40);
        assert_int_equal(first->sound, first->characters);
        zg_trace_free(trace);
    }
    test_plan_clear(&plan);
}

/* --- two signals */

static struct zg_trace *with_frames(const char *name, const struct zg_plan *plan, const double *starts_us,
                                    const char *const *messages)
{
    const struct zg_uart_format format = { .data_bits = 8, .parity = 'N', .half_stops = 2 };
    struct zg_trace *trace = zg_trace_new(name);

    zg_trace_add(trace, 0, ZG_LEVEL_IS_HIGH);
    for (unsigned i = 0; messages[i]; i++) {
        const struct zg_plan_message *item = zg_plan_by_name(plan, messages[i]);
        const struct zg_header header = { .id = (uint32_t)item->message->id };
        const uint8_t payload[1] = { 7 };
        g_autoptr(GByteArray) frame = zg_frame_of(plan, item, &header, payload, 1);
        for (guint k = 0; k < frame->len; k++) {
            const unsigned bits = zg_uart_bits(&format, frame->data[k]);
            for (unsigned bit = 0; bit <= 9; bit++)
                zg_trace_add(trace, (int64_t)((starts_us[i] + (k * 10 + bit) * 10.0) * 1e6),
                             bits >> bit & 1U ? ZG_LEVEL_IS_LOW : ZG_LEVEL_IS_HIGH);
        }
    }
    zg_trace_add(trace, 20000000000, ZG_LEVEL_IS_HIGH);
    return trace;
}

/* Requests and their answers on two wires; a wire before and after a medium; a driver that is on too late. */
static void test_signals(void **state)
{
    static const char *const asked[] = { "ask", "ask", NULL }, *const answered[] = { "tell", "tell", NULL };
    struct test_plan plan = test_plan_of(
        "zeugma: 1\nprotocol: p\nversion: 1.0\nline: { baud: 100000 }\n"
        "frame: { framing: { kind: length, sync: [0x55] }, header: [id: u8, length: u8], check: crc16/xmodem }\n"
        "messages:\n  ask: { id: 1, from: host, reply: tell, ticket: none, fields: { x: u8 } }\n"
        "  tell: { id: 2, from: device, fields: { y: u8 } }\n");
    struct zg_recording recording = { .traces = g_ptr_array_new(), .complete = true };
    const struct zg_survey_settings settings = { .plan = plan.plan };
    const double starts[] = { 1000, 5000 }, answers[] = { 1000 + 600 + 250, 5000 + 600 + 350 };
    struct zg_trace *out = with_frames("out", plan.plan, starts, asked),
                    *back = with_frames("back", plan.plan, answers, answered);
    (void)state;
    g_ptr_array_add(recording.traces, out);
    g_ptr_array_add(recording.traces, back);
    struct zg_survey *survey = zg_survey_run(&recording, &settings, NULL, NULL);
    assert_int_equal(g_array_index(survey->signals, struct zg_surveyed, 0).counts.frames, 2);
    assert_int_equal(survey->turn_round.count, 2);
    assert_true(fabs(survey->turn_round.least_s - 250e-6) < 1e-9);
    assert_true(fabs(survey->turn_round.greatest_s - 350e-6) < 1e-9);
    assert_int_equal(survey->why->len, 0);
    struct zg_trace *enable = zg_trace_new("enable"); /* late for the second frame, off early for the first */
    zg_trace_add(enable, 0, ZG_LEVEL_IS_LOW);
    zg_trace_add(enable, INT64_C(990000000), ZG_LEVEL_IS_HIGH);
    zg_trace_add(enable, INT64_C(1500000000), ZG_LEVEL_IS_LOW);
    zg_trace_add(enable, INT64_C(5100000000), ZG_LEVEL_IS_HIGH);
    zg_trace_add(enable, INT64_C(5700000000), ZG_LEVEL_IS_LOW);
    const struct zg_surveyed *first = &g_array_index(survey->signals, struct zg_surveyed, 0);
    const struct zg_enable judged = zg_survey_enable(enable, out, &first->receiving, plan.plan);
    assert_int_equal(judged.late, 1);
    assert_int_equal(judged.early, 1);
    assert_int_equal(judged.both, 0);
    zg_survey_free(survey);
    zg_trace_free(enable);
    zg_trace_free(out);
    zg_trace_free(back);
    g_ptr_array_unref(recording.traces);
    struct zg_trace *before = zg_trace_new("a"), *after = zg_trace_new("b");
    zg_trace_add(before, 0, ZG_LEVEL_IS_HIGH);
    zg_trace_add(after, 0, ZG_LEVEL_IS_HIGH);
    for (int64_t i = 0; i < 50; i++) {
        const int64_t at = 1000000 + i * 100000;
        zg_trace_add(before, at, ZG_LEVEL_IS_LOW);
        zg_trace_add(before, at + 40000, ZG_LEVEL_IS_HIGH);
        if (i % 10 == 3)
            continue;
        zg_trace_add(after, at + 2000, ZG_LEVEL_IS_LOW);
        zg_trace_add(after, at + 47000, ZG_LEVEL_IS_HIGH);
    }
    const struct zg_medium_delays delays = zg_survey_delays(before, after);
    assert_int_equal(delays.lost, 5);
    assert_true(fabs(delays.rise_s - 7e-9) < 1e-15 && fabs(delays.fall_s - 2e-9) < 1e-15);
    zg_trace_free(before);
    zg_trace_free(after);
    test_plan_clear(&plan);
}

/* What is written beside the wires reads as the same wires, and holds the characters and frames. */
static void annotate(void *data, const struct zg_survey_event *event)
{
    zg_notes_add(data, event);
}

static void test_annotated(void **state)
{
    struct test_plan plan = test_plan_of(test_small_definition);
    const struct zg_survey_settings settings = { .plan = plan.plan };
    const struct zg_header header = { .id = 2 };
    const uint8_t payload[1] = { 9 };
    g_autoptr(GByteArray) frame = zg_frame_make(plan.plan, &header, payload, 1);
    struct zg_wave *wave = zg_wave_draw(&plan.definition->line, frame->data, frame->len, "tiny", NULL);
    g_autofree char *csv = zg_wave_csv(wave);
    struct zg_recording *recording = read_text(csv, -1, &(struct zg_recording_settings){ .most = 1 }, NULL);
    struct zg_notes *notes = zg_notes_new();
    (void)state;
    zg_survey_free(zg_survey_run(recording, &settings, annotate, notes));
    assert_true(zg_notes_write(notes, recording, path, NULL));
    g_autofree char *dump = NULL;
    assert_true(g_file_get_contents(path, &dump, NULL, NULL));
    assert_non_null(strstr(dump, "b01110100011010010110111001111001 $")); /* "tiny" */
    assert_non_null(strstr(dump, "b00001001 \""));                        /* the payload */
    g_autoptr(GError) error = NULL;
    struct zg_recording *again = zg_recording_read(path, &(struct zg_recording_settings){ .most = 1 }, &error);
    if (!again)
        fail_msg("%s", error->message);
    g_autofree char *wanted = changes_of(trace_of(recording, 0)), *found = changes_of(trace_of(again, 0));
    assert_string_equal(found, wanted);
    assert_false(zg_notes_write(notes, recording, "/nonexistent/file", NULL));
    zg_recording_free(again);
    zg_recording_free(recording);
    zg_notes_free(notes);
    zg_wave_free(wave);
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_there_and_back),
                                        cmocka_unit_test(test_files),
                                        cmocka_unit_test(test_refused),
                                        cmocka_unit_test(test_hostile),
                                        cmocka_unit_test(test_measure),
                                        cmocka_unit_test(test_beginnings),
                                        cmocka_unit_test(test_why),
                                        cmocka_unit_test(test_signals),
                                        cmocka_unit_test(test_annotated) };
    return cmocka_run_group_tests(tests, set_up, tear_down);
}
