/* SPDX-License-Identifier: MIT */
#include "support.h"

#include <glib/gstdio.h>
#include <math.h>
#include <string.h>

#include "codec/frame.h"

static struct test_plan plan_of(const char *file, const char *text)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new(file);
    struct test_plan plan = { zg_definition_parse(file, text, strlen(text), diagnostics), NULL };

    if (plan.definition)
        plan.plan = zg_plan_new(plan.definition, diagnostics);
    for (unsigned i = 0; !plan.plan && i < zg_diagnostics_count(diagnostics); i++) {
        g_autofree char *line = zg_diagnostics_line(diagnostics, i);
        print_error("%s\n", line);
    }
    if (!plan.plan)
        print_error("%s\n", text);
    assert_non_null(plan.plan);
    zg_diagnostics_free(diagnostics);
    return plan;
}

struct test_plan test_plan_of(const char *text)
{
    return plan_of("test.yaml", text);
}

struct test_plan test_plan_load(const char *name)
{
    g_autofree char *text = test_data(name);
    return plan_of(name, text);
}

void test_plan_clear(struct test_plan *plan)
{
    zg_plan_free(plan->plan);
    zg_definition_free(plan->definition);
}

unsigned test_rounds(unsigned usual)
{
    const char *times = g_getenv("ZEUGMA_TEST_ROUNDS");
    guint64 factor = 1;

    if (times && !g_ascii_string_to_unsigned(times, 10, 1, 10000, &factor, NULL))
        fail_msg("ZEUGMA_TEST_ROUNDS is %s", times);
    return MAX(usual * (unsigned)factor / TEST_SHARE, 1U);
}

const char test_small_definition[] =
    "zeugma: 1\nprotocol: small\nversion: 2.0\n"
    "frame: { framing: cobs, header: [version: u3, id: u5, sequence: u8], check: crc16/xmodem, max_payload: 64 }\n"
    "messages:\n  data: { id: 1, from: both, fields: { value: u64 } }\n  tiny: { id: 2, from: both, fields: { value: "
    "u8 } }\n";

uint32_t test_clock_us;

static uint32_t now_us(void *context)
{
    (void)context;
    return test_clock_us;
}

static void start_transmit(void *context)
{
    (void)context;
}

const struct zg_port test_port = { now_us, start_transmit, NULL, NULL, NULL };

char *test_data(const char *name)
{
    g_autofree char *path = g_build_filename(TEST_DATA, name, NULL);
    char *text = NULL;
    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    return text;
}

static bool one_in(struct zg_random *random, uint64_t n)
{
    return zg_random_below(random, n) == 0;
}

/* A type without extent, as it is written; `records` says how many records it may name. */
static char *random_type(struct zg_random *random, unsigned enums, unsigned records)
{
    static const char *const others[] = { "f32", "f64", "uleb32", "uleb64", "sleb32", "sleb64", "bool" };

    switch (zg_random_below(random, 8)) {
    case 0: return g_strdup(others[zg_random_below(random, G_N_ELEMENTS(others))]);
    case 1: return g_strdup_printf("e%u", (unsigned)zg_random_below(random, enums));
    case 2: return records > 0 ? g_strdup_printf("r%u", (unsigned)zg_random_below(random, records)) : g_strdup("u8");
    case 3:
        return g_strdup_printf("u%u", 1 + (unsigned)zg_random_below(random, 7)); /* so that runs of bits come about */
    default: return g_strdup_printf("%c%u", one_in(random, 2) ? 'u' : 'i', 2 + (unsigned)zg_random_below(random, 63));
    }
}

