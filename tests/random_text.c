/* SPDX-License-Identifier: MIT */
#include "random_text.h"

#include <math.h>
#include <string.h>

#include "codec/frame.h"
#include "codec/text.h"
#include "random_frames.h"
#include "support.h"

enum kind { PATTERN, PAIRS, JSON };

static const char *one_of(struct zg_random *random, const char *const *words, size_t count)
{
    return words[zg_random_below(random, count)];
}

/* How a whole number is written. A width is wide enough for all of its type. */
static void number_form(struct zg_random *random, GString *text, unsigned bits, bool is_scaled)
{
    static const char *const prefixes[] = { "", ", prefix: \"0x\"", ", prefix: \"#\"" };
    static const char *const pads[] = { "", ", pad: \"0\"" };

    switch (zg_random_below(random, 7)) {
    case 0:
        g_string_append_printf(text, ", as: { base: 16%s, case: %s }", one_of(random, prefixes, 3),
                               zg_random_one_in(random, 2) ? "lower" : "upper");
        break;
    case 1: g_string_append_printf(text, ", as: { base: 2, width: %u, pad: \"0\" }", bits); break;
    case 2: g_string_append_printf(text, ", as: { width: 26%s, sign: always }", one_of(random, pads, 2)); break;
    case 3: g_string_append(text, is_scaled ? ", as: raw" : ", as: { sign: always }"); break;
    case 4:
        g_string_append_printf(text, ", as: { decimals: %u }", (unsigned)zg_random_below(random, is_scaled ? 5 : 2));
        break;
    default: break;
    }
}

static void number_field(struct zg_random *random, GString *text, enum kind kind)
{
    static const char *const scales[] = { "0.01", "0.1", "0.5", "-0.001", "25" };
    const unsigned bits = 2 + (unsigned)zg_random_below(random, 31);
    const bool is_scaled = zg_random_one_in(random, 2);
    const bool is_list = zg_random_one_in(random, 5);

    g_string_append_printf(text, "type: \"%c%u%s\"", zg_random_one_in(random, 2) ? 'u' : 'i', bits,
                           !is_list                      ? ""
                           : zg_random_one_in(random, 2) ? "[3]"
                                                         : "[..4]");
    if (is_scaled)
        g_string_append_printf(text, ", scale: %s, offset: %d", scales[zg_random_below(random, 5)],
                               (int)zg_random_below(random, 100) - 50);
    if (!is_list)
        number_form(random, text, bits, is_scaled);
    else if (kind != JSON)
        g_string_append(text, ", as: { between: \"/\" }");
}

/* Free with g_free(). */
static char *name_of(unsigned number)
{
    return number == 1 ? g_strdup("if") /* a keyword */ : g_strdup_printf("f%u", number);
}

static void field(struct zg_random *random, GString *text, unsigned number, enum kind kind)
{
    static const char *const floats[] = { "decimals: 3", "exponent: 6", "exponent: 0", "decimals: 0" };
    const bool is_text = kind != PATTERN || number == 99;

    g_autofree char *name = name_of(number);

    g_string_append_printf(text, "      %s: { ", name);
    switch (zg_random_below(random, 8)) {
    case 0:
        g_string_append_printf(text, "type: f%u, as: { %s }", zg_random_one_in(random, 2) ? 32 : 64,
                               one_of(random, floats, 4));
        break;
    case 1:
        g_string_append(text, zg_random_one_in(random, 2) ? "type: bool, as: { true: \"ON\", false: \"OFF\" }"
                                                          : "type: bool");
        break;
    case 2: g_string_append(text, zg_random_one_in(random, 3) ? "type: e1, as: number" : "type: e1"); break;
    case 3:
        g_string_append(text,
                        zg_random_one_in(random, 2) ? "type: e0" : "type: e0, as: { names: true, between: \"+\" }");
        break;
    case 4:
        g_string_append(text, zg_random_one_in(random, 2) ? "type: \"bytes[..6]\"" : "type: \"bytes[5]\", as: base64");
        break;
    case 5:
        if (is_text)
            g_string_append(text, kind == PAIRS && zg_random_one_in(random, 2)
                                      ? "type: \"text[..9]\", as: { quote: '\"' }"
                                  : zg_random_one_in(random, 2) ? "type: \"text[9]\""
                                                                : "type: \"ascii[9]\"");
        else
            g_string_append(text, zg_random_one_in(random, 2) ? "type: \"text[..9]\", as: { width: 12 }"
                                                              : "type: \"ascii[..9]\", as: { width: 12 }");
        break;
    default: number_field(random, text, kind); break;
    }
    if (zg_random_one_in(random, 4))
        g_string_append(text, ", optional: true");
    if (kind != PATTERN && zg_random_one_in(random, 4))
        g_string_append_printf(text, ", key: \"K %u\"", number);
    g_string_append(text, " }\n");
}

