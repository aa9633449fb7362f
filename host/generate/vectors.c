/* SPDX-License-Identifier: MIT */
/* PROTOCOL_vectors.json: frames and values to test any implementation against. */
#include <string.h>

#include "codec/as_text.h"
#include "codec/frame.h"
#include "codec/json.h"
#include "codec/payload.h"
#include "generate/generate.h"

enum { MOST_ELEMENTS = 40, MIXED = 3 };

/* How the values of one vector are chosen. */
enum pattern { ZERO, LEAST, MOST, FIRST_MIXED, PATTERNS = FIRST_MIXED + MIXED };

static const char *const titles[PATTERNS] = { "zero, or as near as is permitted",
                                              "the least of everything",
                                              "the most of everything",
                                              "mixed values, 1",
                                              "mixed values, 2",
                                              "mixed values, 3" };

/* A fixed sequence of numbers that look random: Knuth's multiplicative hashing with the golden ratio. */
static uint64_t scatter(uint64_t *state)
{
    *state += UINT64_C(0x9E3779B97F4A7C15);
    return (*state ^ *state >> 29) * UINT64_C(0xBF58476D1CE4E5B9);
}

static union zg_raw choose(const struct zg_step *step, enum pattern pattern, uint64_t *state)
{
    bool is_signed = zg_step_is_signed(step);
    uint64_t bits = scatter(state);
    union zg_raw raw = { .u = 0 };

    if (step->type.kind == ZG_KIND_BOOL) {
        raw.u = pattern == MOST || (pattern >= FIRST_MIXED && bits >> 63);
        return raw;
    }
    if (step->type.kind == ZG_KIND_FLOAT) {
        double low = step->field->ranged ? step->low.f : -1e30, high = step->field->ranged ? step->high.f : 1e30;
        raw.f = pattern == LEAST  ? low
                : pattern == MOST ? high
                : pattern == ZERO ? 0
                                  : low / 2 + high / 4 + (double)(bits >> 40);
        raw.f = CLAMP(raw.f, low, high);
        raw.f = zg_step_rounded(step, raw.f);
        return raw;
    }
    if (pattern == LEAST || pattern == MOST)
        return pattern == LEAST ? step->low : step->high;
    if (pattern == ZERO)
        return zg_step_permits(step, raw) ? raw : step->low;
    uint64_t span = is_signed ? (uint64_t)step->high.i - (uint64_t)step->low.i : step->high.u - step->low.u;
    raw.u = (is_signed ? (uint64_t)step->low.i : step->low.u) + (span == UINT64_MAX ? bits : bits % (span + 1));
    return raw;
}

/* A raw number that can be recovered from its physical value; if a scale is finer than doubles, not every number can.
 */
static union zg_raw number(const struct zg_step *step, enum pattern pattern, uint64_t *state)
{
    union zg_raw raw = choose(step, pattern, state);
    mpq_t physical;

    if (!step->field->scaled)
        return raw;
    mpq_init(physical);
    mpq_set_d(physical, zg_step_physical(step, raw));
    (void)zg_step_raw(step, physical, &raw);
    mpq_clear(physical);
    return raw;
}

static void fill(const struct zg_block *block, struct zg_value *values, enum pattern pattern, uint64_t *state);

static void fill_string(const struct zg_step *step, struct zg_value *value, unsigned count, uint64_t *state)
{
    static const char letters[] = "Dobby loom; 7 shafts, \"weft\" & \\warp ";

    zg_value_resize(step, value, count);
    for (unsigned i = 0; i < count; i++)
        value->bytes[i] = step->type.kind == ZG_KIND_TEXT ? (uint8_t)letters[i % (sizeof letters - 1)]
                                                          : (uint8_t)(scatter(state) >> 56);
}

