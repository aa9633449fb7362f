/* SPDX-License-Identifier: MIT */
/* Any bytes as a payload of codec/readings.yaml: generated C and the interpreter both refuse it, or write the same
 * again.
 */
#include <string.h>

#include "codec/text.h"
#include "fuzz.h"
#include "readings.h"

static int state_again(const uint8_t *in, size_t length, uint8_t *out, size_t *size)
{
    struct readings_state message;
    const int error = readings_state_unpack(&message, in, length, NULL);
    return error ? error : readings_state_pack(&message, out, READINGS_STATE_MAX_PAYLOAD, size);
}

static int line_again(const uint8_t *in, size_t length, uint8_t *out, size_t *size)
{
    struct readings_line message;
    const int error = readings_line_unpack(&message, in, length, NULL);
    return error ? error : readings_line_pack(&message, out, READINGS_LINE_MAX_PAYLOAD, size);
}

static int pairs_again(const uint8_t *in, size_t length, uint8_t *out, size_t *size)
{
    struct readings_pairs message;
    const int error = readings_pairs_unpack(&message, in, length, NULL);
    return error ? error : readings_pairs_pack(&message, out, READINGS_PAIRS_MAX_PAYLOAD, size);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static int (*const again[])(const uint8_t *in, size_t length, uint8_t *out,
                                size_t *size) = { state_again, line_again, pairs_again };
    static const char *const names[] = { "state", "line", "pairs" };
    static uint8_t out[READINGS_STATE_MAX_PAYLOAD + READINGS_LINE_MAX_PAYLOAD + READINGS_PAIRS_MAX_PAYLOAD];

    if (size < 2 || !zg_is_utf8(data, size)) /* which C passes on, and the interpreter refuses */
        return 0;
    const unsigned index = data[0] % G_N_ELEMENTS(names);
    const struct zg_plan_message *item = zg_plan_by_name(fuzz_readings_plan(), names[index]);
    struct zg_value *values = zg_values_new(&item->payload);
    const size_t length = size - 1;
    g_autofree uint8_t *in = g_memdup2(data + 1, length); /* no more than there is */
    g_autoptr(GString) text = g_string_new(NULL);
    const struct zg_tag *tag = zg_plan_tag(item);
    const size_t front = tag ? tag->size : 0;
    size_t ignored = 0, written = 0;

    const bool begins = length >= front && (front == 0 || memcmp(in, tag->bytes, front) == 0);
    const bool good = begins && zg_text_read(item, (const char *)in + front, length - front, values, &ignored) &&
                      zg_text_write(item, values, text, NULL) && !strchr(text->str, '\n') &&
                      !memchr(text->str, 0, text->len);
    const int error = again[index](in, length, out, &written);
    if (good)
        g_assert(error == 0 && written == front + text->len && memcmp(out + front, text->str, text->len) == 0);
    else
        g_assert(error != 0 || memchr(out, 0, written));
    zg_values_free(&item->payload, values);
    return 0;
}
