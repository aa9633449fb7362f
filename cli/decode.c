/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>

#include "codec/describe.h"
#include "codec/frame_reader.h"
#include "codec/hex.h"

struct printing {
    const struct zg_plan *plan;
    bool as_json;
};

static void print_stretch(const struct zg_stretch *stretch, void *data)
{
    const struct printing *printing = data;
    g_autofree char *line =
        printing->as_json ? zg_stretch_to_json(printing->plan, stretch) : zg_stretch_to_text(printing->plan, stretch);
    cli_print("%s\n", line);
}

static int feed_hex(const struct cli_verb *verb, struct zg_frame_reader *stream, const char *text)
{
    g_autoptr(GError) error = NULL;
    g_autoptr(GByteArray) bytes = zg_bytes_from_hex(text, &error);

    if (!bytes) {
        cli_error(verb, "%s", error->message);
        return CLI_NO;
    }
    zg_frame_reader_feed(stream, bytes->data, bytes->len);
    return CLI_YES;
}

static int feed_file(const struct cli_verb *verb, struct zg_frame_reader *stream, const char *name)
{
    bool standard = strcmp(name, "-") == 0;
    FILE *file = standard ? stdin : fopen(name, "rb");
    uint8_t bytes[65536];
    size_t length;

    while (file && (length = fread(bytes, 1, sizeof bytes, file)) > 0)
        zg_frame_reader_feed(stream, bytes, length);
    bool failed = !file || ferror(file);
    int reason = errno;
    if (file && !standard)
        (void)fclose(file);
    if (failed)
        cli_error(verb, "cannot read %s: %s", name, g_strerror(reason));
    return failed ? CLI_TROUBLE : CLI_YES;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    gboolean as_json = FALSE;
    g_autofree char *hex = NULL;
    GOptionEntry entries[] = { { "hex", 0, 0, G_OPTION_ARG_STRING, &hex, "Decode these bytes, two hex digits each",
                                 "STRING" },
                               { "json", 0, 0, G_OPTION_ARG_NONE, &as_json, "One JSON object on each line", NULL },
                               G_OPTION_ENTRY_NULL };
    struct cli_definition loaded;

    if (!cli_parse(verb, entries, &argc, &argv, 1, 2))
        return CLI_USAGE;
    if (hex && argc == 3) {
        cli_error(verb, "give either --hex or a file, not both");
        return CLI_USAGE;
    }
    int status = cli_load(verb, argv[1], false, &loaded);
    if (status == CLI_YES) {
        struct printing printing = { loaded.plan, as_json };
        struct zg_frame_reader *stream = zg_frame_reader_new(loaded.plan, print_stretch, &printing);
        status = hex ? feed_hex(verb, stream, hex) : feed_file(verb, stream, argc == 3 ? argv[2] : "-");
        zg_frame_reader_end(stream);
        zg_frame_reader_free(stream);
    }
    cli_definition_clear(&loaded);
    return cli_finish(verb, status);
}

const struct cli_verb cli_decode = { "decode", "DEF [FILE or -]",
                                     "Finds frames in bytes; shows what was skipped and why",
                                     "zeugma decode examples/loom/loom.yaml --hex 0501430103010100", run };
