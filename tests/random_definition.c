/* SPDX-License-Identifier: MIT */
#include "random_definition.h"

#include <string.h>

#include "support.h"

/* A type without extent, as it is written; `records` is how many records it may refer to. */
static char *random_type(struct zg_random *random, unsigned enums, unsigned records)
{
    static const char *const others[] = { "f32", "f64", "uleb32", "uleb64", "sleb32", "sleb64", "bool" };

    switch (zg_random_below(random, 8)) {
    case 0: return g_strdup(others[zg_random_below(random, G_N_ELEMENTS(others))]);
    case 1: return g_strdup_printf("e%u", (unsigned)zg_random_below(random, enums));
    case 2: return records > 0 ? g_strdup_printf("r%u", (unsigned)zg_random_below(random, records)) : g_strdup("u8");
    case 3: return g_strdup_printf("u%u", 1 + (unsigned)zg_random_below(random, 7)); /* so that runs of bits occur */
    default:
        return g_strdup_printf("%c%u", zg_random_one_in(random, 2) ? 'u' : 'i',
                               2 + (unsigned)zg_random_below(random, 63));
    }
}

static void random_field(struct zg_random *random, GString *text, unsigned number, unsigned enums, unsigned records,
                         const char *more)
{
    static const char *const strings[] = { "text", "ascii", "bytes" };
    static const char *const scales[] = { "0.01", "-0.1", "1/64", "2.5", "1/3" };
    const char *order = zg_random_one_in(random, 4)   ? ", order: big"
                        : zg_random_one_in(random, 4) ? ", order: little"
                                                      : "";
    static const char *const counts[] = { "count: bytes", "count: { is: bytes, type: u16 }",
                                          "count: { is: elements, type: u16 }" };
    const char *dots = zg_random_one_in(random, 2) ? ".." : "";
    g_autofree char *type = random_type(random, enums, records);

    if (number == 2 && zg_random_one_in(random, 2))
        g_string_append(text, zg_random_one_in(random, 2) ? "      register: " : "      lambda: ");
    else
        g_string_append_printf(text, "      f%u: ", number);
    switch (zg_random_below(random, 7)) {
    case 6:
        g_string_append_printf(text, "{ type: \"%c%u[..%u]\", %s%s%s }\n", zg_random_one_in(random, 2) ? 'u' : 'i',
                               8U << zg_random_below(random, 4), 1 + (unsigned)zg_random_below(random, 9),
                               counts[zg_random_below(random, 3)], order, more);
        break;
    case 0:
        g_string_append_printf(text, "{ type: \"%s[%s%u]\"%s%s }\n", type, dots,
                               1 + (unsigned)zg_random_below(random, zg_random_one_in(random, 8) ? 300 : 9), order,
                               more);
        break;
    case 1:
        g_string_append_printf(text, "{ type: \"%s[%s%u]\"%s }\n", strings[zg_random_below(random, 3)], dots,
                               1 + (unsigned)zg_random_below(random, 20), more);
        break;
    case 2: /* scaled, with a width for which the arithmetic is exact */
        g_string_append_printf(text, "{ type: \"%c%u%s\", scale: %s, offset: %d%s%s }\n",
                               zg_random_one_in(random, 2) ? 'u' : 'i', 2 + (unsigned)zg_random_below(random, 31),
                               zg_random_one_in(random, 4) ? "[3]" : "", scales[zg_random_below(random, 5)],
                               (int)zg_random_below(random, 200) - 100, order, more);
        break;
    case 3:
        g_string_append_printf(text, "{ type: f%u%s%s%s }\n", zg_random_one_in(random, 2) ? 32 : 64, order,
                               zg_random_one_in(random, 2) ? ", range: [-1.5, 1e3]" : "", more);
        break;
    default: g_string_append_printf(text, "{ type: %s%s%s }\n", type, order, more); break;
    }
}

/* A field that goes to the end of what it is in, with a limit. */
static void random_tail(struct zg_random *random, GString *text, const char *more)
{
    static const char *const types[] = { "bytes", "text", "ascii", "i24", "sleb64", "u16" };

    g_string_append_printf(text, "      rest: { type: \"%s[..%u]\", count: none%s }\n",
                           types[zg_random_below(random, G_N_ELEMENTS(types))],
                           1 + (unsigned)zg_random_below(random, 20), more);
}

/* The length that a record holds of itself, behind a field of one size or in front of all. */
static void random_length(struct zg_random *random, GString *text)
{
    if (zg_random_one_in(random, 2))
        g_string_append_printf(text, "      kind: u%u\n", 1 + (unsigned)zg_random_below(random, 20));
    g_string_append_printf(text, "      own: { type: u%u, counts: %s, plus: %u%s }\n",
                           zg_random_one_in(random, 4) ? 8U : 16U, zg_random_one_in(random, 2) ? "rest" : "record",
                           zg_random_one_in(random, 2) ? (unsigned)zg_random_below(random, 9) : 0,
                           zg_random_one_in(random, 3) ? ", order: big" : "");
}