static void random_field(struct zg_random *random, GString *text, unsigned number, unsigned enums, unsigned records,
                         const char *more)
{
    static const char *const scales[] = { "0.01", "-0.1", "1/64", "2.5", "1/3" };
    const char *order = one_in(random, 4) ? ", order: big" : one_in(random, 4) ? ", order: little" : "";
    const char *dots = one_in(random, 2) ? ".." : "";
    g_autofree char *type = random_type(random, enums, records);

    g_string_append_printf(text, "      f%u: ", number);
    switch (zg_random_below(random, 6)) {
    case 0:
        g_string_append_printf(text, "{ type: \"%s[%s%u]\"%s%s }\n", type, dots,
                               1 + (unsigned)zg_random_below(random, one_in(random, 8) ? 300 : 9), order, more);
        break;
    case 1:
        g_string_append_printf(text, "{ type: \"%s[%s%u]\"%s }\n", one_in(random, 2) ? "text" : "bytes", dots,
                               1 + (unsigned)zg_random_below(random, 20), more);
        break;
    case 2: /* scaled, with a width that its arithmetic holds exactly */
        g_string_append_printf(text, "{ type: \"%c%u%s\", scale: %s, offset: %d%s%s }\n", one_in(random, 2) ? 'u' : 'i',
                               2 + (unsigned)zg_random_below(random, 31), one_in(random, 4) ? "[3]" : "",
                               scales[zg_random_below(random, 5)], (int)zg_random_below(random, 200) - 100, order,
                               more);
        break;
    case 3:
        g_string_append_printf(text, "{ type: f%u%s%s%s }\n", one_in(random, 2) ? 32 : 64, order,
                               one_in(random, 2) ? ", range: [-1.5, 1e3]" : "", more);
        break;
    default: g_string_append_printf(text, "{ type: %s%s%s }\n", type, order, more); break;
    }
}

static void random_records(struct zg_random *random, GString *text, unsigned enums, unsigned records)
{
    g_string_append(text, records > 0 ? "records:\n" : "");
    for (unsigned i = 0; i < records; i++) {
        g_string_append_printf(text, "  r%u:\n", i);
        for (unsigned k = 0; k < 1 + zg_random_below(random, 4); k++)
            random_field(random, text, k, enums, i, "");
    }
}

static char *random_definition(struct zg_random *random)
{
    static const char *const checks[] = { "crc8/smbus",
                                          "crc16/modbus",
                                          "{ name: crc24/openpgp, order: big }",
                                          "crc32/iscsi",
                                          "crc64/xz",
                                          "{ crc: 13, poly: 0x1CF5, reflect_out: true }",
                                          "{ name: fletcher16, covers: payload }",
                                          "{ name: internet, order: big }",
                                          "{ name: crc16/arc, covers: payload }",
                                          "{ name: crc32/mpeg-2, covers: all }",
                                          "{ name: internet, covers: all }",
                                          "adler32",
                                          "xor8",
                                          "sum8/negated",
                                          "none" };
    static const char *const lengths[] = { "length: u16, ", "length: { type: u17, counts: rest }, ",
                                           "length: { type: u16, counts: content, order: big }, " };
    static const char *const deliveries[] = { "", "\n    reply: m0\n    retries: 2",
                                              "\n    delivery: acknowledged\n    window: 2",
                                              "\n    delivery: acknowledged\n    order: kept" };
    static const char *const framings[] = { "cobs",
                                            "{ kind: cobs, lead: true }",
                                            "slip",
                                            "{ kind: slip, lead: false }",
                                            "{ kind: hdlc, escape_control: true }",
                                            "gap",
                                            "{ kind: marks, end: [0x0A, 0x0D], escape: 0x1B }",
                                            "{ kind: marks, start: [0x10, 0x02], end: [0x10, 0x03], double: 0x10 }",
                                            "{ kind: length, sync: [0xAA, 0x55, 1] }" };
    GString *text = g_string_new("zeugma: 1\nprotocol: random\nversion: 3.2\n");
    bool counted = one_in(random, 3); /* the header has a length */
    unsigned enums = 2 + (unsigned)zg_random_below(random, 3);
    unsigned records = (unsigned)zg_random_below(random, 4);
    unsigned messages = 1 + (unsigned)zg_random_below(random, 5);
    bool services = one_in(random, 3);
    const char *addresses = !counted && one_in(random, 3) ? "destination: u3, source: { type: u13, order: big }, " : "";

    g_string_append_printf(
        text,
        "frame:\n  framing: %s\n  max_payload: 60000\n  byte_order: %s\n  check: %s\n"
        "  header: [version: u%u, %s%sid: { type: u%u, order: big }, %ssequence: u%u%s]\n",
        framings[zg_random_below(random, G_N_ELEMENTS(framings) - !counted)], one_in(random, 2) ? "big" : "little",
        checks[zg_random_below(random, G_N_ELEMENTS(checks))], 1 + (unsigned)zg_random_below(random, 9),
        one_in(random, 2) ? "const: { type: u11, value: 0x5A5 }, minor: u3, " : "", addresses,
        5 + (unsigned)zg_random_below(random, 18), counted ? lengths[zg_random_below(random, 3)] : "",
        1 + (unsigned)zg_random_below(random, 32),
        one_in(random, 3) ? ", reserved: u5, const: { type: u16, value: 7, order: big }" : "");
    g_string_append(text, "enums:\n");
    for (unsigned i = 1; i < enums; i++)
        g_string_append_printf(text, "  e%u: { type: %c%u, values: { zero: 0, one: 1, three: 3 } }\n", i,
                               one_in(random, 2) ? 'u' : 'i', 3 + (unsigned)zg_random_below(random, 62));
    g_string_append_printf(text, "flags:\n  e0: { type: u%u, bits: { first: 0, third: 2 } }\n",
                           3 + (unsigned)zg_random_below(random, 62));
    random_records(random, text, enums, records);
    g_string_append(text, "messages:\n");
    for (unsigned i = 0; i < messages; i++) {
        unsigned fields = (unsigned)zg_random_below(random, 9);
        unsigned newer = fields > 0 ? (unsigned)zg_random_below(random, 3) : 0;
        bool open_ended = fields + newer > 0 && one_in(random, 3);
        g_string_append_printf(text, "  m%u:\n    id: %u\n    from: %s%s\n    fields:%s\n", i, i,
                               i == 0 || one_in(random, 3) ? "both" /* m0 answers the requests */
                               : one_in(random, 2)         ? "device"
                                                           : "host",
                               services && i > 0 ? deliveries[zg_random_below(random, 4)] : "", fields ? "" : " {}");
        for (unsigned k = 0; k < fields; k++)
            random_field(random, text, k, enums, records, "");
        for (unsigned k = 0; k < newer; k++)
            random_field(random, text, fields + k, enums, records, k == 0 ? ", since: 3.1" : ", since: 3.2");
        if (open_ended)
            g_string_append_printf(text, "      rest: { type: \"%s[..]\"%s }\n",
                                   one_in(random, 3)   ? "bytes"
                                   : one_in(random, 2) ? "uleb32"
                                                       : "i24",
                                   newer > 0 ? ", since: 3.2" : "");
    }
    if (services) {
        g_string_append(text, "services: [delivery, hello, variables, counters]\nvariables:\n");
        for (unsigned k = 0; k < 3; k++) { /* written as fields are, with an index */
            g_autofree char *index = g_strdup_printf(", index: %u, access: %s", 2 * k, k ? "read" : "read_write");
            random_field(random, text, k, enums, records, index);
        }
    }
    return g_string_free(text, FALSE);
}

