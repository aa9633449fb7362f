/* SPDX-License-Identifier: MIT */
/* Any text as the values of a message, as a header, as hex, as a check. */
#include <string.h>

#include "codec/from_json.h"
#include "codec/hex.h"
#include "codec/payload.h"
#include "definition/check_choice.h"
#include "fuzz.h"

static void read_values(const struct zg_plan *plan, const struct zg_plan_message *message, const char *text)
{
    struct zg_value *values = zg_values_new(&message->payload);
    struct zg_header header = { 0 };
    g_autoptr(GError) error = NULL;
    g_autoptr(GError) header_error = NULL;
    size_t ignored;

    if (zg_values_from_json(message, text, values, &error)) {
        size_t size = zg_payload_size(message, values);
        g_autofree uint8_t *payload = g_malloc(size + 1);
        zg_payload_pack(message, &header, values, payload);
        g_assert(zg_block_permits(&message->payload, values, NULL));
        g_assert(zg_payload_unpack(message, payload, size, &header, values, &ignored));
    } else {
        g_assert(error && *error->message);
    }
    g_assert(zg_header_from_json(plan, message, text, &header, &header_error) || header_error);
    zg_values_free(&message->payload, values);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    if (size < 2)
        return 0;
    const struct zg_plan *plan = fuzz_plan(data[0]);
    const struct zg_plan_message *message = zg_plan_message_at(plan, data[1] % plan->messages->len);
    g_autofree char *text = g_strndup((const char *)data + 2, size - 2);
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("x");
    struct zg_check_choice choice;

    read_values(plan, message, text);
    g_autoptr(GByteArray) bytes = zg_bytes_from_hex(text, NULL);
    g_assert(!bytes || bytes->len <= size / 2);
    g_assert(zg_check_parse(text, &choice, diagnostics) == (zg_diagnostics_errors(diagnostics) == 0));
    g_free(choice.name);
    zg_diagnostics_free(diagnostics);
    return 0;
}