static void layout(struct zg_random *random, GString *text, enum kind kind, unsigned number, unsigned fields,
                   bool has_tag)
{
    static const char *const between[] = { ",", "; ", " kg ", "|", "<>" }, *const assign[] = { "=", ": ", "" };

    if (kind == JSON) {
        g_string_append(text, "    layout: json\n");
    } else if (kind == PAIRS) {
        if (has_tag)
            g_string_append_printf(text, "    tag: \"P%u \"\n", number);
        g_string_append_printf(text, "    layout: { pairs: { assign: \"%s\", between: \"%s\" } }\n",
                               one_of(random, assign, 3), between[zg_random_below(random, 2)]);
    } else {
        g_string_append_printf(text, "    layout: { pattern: \"M%u ", number);
        for (unsigned i = 0; i < fields; i++) {
            g_autofree char *name = name_of(i);
            g_string_append_printf(text, "{%s}%s", name, one_of(random, between, 5));
        }
        g_string_append(text, zg_random_one_in(random, 2) ? "{{}}\" }\n" : "\" }\n");
    }
}

static char *random_definition(struct zg_random *random)
{
    static const char *const frames[] = {
        "framing: { kind: marks, end: \"\\r\\n\" }, check: none",
        "framing: { kind: marks, end: { device: \"\\r\\n\", host: \"\\r\" }, also_end: [\"\\n\"] }, check: none",
        "framing: { kind: marks, start: \"$\", end: { device: \"\\r\\n\", host: [3] }, also_end: [[4, 4], [4, 5, 4]] "
        "}, check: "
        "{ name: crc8/smbus, as: hex }",
        "framing: { kind: marks, start: \"$\", end: \"\\r\\n\" }, check: { name: xor8, as: hex, after: \"*\" }",
        "framing: { kind: marks, end: \"\\r\\n\" }, check: { name: sum8/negated, place: after_end, covers: after_start "
        "}",
        "framing: { kind: marks, start: [2, 2], end: \"\\r\\n\" }, check: { name: crc16/modbus, as: decimal, after: "
        "\";#\" }",
        "framing: { kind: marks, start: \"!\", end: \"\\r\\n\" }, check: { name: crc16/arc, as: hex, case: lower, "
        "place: after_end, covers: all }",
        "framing: { kind: marks, end: \"\\r\\n\" }, check: { name: adler32, as: decimal, after: \"*\" }",
        "framing: { kind: marks, start: \"$\", end: \"\\r\\n\", ignore: [0x11, 0] }, check: { name: xor8, as: hex }",
        "framing: { kind: marks, end: \"\\r\\n\", also_end: [\"\\n\"], ignore: [0x11, 0] }, check: none",
        "framing: { kind: marks, start: \":\", end: { device: \"\\r\\n\", host: \"\\n\" } }, coding: HEX, check: "
        "sum8/negated",
    };
    GString *text = g_string_new("zeugma: 1\nprotocol: random\nversion: 1.3\n");

    g_string_append_printf(text, "frame: { %s, max_payload: 2000 }\n", one_of(random, frames, G_N_ELEMENTS(frames)));
    g_string_append(text, "enums:\n  e1: { type: u9, values: { zero: 0, one: { value: 1, text: \"Un\" }, five: 5 } }\n"
                          "flags:\n  e0: { type: u7, bits: { first: 0, third: { value: 2, text: \"3rd\" } } }\n"
                          "records:\n  r0: { x: { type: i16, scale: 0.1 }, y: { type: bool, key: yes } }\n"
                          "messages:\n");
    const unsigned messages = 1 + (unsigned)zg_random_below(random, 4);

    for (unsigned i = 0; i < messages; i++) {
        const enum kind kind = (enum kind)zg_random_below(random, JSON + 1);
        const unsigned fields = (unsigned)zg_random_below(random, 6);
        g_string_append_printf(text, "  m%u:\n    from: device\n", i);
        const bool has_tag = kind != JSON && (kind == PATTERN || zg_random_one_in(random, 2));
        layout(random, text, kind, i, fields, has_tag);
        g_string_append(text, !has_tag || fields > 0 ? "    fields:\n" : "    fields: {}\n");
        if (!has_tag)
            g_string_append_printf(text, "      what: { const: \"m%u\" }\n      version: { const: %u }\n", i, i);
        for (unsigned k = 0; k < fields; k++)
            field(random, text, k, kind);
        if (kind == JSON && zg_random_one_in(random, 2))
            g_string_append(text, "      rest: { type: \"r0[..3]\" }\n");
    }
    if (!strstr(text->str, "as: decimal") &&
        !strstr(text->str, "ignore")) /* of one size, so it may hold the end mark */
        g_string_append(text, "  binary:\n    from: device\n    tag: [0xB0, 0xB1]\n    fields: { any: \"u8[5]\" }\n");
    if (strstr(text->str, "start: ") && zg_random_one_in(random, 2))
        g_string_append(text, "  ack: { from: device, bare: 0x06, fields: {} }\n"
                              "  nak: { from: device, bare: [0x10, 0x15], fields: {} }\n"
                              "  busy: { from: device, bare: [0x10, 0x16, 0x16], fields: {} }\n");
    return g_string_free(text, FALSE);
}

