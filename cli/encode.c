/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include <stdio.h>

#include "analysis/explain.h"
#include "codec/frame.h"
#include "codec/from_json.h"

static void print_bytes(const GByteArray *bytes, bool binary)
{
    if (binary) {
        (void)fwrite(bytes->data, 1, bytes->len, stdout);
        return;
    }
    for (unsigned i = 0; i < bytes->len; i++)
        cli_print("%02x", bytes->data[i]);
    cli_print("\n");
}

/* What to print of a message. */
enum output { FRAME_HEX, FRAME_BINARY, FRAME_EXPLAINED };

static int encode(const struct cli_verb *verb, const struct zg_plan *plan, char **argv, const char *header_text,
                  bool payload_only, enum output output)
{
    const struct zg_plan_message *message = cli_message(verb, plan, argv[2]);
    g_autoptr(GError) error = NULL;
    struct zg_given given;

    if (!message)
        return CLI_NO;
    const bool good = zg_given_from_json(plan, message, argv[3], header_text, &given, &error);
    if (!good) {
        cli_error(verb, "%s", error->message);
    } else if (output == FRAME_EXPLAINED) {
        g_autofree char *explained = zg_explain_text(plan, message, &given.header, given.values);
        cli_print("%s", explained);
    } else if (payload_only) {
        print_bytes(given.payload, output == FRAME_BINARY);
    } else {
        g_autoptr(GByteArray) bytes =
            zg_frame_of(plan, message, &given.header, given.payload->data, given.payload->len);
        print_bytes(bytes, output == FRAME_BINARY);
    }
    zg_given_clear(&given);
    return good ? CLI_YES : CLI_NO;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    gboolean payload_only = FALSE, binary = FALSE, explain = FALSE;
    g_autofree char *header = NULL;
    GOptionEntry entries[] = {
        { "payload", 0, 0, G_OPTION_ARG_NONE, &payload_only, "Only the payload, without header, check and framing",
          NULL },
        { "binary", 0, 0, G_OPTION_ARG_NONE, &binary, "Raw bytes instead of hex", NULL },
        { "explain", 0, 0, G_OPTION_ARG_NONE, &explain, "Each byte on a line, with what it is", NULL },
        { "header", 0, 0, G_OPTION_ARG_STRING, &header, "Roles of the header and tickets, {\"sequence\": 12}", "JSON" },
        G_OPTION_ENTRY_NULL
    };
    struct cli_definition loaded;

    if (!cli_parse(verb, entries, &argc, &argv, 3, 3))
        return CLI_USAGE;
    if (explain && (payload_only || binary)) {
        cli_error(verb, "--explain is for a whole frame, as text; omit --payload and --binary");
        return CLI_USAGE;
    }
    int status = cli_load(verb, argv[1], false, &loaded);
    if (status == CLI_YES)
        status = encode(verb, loaded.plan, argv, header, payload_only,
                        explain  ? FRAME_EXPLAINED
                        : binary ? FRAME_BINARY
                                 : FRAME_HEX);
    cli_definition_clear(&loaded);
    return cli_finish(verb, status);
}

const struct cli_verb cli_encode = { "encode", "DEF MESSAGE JSON", "Makes a frame from values, as hex",
                                     "zeugma encode examples/loom/loom.yaml load_row '{\"row\": 7, \"lift\": 21845}'",
                                     run };
