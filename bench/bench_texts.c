/* SPDX-License-Identifier: MIT */
/* How fast a host reads a message in each text layout: generated C, the interpreter, and beside them a general reader
 * of JSON. Medians of one run. */
#include <json-glib/json-glib.h>
#include <stdio.h>
#include <string.h>

#include "codec/payload.h"
#include "measure.h"
#include "plan/plan.h"
#include "texts.h"

enum { TEXTS = 100000 };

static union {
    struct texts_line line;
    struct texts_pairs pairs;
    struct texts_json json;
} message;

static int read_line(const uint8_t *in, size_t length)
{
    return texts_line_unpack(&message.line, in, length, NULL);
}

static int read_pairs(const uint8_t *in, size_t length)
{
    return texts_pairs_unpack(&message.pairs, in, length, NULL);
}

static int read_json(const uint8_t *in, size_t length)
{
    return texts_json_unpack(&message.json, in, length, NULL);
}

static struct zg_plan *load(struct zg_definition **definition)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("texts");

    *definition = zg_definition_load(TEXTS_YAML, diagnostics, NULL);
    struct zg_plan *plan = *definition ? zg_plan_new(*definition, diagnostics) : NULL;
    g_assert(plan);
    zg_diagnostics_free(diagnostics);
    return plan;
}

static void print_row(const char *how, double seconds, size_t length)
{
    printf("    %-14s %8.1f ns, %6.1f MB/s\n", how, seconds / TEXTS * 1e9,
           (double)TEXTS * (double)length / seconds * 1e-6);
}

static void bench(const struct zg_plan_message *item, const char *text,
                  int (*generated)(const uint8_t *in, size_t length), bool is_json)
{
    const uint8_t *const in = (const uint8_t *)text;
    const size_t length = strlen(text);
    double in_c[TURNS], ours[TURNS], theirs[TURNS];
    struct zg_value *values = zg_values_new(&item->payload);
    struct zg_header header = { 0 };
    size_t ignored;

    for (unsigned turn = 0; turn < TURNS; turn++) {
        double begin = seconds();
        for (unsigned i = 0; i < TEXTS; i++)
            g_assert(generated(in, length) == 0);
        in_c[turn] = seconds() - begin;
        begin = seconds();
        for (unsigned i = 0; i < TEXTS; i++)
            g_assert(zg_payload_unpack(item, in, length, &header, values, &ignored) && ignored == 0);
        ours[turn] = seconds() - begin;
        begin = seconds();
        for (unsigned i = 0; i < TEXTS / 10 && is_json; i++) {
            g_autoptr(JsonParser) parser = json_parser_new();
            g_assert(json_parser_load_from_data(parser, text, (gssize)length, NULL));
        }
        theirs[turn] = 10 * (seconds() - begin);
    }
    printf("  %s, %zu characters\n", item->message->name, length);
    print_row("generated C", median(in_c), length);
    print_row("interpreter", median(ours), length);
    if (is_json)
        print_row("json-glib", median(theirs), length);
    zg_values_free(&item->payload, values);
}

int main(void)
{
    struct zg_definition *definition;
    struct zg_plan *plan = load(&definition);

    printf("a message of four numbers and a text, read by a host (goal of pairs and json: 200 MB/s)\n");
    bench(zg_plan_by_name(plan, "line"), "W -12.34;8123.456;7;4000123;steady", read_line, false);
    bench(zg_plan_by_name(plan, "pairs"), "P temp=-12.34,load=8123.456,state=7,count=4000123,name=steady", read_pairs,
          false);
    bench(zg_plan_by_name(plan, "json"),
          "{\"temp\":-12.34,\"load\":8123.456,\"state\":7,\"count\":4000123,\"name\":\"steady\"}", read_json, true);
    zg_plan_free(plan);
    zg_definition_free(definition);
    return 0;
}