char *test_random_text_definition(struct zg_random *random)
{
    for (;;) {
        char *text = random_definition(random);
        struct zg_diagnostics *diagnostics = zg_diagnostics_new("random");
        struct zg_definition *definition = zg_definition_parse("random", text, strlen(text), diagnostics);
        struct zg_plan *plan = definition ? zg_plan_new(definition, diagnostics) : NULL;
        const bool sound = plan != NULL;
        for (unsigned i = 0; i < zg_diagnostics_count(diagnostics); i++)
            if (zg_diagnostics_get(diagnostics, i)->severity == ZG_SEVERITY_ERROR &&
                !strstr(zg_diagnostics_get(diagnostics, i)->message, "alike"))
                fail_msg("%s\n%s", zg_diagnostics_get(diagnostics, i)->message, text);
        zg_plan_free(plan);
        zg_definition_free(definition);
        zg_diagnostics_free(diagnostics);
        if (sound)
            return text;
        g_free(text);
    }
}

unsigned test_random_text_message(struct zg_random *random, const struct zg_plan *plan)
{
    for (;;) {
        const unsigned index = (unsigned)zg_random_below(random, plan->messages->len);
        if (zg_plan_message_at(plan, index)->text)
            return index;
    }
}

/* Numbers that can be written: finite, and below 2^64 in units of the last decimal. */
static void make_writable(struct zg_random *random, const struct zg_step *step, struct zg_value *value)
{
    if (step->record)
        test_random_text_values(random, step->record, value->items);
    if (step->type.kind != ZG_KIND_FLOAT)
        return;
    if (!isfinite(value->raw.f) || (step->field->form.decimals >= 0 && fabs(value->raw.f) > 1e12))
        value->raw.f = (double)(float)((double)zg_random_below(random, 2000000) / 7 - 1e5);
}

static void make_printable(struct zg_random *random, struct zg_value *value)
{
    for (unsigned i = 0; i < value->count; i++)
        value->bytes[i] = (uint8_t)(zg_random_one_in(random, 5) ? ' ' : 'a' + zg_random_below(random, 26));
    if (value->count > 0)
        value->bytes[value->count - 1] = 'z';
}

void test_random_text_values(struct zg_random *random, const struct zg_block *block, struct zg_value *values)
{
    test_random_values(random, block, values);
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        values[i].absent = step->field->optional && zg_random_one_in(random, 3);
        if (step->type.kind == ZG_KIND_TEXT)
            make_printable(random, &values[i]);
        else if (zg_step_is_array(step))
            for (unsigned k = 0; k < values[i].count; k++)
                make_writable(random, step, &values[i].items[k]);
        else if (!zg_step_is_string(step))
            make_writable(random, step, &values[i]);
    }
}

