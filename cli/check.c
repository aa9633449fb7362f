/* SPDX-License-Identifier: MIT */
#include "cli.h"
#include "codec/json.h"
#include "generate/generate.h"
#include "plan/fingerprint.h"

static void print_json(const char *file, const struct cli_definition *loaded, bool sound)
{
    struct zg_json json;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "file", file);
    zg_json_bool(&json, "sound", sound);
    if (sound) {
        g_autofree char *fingerprint = g_strdup_printf("%08x", zg_fingerprint(loaded->plan));
        zg_json_string(&json, "fingerprint", fingerprint);
    }
    zg_json_open(&json, "diagnostics", '[');
    for (unsigned i = 0; i < zg_diagnostics_count(loaded->diagnostics); i++) {
        const struct zg_diagnostic *diagnostic = zg_diagnostics_get(loaded->diagnostics, i);
        zg_json_open(&json, NULL, '{');
        zg_json_string(&json, "severity", diagnostic->severity == ZG_SEVERITY_ERROR ? "error" : "warning");
        zg_json_unsigned(&json, "line", diagnostic->place.line);
        zg_json_unsigned(&json, "column", diagnostic->place.column);
        zg_json_string(&json, "message", diagnostic->message);
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, ']');
    zg_json_close(&json, '}');
    cli_print_json(&json);
}

static void print_summary(const struct zg_plan *plan)
{
    const struct zg_definition *definition = plan->definition;
    unsigned count = plan->messages->len, least = zg_plan_least_frame(plan);
    g_autofree char *sizes =
        least == plan->max_frame ? g_strdup_printf("%u", least) : g_strdup_printf("%u to %u", least, plan->max_frame);

    cli_print("%s %u.%u is sound: %u message%s, payload up to %u byte%s, frames of %s %s on the wire, %s, %s\n",
              definition->protocol, definition->major, definition->minor, count, count == 1 ? "" : "s",
              plan->max_payload, plan->max_payload == 1 ? "" : "s", sizes, zg_plan_wire_unit(plan),
              zg_framing_names[definition->framing.kind],
              definition->check.name ? definition->check.name : "CRC by parameters");
}

static void print_fingerprint(const struct zg_plan *plan)
{
    g_autofree char *text = zg_fingerprint_text(plan);

    cli_print("%08x is the CRC-32 of:\n%s", zg_fingerprint(plan), text);
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    gboolean as_json = FALSE, schema = FALSE, fingerprint = FALSE;
    GOptionEntry entries[] = { { "json", 0, 0, G_OPTION_ARG_NONE, &as_json, "Print one JSON document", NULL },
                               { "fingerprint", 0, 0, G_OPTION_ARG_NONE, &fingerprint,
                                 "Print the fingerprint by which two ends compare, and what it is computed from",
                                 NULL },
                               { "schema", 0, 0, G_OPTION_ARG_NONE, &schema,
                                 "Print the language as a JSON Schema, for editors; without DEF", NULL },
                               G_OPTION_ENTRY_NULL };
    struct cli_definition loaded;

    if (!cli_parse(verb, entries, &argc, &argv, 0, 1))
        return CLI_USAGE;
    if (schema != (argc == 1)) {
        cli_error(verb, schema ? "--schema takes no DEF" : "an argument is missing; expected zeugma check DEF");
        return CLI_USAGE;
    }
    if (schema) {
        g_autofree char *text = zg_generate_schema();
        cli_print("%s\n", text);
        return cli_finish(verb, CLI_YES);
    }
    int status = cli_load(verb, argv[1], as_json, &loaded);
    if (status != CLI_TROUBLE && as_json)
        print_json(argv[1], &loaded, status == CLI_YES);
    else if (status == CLI_YES && fingerprint)
        print_fingerprint(loaded.plan);
    else if (status == CLI_YES)
        print_summary(loaded.plan);
    cli_definition_clear(&loaded);
    return cli_finish(verb, status);
}

const struct cli_verb cli_check = { "check", "DEF",
                                    "Checks a definition; prints all its errors, or one line when sound",
                                    "zeugma check examples/loom/loom.yaml", run };
