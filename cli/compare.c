/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include "analysis/compare.h"
#include "codec/json.h"

/* Both definitions, and what differs. */
struct comparison {
    const char *old_file;
    const char *new_file;
    GPtrArray *changes;
    enum zg_verdict verdict;
    unsigned first;
};

static const char *first_text(unsigned first)
{
    static const char *const texts[] = { "", ", device first", ", host first", ", both at once" };
    return texts[first & ZG_SIDE_BOTH];
}

/* A change, at its place in the new file, or in the old file if it is only there; below it the consequence, and the
 * place in the other file. */
static void print_change(const struct comparison *comparison, const struct zg_change *change)
{
    bool gone = change->after.line == 0;
    struct zg_place place = gone ? change->before : change->after;
    g_auto(GStrv) parts = g_strsplit(change->text, "; ", 2);

    cli_print("%s:%u:%u: %s%s: %s\n", gone ? comparison->old_file : comparison->new_file, place.line, place.column,
              zg_verdict_name(change->verdict), first_text(change->first), parts[0]);
    if (parts[1])
        cli_print("    %s\n", parts[1]);
    if (!gone && change->before.line > 0)
        cli_print("    before: %s:%u:%u\n", comparison->old_file, change->before.line, change->before.column);
}

static void print_text(const struct comparison *comparison)
{
    static const char *const ends[] = { "in any order", "the device before the host", "the host before the device",
                                        "in any order, but what is new is lost until both are updated" };

    for (unsigned i = 0; i < comparison->changes->len; i++)
        print_change(comparison, g_ptr_array_index(comparison->changes, i));
    if (comparison->changes->len > 0)
        cli_print("\n");
    switch (comparison->verdict) {
    case ZG_SAME: cli_print("same: ends built from either understand each other completely\n"); break;
    case ZG_COMPATIBLE: cli_print("compatible: update %s\n", ends[comparison->first & ZG_SIDE_BOTH]); break;
    case ZG_BREAKING: cli_print("breaking: both ends must be updated together\n"); break;
    }
}

static void first_to_json(struct zg_json *json, unsigned first)
{
    zg_json_open(json, "first", '[');
    if (first & ZG_SIDE_DEVICE)
        zg_json_string(json, NULL, "device");
    if (first & ZG_SIDE_HOST)
        zg_json_string(json, NULL, "host");
    zg_json_close(json, ']');
}

static void place_to_json(struct zg_json *json, const char *key, struct zg_place place)
{
    if (place.line == 0)
        return;
    zg_json_open(json, key, '{');
    zg_json_unsigned(json, "line", place.line);
    zg_json_unsigned(json, "column", place.column);
    zg_json_close(json, '}');
}

static void print_json(const struct comparison *comparison)
{
    struct zg_json json;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "old", comparison->old_file);
    zg_json_string(&json, "new", comparison->new_file);
    zg_json_string(&json, "verdict", zg_verdict_name(comparison->verdict));
    first_to_json(&json, comparison->first);
    zg_json_open(&json, "changes", '[');
    for (unsigned i = 0; i < comparison->changes->len; i++) {
        const struct zg_change *change = g_ptr_array_index(comparison->changes, i);
        zg_json_open(&json, NULL, '{');
        zg_json_string(&json, "verdict", zg_verdict_name(change->verdict));
        first_to_json(&json, change->first);
        place_to_json(&json, "old", change->before);
        place_to_json(&json, "new", change->after);
        zg_json_string(&json, "change", change->text);
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, ']');
    zg_json_close(&json, '}');
    cli_print_json(&json);
}

static int compare(char **argv, const struct zg_plan *before, const struct zg_plan *after, bool as_json)
{
    g_autoptr(GPtrArray) changes = zg_compare(before, after);
    struct comparison comparison = { argv[1], argv[2], changes, ZG_SAME, 0 };

    comparison.verdict = zg_compare_verdict(changes, &comparison.first);
    (as_json ? print_json : print_text)(&comparison);
    return comparison.verdict == ZG_BREAKING ? CLI_NO : CLI_YES;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    gboolean as_json = FALSE;
    GOptionEntry entries[] = { { "json", 0, 0, G_OPTION_ARG_NONE, &as_json, "Print one JSON document", NULL },
                               G_OPTION_ENTRY_NULL };
    struct cli_definition before = { 0 }, after = { 0 };

    if (!cli_parse(verb, entries, &argc, &argv, 2, 2))
        return CLI_USAGE;
    int status = cli_load(verb, argv[1], false, &before);
    int second = cli_load(verb, argv[2], false, &after);
    status = MAX(status, second);
    if (status == CLI_YES)
        status = compare(argv, before.plan, after.plan, as_json);
    cli_definition_clear(&before);
    cli_definition_clear(&after);
    return cli_finish(verb, status);
}

const struct cli_verb cli_compare = { "compare", "OLD NEW",
                                      "Shows what changed, and how that affects ends not updated yet",
                                      "zeugma compare examples/loom/loom.yaml examples/loom/draft.yaml", run };