GString *test_damaged_text(struct zg_random *random, const GString *text)
{
    static const char letters[] = "0123456789+-.,;:=eE{}[]\"'\\ux \t\n|<>ABZ";
    static const char *const unknown[] = { " \"new\" : {\"a\":[1, {\"b\":null}], \"c\":{}} ,\n",
                                           "\"n\":[[[[[[[[0]]]]]]]],",
                                           "\"n\":[[[[[[[[[0]]]]]]]]],",
                                           "\"n\":\"\\ud83d\\ude00\\\"\",",
                                           "\"n\":\"\\ud83d\",",
                                           "\"n\":-0.5E+3,",
                                           "\"n\":[1,],",
                                           "\"n\":01," };
    GString *other = g_string_new_len(text->str, (gssize)text->len);
    const gssize at = (gssize)zg_random_below(random, other->len + 1);
    const char letter = letters[zg_random_below(random, sizeof letters)];

    switch (zg_random_below(random, 6)) {
    case 0: g_string_insert_c(other, at, letter); break;
    case 4: /* in json the same, if it is within a string */
        if (at < (gssize)other->len && g_ascii_isgraph(other->str[at]) && !strchr("\"\\", other->str[at])) {
            g_autofree char *escape = g_strdup_printf("\\u%04x", (unsigned)(uint8_t)other->str[at]);
            g_string_erase(other, at, 1);
            g_string_insert(other, at, escape);
        }
        break;
    case 5: /* in json what is not known */
        if (other->len > 0 && other->str[0] == '{')
            g_string_insert(other, 1, one_of(random, unknown, G_N_ELEMENTS(unknown)));
        break;
    case 1: g_string_truncate(other, (gsize)at); break;
    case 2: g_string_erase(other, at, at < (gssize)other->len ? 1 : 0); break;
    default:
        if (at < (gssize)other->len)
            other->str[at] = letter;
    }
    return other;
}

/* What the message without a text layout holds: mostly bytes of marks. */
static void append_binary(struct zg_random *random, GString *text)
{
    static const char bytes[] = "\r\n\r\n\003\004\004\005\004$!\002\002\xB0";

    for (unsigned i = 0; i < 5; i++)
        g_string_append_c(text, bytes[zg_random_below(random, sizeof bytes)]);
}

GByteArray *test_random_lines(struct zg_random *random, const struct zg_plan *plan, unsigned count)
{
    GByteArray *lines = g_byte_array_new();

    for (unsigned i = 0; i < count; i++) {
        const struct zg_plan_message *item =
            zg_plan_message_at(plan, (unsigned)zg_random_below(random, plan->messages->len));
        const struct zg_tag *tag = zg_plan_tag(item);
        struct zg_value *values = zg_values_new(&item->payload);
        g_autoptr(GString) text = g_string_new_len(tag ? (const char *)tag->bytes : "", tag ? tag->size : 0);
        if (item->message->bare) { /* and perhaps the first byte of another */
            g_byte_array_append(lines, tag->bytes, tag->size);
            g_byte_array_append(lines, (const uint8_t *)"\x10", zg_random_one_in(random, 4));
            zg_values_free(&item->payload, values);
            continue;
        }
        if (item->text) {
            test_random_text_values(random, &item->payload, values);
            (void)zg_text_write(item, values, text, NULL);
        } else {
            append_binary(random, text);
        }
        g_autoptr(GString) sent = zg_random_one_in(random, 2) ? test_damaged_text(random, text)
                                                              : g_string_new_len(text->str, (gssize)text->len);
        g_string_append(sent, zg_random_one_in(random, 4) ? ",new=1" : "");
        const struct zg_header header = { 0 };
        g_autoptr(GByteArray) frame =
            zg_frame_make(plan, &header, (const uint8_t *)sent->str, MIN(sent->len, plan->max_payload));
        if (zg_random_one_in(random, 6)) /* a byte is lost, or another */
            g_byte_array_remove_index(frame, (guint)zg_random_below(random, frame->len));
        if (zg_random_one_in(random, 6)) /* which leaves UTF-8 as it is: generated C passes other bytes on */
            frame->data[zg_random_below(random, frame->len)] ^= (uint8_t)(1U << zg_random_below(random, 7));
        for (guint k = 0; k < frame->len; k++) { /* where they are not ignored, these are damage */
            if (zg_random_one_in(random, plan->definition->framing.ignores > 0 ? 8 : 800))
                g_byte_array_append(lines, (const uint8_t *)"\x11", 1);
            g_byte_array_append(lines, frame->data + k, 1);
        }
        zg_values_free(&item->payload, values);
    }
    return lines;
}
