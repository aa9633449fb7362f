/* SPDX-License-Identifier: MIT */
/* Which message a frame is, where both sides use the same ids or tags, as one sees it who hears both. */
#include <string.h>

#include "codec/choice.h"
#include "codec/frame.h"
#include "codec/hex.h"
#include "support.h"

/* Both sides use ids 3 and 6, as on buses where an answer repeats the request's code; replies name what answers. */
static const char bus[] = "zeugma: 1\nprotocol: bus\nversion: 1.0\n"
                          "frame: { framing: cobs, header: [id: u8], check: crc16/modbus, max_payload: 60 }\n"
                          "messages:\n"
                          "  read: { id: 3, from: host, fields: { first: u16, count: { type: u16, range: [1, 9] } } }\n"
                          "  values: { id: 3, from: device, fields: { values: \"u16[..4]\" } }\n"
                          "  write: { id: 6, from: host, fields: { at: u16, value: u16 } }\n"
                          "  written: { id: 6, from: device, fields: { at: u16, value: u16 } }\n"
                          "  note: { id: 7, from: both, fields: { code: u8 } }\n";

static const char panel[] = "zeugma: 1\nprotocol: panel\nversion: 1.0\n"
                            "frame: { framing: slip, check: crc16/modbus, max_payload: 60 }\n"
                            "messages:\n"
                            "  get: { tag: \"G\", from: host, fields: {} }\n"
                            "  gone: { tag: \"G\", from: device, fields: { since: u8 } }\n"
                            "  number: { from: device, fields: { value: u32 } }\n"
                            "  command: { from: host, fields: { data: \"bytes[..4]\" } }\n";

/* "NAME", or "NAME or OTHER"; "" for no known message, "NAME!" for a payload that does not fit it. */
static char *chosen(struct zg_chooser *chooser, const struct zg_plan *plan, uint32_t id, const char *hex)
{
    g_autoptr(GByteArray) payload = zg_bytes_from_hex(hex, NULL);
    g_autofree struct zg_value **values = g_new0(struct zg_value *, plan->messages->len);
    struct zg_header header = { .id = id };

    for (unsigned i = 0; i < plan->messages->len; i++)
        values[i] = zg_values_new(&zg_plan_message_at(plan, i)->payload);
    const struct zg_choice choice = zg_choose(chooser, plan, payload->data, payload->len, &header, values);
    for (unsigned i = 0; i < plan->messages->len; i++)
        zg_values_free(&zg_plan_message_at(plan, i)->payload, values[i]);
    if (choice.sound)
        zg_chooser_note(chooser, &choice);
    return g_strdup_printf("%s%s%s%s", choice.message ? choice.message->message->name : "",
                           choice.message && !choice.sound ? "!" : "", choice.also ? " or " : "",
                           choice.also ? choice.also->message->name : "");
}

static void test_choice(void **state)
{
    static const struct {
        const char *definition;
        uint32_t id;
        const char *payload, *wanted;
    } rows[] = {
        { bus, 3, "00000A00", "values" },           /* an empty list, and bytes that nobody knows, or out of range */
        { bus, 3, "01000200", "read" },             /* as values a byte would be left over */
        { bus, 3, "02000200", "read" },             /* too short for two values */
        { bus, 3, "0207000800", "values" },         /* as a request a byte would be left over */
        { bus, 3, "00", "values" },                 /* too short for a request */
        { bus, 6, "01000200", "write or written" }, /* nothing tells them apart */
        { bus, 3, "0905", "read!" },                /* fits neither: the first */
        { bus, 7, "05", "note" },                   /* of both */
        { bus, 8, "05", "" },
        { panel, 0, "47", "get" },
        { panel, 0, "4705", "gone" },       /* as the other one it would have a byte too many */
        { panel, 0, "01020304", "number" }, /* as a command it is too short for its count */
        { panel, 0, "020304", "command" },
        { panel, 0, "03010203", "number or command" },
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(rows); i++) {
        struct test_plan plan = test_plan_of(rows[i].definition);
        struct zg_chooser chooser = { .only = (enum zg_side)0 };
        g_autofree char *told = chosen(&chooser, plan.plan, rows[i].id, rows[i].payload);
        if (strcmp(told, rows[i].wanted) != 0)
            fail_msg("%s is %s, not %s", rows[i].payload, told, rows[i].wanted);
        test_plan_clear(&plan);
    }
}

/* An answer to a request that is still open is one, once. */
static void test_open_requests(void **state)
{
    static const char asked[] = "zeugma: 1\nprotocol: asked\nversion: 1.0\n"
                                "frame: { framing: cobs, header: [id: u8], check: crc16/modbus, max_payload: 60 }\n"
                                "messages:\n"
                                "  ask: { id: 1, from: host, reply: told, fields: { row: u8 } }\n"
                                "  order: { id: 2, from: host, fields: { ticket: u8, value: u8 } }\n"
                                "  told: { id: 2, from: device, fields: { value: u8 } }\n"
                                "services: [hello, delivery]\n";
    static const char *const steps[][2] = {
        { "0105", "order or told" }, { "1:0007", "ask" }, { "0105", "told or order" }, { "0105", "order or told" }
    };
    struct test_plan plan = test_plan_of(asked);
    struct zg_chooser chooser = { .only = (enum zg_side)0 };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(steps); i++) {
        const bool is_request = steps[i][0][1] == ':';
        g_autofree char *told = chosen(&chooser, plan.plan, is_request ? 1 : 2, steps[i][0] + (is_request ? 2 : 0));
        assert_string_equal(told, steps[i][1]);
    }
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_choice), cmocka_unit_test(test_open_requests) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