/* Whether a definition is only too large. */
static bool is_too_large(const char *text)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("random");
    struct zg_definition *definition = zg_definition_parse("random", text, strlen(text), diagnostics);
    struct zg_plan *plan = definition ? zg_plan_new(definition, diagnostics) : NULL;
    bool too_large = definition && !plan;

    for (unsigned i = 0; i < zg_diagnostics_count(diagnostics); i++) {
        const struct zg_diagnostic *diagnostic = zg_diagnostics_get(diagnostics, i);
        too_large =
            too_large && (diagnostic->severity == ZG_SEVERITY_WARNING || strstr(diagnostic->message, " takes "));
    }
    zg_plan_free(plan);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
    return too_large;
}

char *test_random_definition(struct zg_random *random)
{
    char *text = random_definition(random);

    while (is_too_large(text)) {
        g_free(text);
        text = random_definition(random);
    }
    return text;
}

union zg_raw test_random_raw(struct zg_random *random, const struct zg_step *step)
{
    static const uint32_t floats[] = { 0, 0x80000000U, 1, 0x7F7FFFFF, 0xFF7FFFFF, 0x7F800000, 0x3F800000, 0x7FC00000 };
    uint64_t bits = zg_random_next(random);
    union zg_raw raw = { .u = 0 };
    float f;

