/* SPDX-License-Identifier: MIT */
/* How fast the line by the bit is, in bytes a second one way: sender, wire and receiver alone. Undisturbed, with a
 * pulse in about every hundredth byte, and with every sample looked at. Ratios are within one run; medians. */
#include <stdio.h>
#include <stdlib.h>

#include "measure.h"
#include "sim/bits.h"
#include "sim/random.h"

enum { BYTES = 1 << 20, RUN = 256 };

static uint64_t heard_bytes;

static void hear(void *data, const struct zg_heard *heard)
{
    (void)data;
    heard_bytes += heard->is_read;
}

/* Bytes a second. */
static double speed_of(const struct zg_bits_settings *settings, const uint8_t *bytes)
{
    const uint64_t each_ps = (uint64_t)(zg_uart_half_bits(&settings->format) * settings->sent_bit_ps / 2) + 1;
    struct zg_bits bits;

    zg_bits_init(&bits, settings, 1, 0, hear, NULL);
    const double begun = seconds();
    for (uint64_t done = 0; done < BYTES; done += RUN)
        zg_bits_send(&bits, bytes + done, RUN, (done + 1) * each_ps, each_ps, done);
    zg_bits_settle(&bits, (BYTES + 100) * each_ps);
    const double speed = BYTES / (seconds() - begun);
    zg_bits_clear(&bits);
    return speed;
}

int main(void)
{
    const double bit_ps = 1e12 / 115200;
    const struct zg_bits_settings plain = { .format = { .data_bits = 8, .parity = 'N', .half_stops = 2 },
                                            .sent_bit_ps = bit_ps,
                                            .read_bit_ps = bit_ps * 1.01,
                                            .samples = 16 };
    struct zg_bits_settings rows[3] = { plain, plain, plain };
    static const char *const names[3] = { "undisturbed", "a pulse in every 100th byte", "every level looked at" };
    double speeds[3][TURNS];
    uint8_t *bytes = malloc(BYTES);
    struct zg_random random = zg_random_seeded(1, 1);

    if (!bytes)
        abort();
    for (unsigned i = 0; i < BYTES; i++)
        bytes[i] = (uint8_t)zg_random_next(&random);
    rows[1].medium.pulses = (struct zg_spell){ 115.2, 2000 };
    rows[2].format.stop_opposite = true; /* which is never read without looking */
    for (unsigned turn = 0; turn < TURNS; turn++)
        for (unsigned i = 0; i < 3; i++)
            speeds[i][turn] = speed_of(&rows[i], bytes);
    printf("the line by the bit, one way, bytes a second\n");
    for (unsigned i = 0; i < 3; i++)
        printf("  %-28s %6.1f million\n", names[i], median(speeds[i]) * 1e-6);
    free(bytes);
    return heard_bytes == 0;
}