static void fill_step(const struct zg_step *step, struct zg_value *value, enum pattern pattern, uint64_t *state)
{
    bool fixed = step->type.extent == ZG_EXTENT_FIXED;
    unsigned most = MIN(step->most, (unsigned)MOST_ELEMENTS);
    unsigned count = pattern == MOST ? most : pattern < FIRST_MIXED ? 0 : (unsigned)(scatter(state) >> 33) % (most + 1);

    if (zg_step_is_string(step)) {
        fill_string(step, value, fixed && step->type.kind == ZG_KIND_BYTES ? step->most : count, state);
    } else if (step->type.extent != ZG_EXTENT_ONE) {
        zg_value_resize(step, value, fixed ? step->most : count);
        for (unsigned i = 0; i < value->count; i++) {
            if (step->record)
                fill(step->record, value->items[i].items, pattern, state);
            else
                value->items[i].raw = number(step, pattern, state);
        }
    } else if (step->record) {
        fill(step->record, value->items, pattern, state);
    } else {
        value->raw = number(step, pattern, state);
    }
}

static void fill(const struct zg_block *block, struct zg_value *values, enum pattern pattern, uint64_t *state)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        fill_step(zg_block_step(block, i), &values[i], pattern, state);
        values[i].absent = zg_block_step(block, i)->field->optional && (pattern == LEAST || pattern == FIRST_MIXED);
    }
}

/* Letters only, which separate nothing in a text layout. */
static void spell_plainly(const struct zg_block *block, struct zg_value *values)
{
    for (unsigned i = 0; i < block->steps->len; i++)
        for (unsigned k = 0; zg_block_step(block, i)->type.kind == ZG_KIND_TEXT && k < values[i].count; k++)
            values[i].bytes[k] = (uint8_t)('a' + k % 26);
}

/* The header of a vector: the roles that a sender chooses are small numbers that fit. */
static struct zg_header header_of(const struct zg_plan *plan, const struct zg_plan_message *item)
{
    const struct zg_header header = {
        .id = (uint32_t)item->message->id,
        .sequence = plan->sequence_bits ? 5U & UINT32_MAX >> (32 - plan->sequence_bits) : 0,
        .minor = plan->minor,
        .destination = plan->destination_bits ? 2U & UINT32_MAX >> (32 - plan->destination_bits) : 0,
        .source = plan->source_bits && !plan->node ? 1U & UINT32_MAX >> (32 - plan->source_bits) : 0,
        .ticket = item->tickets > 0 ? 0xA7 : 0,
        .base = item->tickets > 1 ? 0xA5 : 0
    };
    return header;
}

/* A message's values and their payload; NULL: they cannot be written. */
static GByteArray *payload_of(const struct zg_plan *plan, const struct zg_plan_message *item, enum pattern pattern,
                              uint64_t *state, struct zg_value *values)
{
    const struct zg_header header = header_of(plan, item);

    fill(&item->payload, values, pattern, state);
    if (item->text)
        spell_plainly(&item->payload, values);
    zg_block_fit(&item->payload, values);
    return zg_payload_make(plan, item, &header, values);
}

static void print_header(struct zg_json *json, const struct zg_plan *plan, const struct zg_plan_message *item,
                         const struct zg_header *header)
{
    zg_json_open(json, "header", '{');
    if (plan->sequence_bits > 0)
        zg_json_unsigned(json, "sequence", header->sequence);
    if (plan->node)
        zg_json_unsigned(json, "node", header->destination);
    if (plan->destination_bits > 0 && !plan->node)
        zg_json_unsigned(json, "destination", header->destination);
    if (plan->source_bits > 0 && !plan->node)
        zg_json_unsigned(json, "source", header->source);
    if (item->tickets > 0)
        zg_json_unsigned(json, "ticket", header->ticket);
    if (item->tickets > 1)
        zg_json_unsigned(json, "base", header->base);
    zg_json_close(json, '}');
}

static void print_fields(struct zg_json *json, const struct zg_block *block, const struct zg_value *values)
{
    zg_json_open(json, "fields", '{');
    zg_block_to_json(block, values, json);
    zg_json_close(json, '}');
}