    switch (step->type.kind) {
    case ZG_KIND_BOOL: raw.b = bits & 1; return raw;
    case ZG_KIND_FLOAT: {
        uint32_t word = one_in(random, 3) ? floats[bits % G_N_ELEMENTS(floats)] : (uint32_t)bits;
        memcpy(&f, &word, sizeof f);
        raw.f = (double)f;
        if (step->type.bits == 64 && one_in(random, 2))
            memcpy(&raw.f, &bits, sizeof raw.f);
        if (step->field->ranged && !zg_step_permits(step, raw))
            raw.f = one_in(random, 2) ? step->low.f : step->high.f;
        return raw;
    }
    case ZG_KIND_LEB_SIGNED:
    case ZG_KIND_SIGNED: {
        uint64_t span = (uint64_t)step->high.i - (uint64_t)step->low.i;
        uint64_t at = one_in(random, 3)    ? bits % 2
                      : one_in(random, 3)  ? span - bits % 2
                      : span == UINT64_MAX ? bits
                                           : bits % (span + 1);
        raw.i = (int64_t)((uint64_t)step->low.i + at);
        return raw;
    }
    default: {
        uint64_t span = step->high.u - step->low.u;
        uint64_t at = one_in(random, 3)    ? bits % 2
                      : one_in(random, 3)  ? span - bits % 2
                      : span == UINT64_MAX ? bits
                                           : bits % (span + 1);
        raw.u = step->low.u + at;
        return raw;
    }
    }
}

static void random_bytes(struct zg_random *random, const struct zg_step *step, struct zg_value *value, unsigned count)
{
    zg_value_resize(step, value, count);
    for (unsigned i = 0; i < count; i++)
        value->bytes[i] = step->type.kind == ZG_KIND_TEXT ? (uint8_t)('!' + zg_random_below(random, 90))
                                                          : (uint8_t)zg_random_next(random);
}

static void random_item(struct zg_random *random, const struct zg_step *step, struct zg_value *value)
{
    if (step->record)
        test_random_values(random, step->record, value->items);
    else
        value->raw = test_random_raw(random, step);
}

void test_random_values(struct zg_random *random, const struct zg_block *block, struct zg_value *values)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        bool fixed = step->type.extent == ZG_EXTENT_FIXED;
        unsigned count = step->most;
        if (!fixed && !one_in(random, 4))
            count = (unsigned)zg_random_below(random, MIN(step->most, 12U) + 1U);
        if (step->type.extent == ZG_EXTENT_REST)
            count = MIN(count, 40U);
        if (step->type.kind == ZG_KIND_BYTES)
            random_bytes(random, step, &values[i], count);
        else if (step->type.kind == ZG_KIND_TEXT)
            random_bytes(random, step, &values[i], fixed ? (unsigned)zg_random_below(random, count + 1U) : count);
        else if (step->type.extent == ZG_EXTENT_ONE)
            random_item(random, step, &values[i]);
        else {
            zg_value_resize(step, &values[i], count);
            for (unsigned k = 0; k < count; k++)
                random_item(random, step, &values[i].items[k]);
        }
    }
    zg_block_fit(block, values);
}

GByteArray *test_random_frames(struct zg_random *random, const struct zg_plan *plan, unsigned count)
{
    GByteArray *bytes = g_byte_array_new();

    for (unsigned i = 0; i < count; i++) {
        const struct zg_plan_message *item =
            zg_plan_message_at(plan, (unsigned)zg_random_below(random, plan->messages->len));
        struct zg_header header = { .id = (uint32_t)item->message->id,
                                    .sequence = i,
                                    .minor = plan->minor,
                                    .destination = i,
                                    .source = i / 3,
                                    .ticket = (uint8_t)i,
                                    .base = (uint8_t)(i / 2) };
        struct zg_value *values = zg_values_new(&item->payload);
        test_random_values(random, &item->payload, values);
        size_t length = zg_payload_size(item, values);
        g_autofree uint8_t *payload = g_malloc(length + 1);
        zg_payload_pack(item, &header, values, payload);
        g_autoptr(GByteArray) frame = zg_frame_make(plan, &header, payload, length);
        g_byte_array_append(bytes, frame->data, frame->len);
        zg_values_free(&item->payload, values);
    }
    return bytes;
}

/* Every leaf of a message as text, "path=value;": printed here from the interpreter's values, and by glue from the C
 * structs. */
static void dump_item(GString *text, const struct zg_step *step, const struct zg_value *value, const char *path);

static void dump_block(GString *text, const struct zg_block *block, const struct zg_value *values, const char *before)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        g_autofree char *path = g_strconcat(before, step->name, NULL);
        if (step->type.kind == ZG_KIND_TEXT || step->type.kind == ZG_KIND_BYTES) {
            g_string_append_printf(text, "%s=", path);
            unsigned shown =
                step->type.kind == ZG_KIND_BYTES || step->type.extent != ZG_EXTENT_FIXED ? values[i].count : step->most;
            for (unsigned k = 0; k < shown; k++)
                g_string_append_printf(text, "%02x", k < values[i].count ? values[i].bytes[k] : 0);
            g_string_append_c(text, ';');
        } else if (step->type.extent == ZG_EXTENT_ONE) {
            dump_item(text, step, &values[i], path);
        }
        for (unsigned k = 0; step->type.extent != ZG_EXTENT_ONE && values[i].items && k < values[i].count; k++) {
            g_autofree char *inner = g_strdup_printf("%s[%u]", path, k);
            dump_item(text, step, &values[i].items[k], inner);
        }
    }
}