static void random_records(struct zg_random *random, GString *text, unsigned enums, unsigned records)
{
    g_string_append(text, records > 0 ? "records:\n" : "");
    for (unsigned i = 0; i < records; i++) {
        const bool has_length = zg_random_one_in(random, 2);
        g_string_append_printf(text, "  r%u:\n", i);
        if (has_length)
            random_length(random, text);
        for (unsigned k = 0; k < 1 + zg_random_below(random, 4); k++)
            random_field(random, text, k, enums, i, "");
        if (has_length && zg_random_one_in(random, 2))
            random_tail(random, text, "");
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
                                          "{ name: xor8, as: hex, after: \"*\" }",
                                          "{ name: crc16/modbus, as: hex, case: lower, covers: payload }",
                                          "{ name: crc64/xz, after: [0, 1, 2, 0xC0], order: big }",
                                          "{ crc: 13, poly: 0x1CF5, as: hex }",
                                          "none" };
    static const char *const lengths[] = { "length: u16, ", "length: { type: u17, counts: rest }, ",
                                           "length: { type: u16, counts: content, order: big }, ",
                                           "length: { type: u18, from: version, plus: 3 }, " };
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
    bool counted = zg_random_one_in(random, 3); /* the header has a length */
    unsigned enums = 2 + (unsigned)zg_random_below(random, 3);
    unsigned records = (unsigned)zg_random_below(random, 4);
    unsigned messages = 1 + (unsigned)zg_random_below(random, 5);
    bool services = zg_random_one_in(random, 3);
    bool tagged = !services && zg_random_one_in(random, 4); /* instead of an id */
    const char *addresses = counted || zg_random_one_in(random, 2) ? ""
                            : zg_random_one_in(random, 2) ? "destination: u3, source: { type: u13, order: big }, "
                                                          : "node: { type: u7, broadcast: 0 }, ";

    const char *framing = framings[zg_random_below(random, G_N_ELEMENTS(framings) - !counted)];
    const bool coded = !strstr(framing, "length") && zg_random_one_in(random, 4);
    g_string_append_printf(
        text,
        "frame:\n  framing: %s\n%s  max_payload: 60000\n  byte_order: %s\n  check: %s\n"
        "  header: [version: u%u, %s%s%s: { type: u%u, order: big }, %ssequence: u%u%s]\n",
        framing, coded ? "  coding: hex\n" : "", zg_random_one_in(random, 2) ? "big" : "little",
        checks[zg_random_below(random, G_N_ELEMENTS(checks))], 1 + (unsigned)zg_random_below(random, 9),
        zg_random_one_in(random, 2) ? "const: { type: u11, value: 0x5A5 }, minor: u3, " : "", addresses,
        tagged ? "reserved" : "id", 5 + (unsigned)zg_random_below(random, 18),
        counted ? lengths[zg_random_below(random, G_N_ELEMENTS(lengths))] : "",
        1 + (unsigned)zg_random_below(random, 32),
        zg_random_one_in(random, 3) ? ", reserved: u5, const: { type: u16, value: 7, order: big }" : "");
    g_string_append(text, "enums:\n");
    for (unsigned i = 1; i < enums; i++)
        g_string_append_printf(text, "  e%u: { type: %c%u, values: { zero: 0, one: 1, three: 3 } }\n", i,
                               zg_random_one_in(random, 2) ? 'u' : 'i', 3 + (unsigned)zg_random_below(random, 62));
    g_string_append_printf(text, "flags:\n  e0: { type: u%u, bits: { first: 0, third: 2 } }\n",
                           3 + (unsigned)zg_random_below(random, 62));
    random_records(random, text, enums, records);
    g_string_append(text, "messages:\n");
    for (unsigned i = 0; i < messages; i++) {
        unsigned fields = (unsigned)zg_random_below(random, 9);
        unsigned newer = fields > 0 ? (unsigned)zg_random_below(random, 3) : 0;
        bool open_ended = fields + newer > 0 && zg_random_one_in(random, 3);
        g_autofree char *told = !tagged ? g_strdup_printf("id: %u", i)
                                : zg_random_one_in(random, 2)
                                    ? g_strdup_printf("tag: \"M%u\"", i)
                                    : g_strdup_printf("tags: [[0x4D, %u, 0], 0x%X0]", i, i + 1);
        g_string_append_printf(text, "  m%u:\n    %s\n    from: %s%s\n    fields:%s\n", i, told,
                               i == 0 || zg_random_one_in(random, 3) ? "both" /* m0 answers the requests */
                               : zg_random_one_in(random, 2)         ? "device"
                                                                     : "host",
                               services && i > 0 ? deliveries[zg_random_below(random, 4)] : "", fields ? "" : " {}");
        for (unsigned k = 0; k < fields; k++)
            random_field(random, text, k, enums, records, "");
        for (unsigned k = 0; k < newer; k++)
            random_field(random, text, fields + k, enums, records, k == 0 ? ", since: 3.1" : ", since: 3.2");
        if (open_ended && zg_random_one_in(random, 4))
            random_tail(random, text, newer > 0 ? ", since: 3.2" : "");
        else if (open_ended)
            g_string_append_printf(text, "      rest: { type: \"%s[..]\"%s }\n",
                                   zg_random_one_in(random, 4)   ? "bytes"
                                   : zg_random_one_in(random, 4) ? "text"
                                   : zg_random_one_in(random, 3) ? "ascii"
                                   : zg_random_one_in(random, 2) ? "uleb32"
                                                                 : "i24",
                                   newer > 0 ? ", since: 3.2" : "");
    }
    if (services) {
        g_string_append(text, "services: [delivery, hello, variables, counters, traffic]\nvariables:\n");
        for (unsigned k = 0; k < 3; k++) { /* written as fields are, with an index */
            g_autofree char *index = g_strdup_printf(", index: %u, access: %s", 2 * k, k ? "read" : "read_write");
            random_field(random, text, 5 + k, enums, records, index);
        }
    }
    return g_string_free(text, FALSE);
}

/* Whether a definition's only fault is that it is too large. */
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
