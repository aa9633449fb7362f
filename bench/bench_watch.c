/* SPDX-License-Identifier: MIT */
/* How fast a capture is shown as JSON: the decoder alone over its bytes, and `zeugma watch --json` of the file, in one
 * run. */
#include <stdio.h>
#include <stdlib.h>

#include "codec/frame_reader.h"
#include "device/simulated.h"
#include "link/capture.h"
#include "posix/channel.h"

enum { MEGABYTES = 16, ROUNDS = 5 };

static void ignore(const struct zg_stretch *stretch, void *data)
{
    (void)stretch;
    ++*(uint64_t *)data;
}

/* What a busy simulated device sends, until there are so many bytes. */
static GByteArray *speech(const struct zg_plan *plan)
{
    const struct zg_simulated_settings settings = { .seed = 1, .busy = true, .baud = 50000000 };
    struct zg_simulated *device = zg_simulated_new(plan, &settings, 0);
    GByteArray *bytes = g_byte_array_new();

    for (uint64_t now_ns = 0; bytes->len < MEGABYTES << 20; now_ns += 200000)
        zg_simulated_run(device, now_ns, bytes);
    zg_simulated_free(device);
    return bytes;
}

static void write_capture(const char *path, const GByteArray *bytes)
{
    struct zg_capture_writer *capture = zg_capture_create(path, NULL);

    for (guint at = 0; capture && at < bytes->len; at += 500)
        (void)zg_capture_add(capture, ZG_CAPTURE_IN, 0, UINT64_C(1700000000000000000) + at * UINT64_C(1000), 0,
                             bytes->data + at, MIN(500, bytes->len - at), NULL);
    if (!capture || !zg_capture_close(capture, NULL))
        abort();
}

static double decode(const struct zg_plan *plan, const GByteArray *bytes, uint64_t *stretches)
{
    struct zg_frame_reader *stream = zg_frame_reader_new(plan, ignore, stretches);
    const uint64_t begin_ns = zg_channel_now_ns();

    for (guint at = 0; at < bytes->len; at += 500)
        zg_frame_reader_feed(stream, bytes->data + at, MIN(500, bytes->len - at));
    const double took = (double)(zg_channel_now_ns() - begin_ns) / 1e9;
    zg_frame_reader_free(stream);
    return took;
}

int main(int argc, char **argv)
{
    const char *file = argc > 1 ? argv[1] : "examples/loom/loom.yaml";
    const char *zeugma = argc > 2 ? argv[2] : "build/release/bin/zeugma";
    struct zg_diagnostics *diagnostics = zg_diagnostics_new(file);
    struct zg_definition *definition = zg_definition_load(file, diagnostics, NULL);
    struct zg_plan *plan = definition ? zg_plan_new(definition, diagnostics) : NULL;
    double bare = 1e9, shown = 1e9;
    uint64_t frames = 0;

    if (!plan)
        return 3;
    g_autofree char *path = g_build_filename(g_get_tmp_dir(), "zeugma-bench.pcap", NULL);
    g_autofree char *command = g_strdup_printf("%s watch %s file:%s --json > /dev/null", zeugma, file, path);
    g_autoptr(GByteArray) bytes = speech(plan);
    write_capture(path, bytes);
    for (unsigned i = 0; i < ROUNDS; i++) {
        frames = 0;
        bare = MIN(bare, decode(plan, bytes, &frames));
        const uint64_t begin_ns = zg_channel_now_ns();
        if (system(command) != 0)
            return 1;
        shown = MIN(shown, (double)(zg_channel_now_ns() - begin_ns) / 1e9);
    }
    (void)remove(path);
    printf("capture of %.1f MB, %llu frames: bare decoder %.0f ns a frame, watch --json %.0f: %.3f of its speed\n",
           bytes->len / 1e6, (unsigned long long)frames, 1e9 * bare / (double)frames, 1e9 * shown / (double)frames,
           bare / shown);
    zg_plan_free(plan);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
    return 0;
}
