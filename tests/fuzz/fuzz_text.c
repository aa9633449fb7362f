/* SPDX-License-Identifier: MIT */
/* Any bytes as a payload in any text layout: what is read, and can be written, is read again as the same; of the rest
 * it is said why. */
#include <string.h>

#include "codec/text.h"
#include "fuzz.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    if (size < 2)
        return 0;
    const struct zg_plan *plan = fuzz_text_plan(data[0]);
    const struct zg_plan_message *item = zg_plan_message_at(plan, data[1] % plan->messages->len);
    if (!item->text)
        return 0;
    struct zg_value *values = zg_values_new(&item->payload), *again = zg_values_new(&item->payload);
    g_autofree char *text = g_memdup2(data + 2, size - 2); /* no more than there is */
    g_autoptr(GString) written = g_string_new(NULL), rewritten = g_string_new(NULL);
    size_t ignored = 0, none = 0, at = 0;

    const bool good = zg_text_read(item, text, size - 2, values, &ignored);
    g_autofree char *fault = zg_text_fault(item, text, size - 2, 0, &at);
    g_assert(good == !fault && at <= size - 2);
    if (good && zg_text_write(item, values, written, NULL)) {
        g_assert(written->len <= item->text->most + item->text->skipped);
        g_assert(zg_text_read(item, written->str, written->len, again, &none) && none == 0);
        g_assert(zg_text_write(item, again, rewritten, NULL) && g_string_equal(written, rewritten));
    }
    zg_values_free(&item->payload, values);
    zg_values_free(&item->payload, again);
    return 0;
}
