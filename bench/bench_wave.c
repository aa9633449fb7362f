/* SPDX-License-Identifier: MIT */
/* How fast recordings are read: a value change dump with ten million edges of a line of frames, its reading, and the
 * measuring and decoding of what it holds. Seconds; one run each. */
#include <glib/gstdio.h>
#include <stdio.h>

#include "codec/frame.h"
#include "measure.h"
#include "plan/plan.h"
#include "sim/random.h"
#include "soft_uart/format.h"
#include "wave/survey.h"

enum { EDGES = 10000000 };

static const char definition_text[] =
    "zeugma: 1\nprotocol: p\nversion: 1.0\nline: { baud: 500000 }\nframe: { framing: cobs, header: [id: u8], "
    "check: crc16/ibm-3740 }\nmessages: { m: { id: 1, from: device, fields: { data: \"bytes[..40]\" } } }\n";

static uint64_t events;

static void take(void *data, const struct zg_survey_event *event)
{
    (void)data;
    events += event->stretch != NULL;
}

/* Frames with random contents, back to back. */
static void write_dump(const char *path, const struct zg_plan *plan)
{
    const struct zg_uart_format format = { .data_bits = 8, .parity = 'N', .half_stops = 2 };
    struct zg_random random = zg_random_seeded(1, 1);
    FILE *file = fopen(path, "wb");
    double at_ns = 100000;
    uint8_t payload[41] = { 40 };

    if (!file)
        abort();
    (void)fputs("$timescale 1 ns $end\n$var wire 1 ! tx $end\n$enddefinitions $end\n#0\n1!\n", file);
    for (uint64_t edges = 0; edges < EDGES;) {
        for (unsigned i = 1; i < sizeof payload; i++)
            payload[i] = (uint8_t)zg_random_next(&random);
        const struct zg_header header = { .id = 1 };
        g_autoptr(GByteArray) frame = zg_frame_make(plan, &header, payload, sizeof payload);
        for (guint i = 0; i < frame->len; i++, at_ns += 20000) {
            const unsigned bits = zg_uart_bits(&format, frame->data[i]);
            unsigned level = 0;
            for (unsigned bit = 0; bit <= 9; bit++)
                if ((bits >> bit & 1U) != level) {
                    level ^= 1U;
                    edges++;
                    (void)fprintf(file, "#%.0f\n%u!\n", at_ns + bit * 2000, level ^ 1U);
                }
        }
    }
    (void)fclose(file);
}

int main(void)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("p");
    struct zg_definition *definition =
        zg_definition_parse("p", definition_text, sizeof definition_text - 1, diagnostics);
    struct zg_plan *plan = zg_plan_new(definition, diagnostics);
    const struct zg_recording_settings how = { .most = 1 };
    const struct zg_survey_settings settings = { .plan = plan };
    g_autofree char *path = g_build_filename(g_get_tmp_dir(), "zeugma-bench-wave.vcd", NULL);

    write_dump(path, plan);
    const double begun = seconds();
    struct zg_recording *recording = zg_recording_read(path, &how, NULL);
    const double read = seconds();
    struct zg_survey *survey = zg_survey_run(recording, &settings, take, NULL);
    const double done = seconds();
    const struct zg_surveyed *surveyed = &g_array_index(survey->signals, struct zg_surveyed, 0);
    printf("a recording of %.1f million edges: read in %.2f s, measured and decoded in %.2f s; %.1f bytes an edge\n",
           (double)surveyed->measured.edges * 1e-6, read - begun, done - read,
           (double)surveyed->trace->size / (double)surveyed->measured.edges);
    printf("  %lu characters, %lu frames, %lu bytes skipped\n", (unsigned long)surveyed->counts.characters,
           (unsigned long)events, (unsigned long)surveyed->counts.skipped_bytes);
    zg_survey_free(survey);
    zg_recording_free(recording);
    (void)g_unlink(path);
    zg_plan_free(plan);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
    return events == 0;
}