static void dump_item(GString *text, const struct zg_step *step, const struct zg_value *value, const char *path)
{
    g_autofree char *inner = g_strconcat(path, ".", NULL);

    if (step->record) {
        dump_block(text, step->record, value->items, inner);
        return;
    }
    g_string_append_printf(text, "%s=", path);
    if (step->type.kind == ZG_KIND_FLOAT && isnan(value->raw.f))
        g_string_append(text, "nan");
    else if (step->type.kind == ZG_KIND_FLOAT)
        g_string_append_printf(text, "%.17g", value->raw.f);
    else if (step->type.kind == ZG_KIND_SIGNED || step->type.kind == ZG_KIND_LEB_SIGNED)
        g_string_append_printf(text, "%" G_GINT64_FORMAT, value->raw.i);
    else
        g_string_append_printf(text, "%" G_GUINT64_FORMAT, value->raw.u);
    if (step->field->scaled)
        g_string_append_printf(text, " %.17g", zg_step_physical(step, value->raw));
    g_string_append_c(text, ';');
}

void test_dump(GString *text, const struct zg_block *block, const struct zg_value *values)
{
    dump_block(text, block, values, "");
}

void test_remove_folder(const char *folder)
{
    g_autoptr(GDir) directory = g_dir_open(folder, 0, NULL);
    for (const char *name; (name = g_dir_read_name(directory));) {
        g_autofree char *path = g_build_filename(folder, name, NULL);
        if (g_file_test(path, G_FILE_TEST_IS_DIR))
            test_remove_folder(path);
        else
            (void)g_remove(path);
    }
    (void)g_rmdir(folder);
}

/* A stream under damage: bytes, where each came from (-1: from nowhere), and whether something is wrong at or right
 * before it. */
static void put(GByteArray *out, GByteArray *touched, GArray *origin, uint8_t byte, int from, bool wrong)
{
    guint8 flag = wrong;
    g_byte_array_append(out, &byte, 1);
    g_byte_array_append(touched, &flag, 1);
    g_array_append_val(origin, from);
}

GByteArray *test_damage(struct zg_random *random, const uint8_t *bytes, size_t length, unsigned count,
                        GByteArray **touched, GArray **origin)
{
    GByteArray *out = g_byte_array_new();
    g_autofree uint8_t *hit = g_malloc0(length);
    bool gap = false;

    *touched = g_byte_array_new();
    *origin = g_array_new(FALSE, FALSE, sizeof(int));
    for (unsigned i = 0; i < count; i++)
        hit[zg_random_below(random, length)] = (uint8_t)(1 + zg_random_below(random, 6));
    for (size_t i = 0; i < length; i++) {
        unsigned run = 1 + (unsigned)zg_random_below(random, 40);
        uint8_t noise = (uint8_t)zg_random_next(random);
        switch (hit[i]) {
        case 1: put(out, *touched, *origin, (uint8_t)(bytes[i] ^ 1U << noise % 8), -1, true); break; /* flipped */
        case 2: gap = true; continue;                                                                /* dropped */
        case 3:                                                                                      /* doubled */
            put(out, *touched, *origin, bytes[i], (int)i, gap);
            put(out, *touched, *origin, bytes[i], -1, true);
            gap = true;
            continue;
        case 4: /* noise inserted */
            for (unsigned k = 0; k < run; k++)
                put(out, *touched, *origin, one_in(random, 8) ? 0 : (uint8_t)zg_random_next(random), -1, true);
            put(out, *touched, *origin, bytes[i], (int)i, true);
            break;
        case 5: /* a run cut out */
            i += MIN((size_t)run, length - 1 - i);
            gap = true;
            continue;
        case 6: /* a run overwritten with one value */
            for (unsigned k = 0; k < run && i < length; k++, i++)
                put(out, *touched, *origin, noise, -1, true);
            i--;
            gap = true;
            continue;
        default: put(out, *touched, *origin, bytes[i], (int)i, gap); break;
        }
        gap = hit[i] == 1;
    }
    return out;
}