/* A frame and its values. */
static void print_frame(struct zg_json *json, const struct zg_plan *plan, const struct zg_plan_message *item,
                        enum pattern pattern, const uint8_t *payload, size_t length, const struct zg_value *values)
{
    const struct zg_header header = header_of(plan, item);
    g_autoptr(GByteArray) frame = zg_frame_of(plan, item, &header, payload, length);

    zg_json_open(json, NULL, '{');
    zg_json_string(json, "title", titles[pattern]);
    zg_json_string(json, "message", item->message->name);
    print_header(json, plan, item, &header);
    print_fields(json, &item->payload, values);
    zg_json_hex(json, "payload", payload, length);
    zg_json_hex(json, "frame", frame->data, frame->len);
    zg_json_close(json, '}');
}

/* What becomes of a payload that is shorter than its message: its values with defaults, if an older sender could have
 * made it; otherwise it is refused. */
static void print_cut(struct zg_json *json, const struct zg_plan_message *item, const uint8_t *payload, size_t length,
                      struct zg_value *values)
{
    struct zg_header header;
    size_t ignored;
    bool good = zg_payload_unpack(item, payload, length, &header, values, &ignored);

    zg_json_open(json, NULL, '{');
    zg_json_string(json, "title",
                   !good        ? "cut short"
                   : item->text ? "cut, and still good"
                                : "as an older sender makes it");
    zg_json_string(json, "message", item->message->name);
    zg_json_hex(json, "payload", payload, length);
    if (good)
        print_fields(json, &item->payload, values);
    zg_json_bool(json, "refused", !good);
    zg_json_close(json, '}');
}

typedef void (*print_function)(struct zg_json *json, const struct zg_plan *plan, const struct zg_plan_message *item);

static void print_frames(struct zg_json *json, const struct zg_plan *plan, const struct zg_plan_message *item)
{
    const struct zg_block *block = &item->payload;
    uint64_t state = item->message->id;

    for (unsigned pattern = 0; pattern < PATTERNS; pattern++) {
        struct zg_value *values = zg_values_new(block);
        g_autoptr(GByteArray) payload = payload_of(plan, item, (enum pattern)pattern, &state, values);
        if (payload)
            print_frame(json, plan, item, (enum pattern)pattern, payload->data, payload->len, values);
        zg_values_free(block, values);
    }
}

static void print_cuts(struct zg_json *json, const struct zg_plan *plan, const struct zg_plan_message *item)
{
    const struct zg_block *block = &item->payload;
    struct zg_value *values = zg_values_new(block);
    uint64_t state = item->message->id;
    g_autoptr(GByteArray) payload = payload_of(plan, item, FIRST_MIXED, &state, values);

    for (size_t cut = 0; payload && cut < MIN(payload->len, (guint)MOST_ELEMENTS); cut++)
        print_cut(json, item, payload->data, cut, values);
    zg_values_free(block, values);
}

static void print_list(struct zg_json *json, const struct zg_plan *plan, const char *key, print_function print)
{
    zg_json_open(json, key, '[');
    for (unsigned i = 0; i < plan->messages->len; i++)
        print(json, plan, zg_plan_message_at(plan, i));
    zg_json_close(json, ']');
}

GPtrArray *zg_generate_vectors(const struct zg_plan *plan)
{
    const struct zg_definition *definition = plan->definition;
    GPtrArray *files = zgi_generated_new();
    g_autofree char *file = g_path_get_basename(definition->file);
    g_autofree char *made = g_strdup_printf(ZGI_MARK " %s, %s %u.%u. Change that, not this.", file,
                                            definition->protocol, definition->major, definition->minor);
    struct zg_json json;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "made", made);
    zg_json_string(&json, "protocol", definition->protocol);
    print_list(&json, plan, "frames", print_frames);
    print_list(&json, plan, "payloads", print_cuts);
    zg_json_close(&json, '}');
    GString *text = g_string_append_c(json.text, '\n');
    zgi_generated_add(files, g_strconcat(definition->protocol, "_vectors.json", NULL), text);
    return files;
}
