/* SPDX-License-Identifier: MIT */
/* PROTOCOL_line.h: what the board's UART is to be set to, checked at compile time. */
#include <math.h>

#include "analysis/timing.h"
#include "generate/c/c.h"

static void print_format(const struct zgi_c *c, GString *text)
{
    const struct zg_line *line = &c->plan->definition->line;

    g_string_append_printf(text,
                           "#define %s_LINE_DATA_BITS %u\n#define %s_LINE_PARITY '%c' /* N E O M S */\n"
                           "#define %s_LINE_HALF_STOPS %u /* stop bits, doubled */\n"
                           "#define %s_LINE_MSB_FIRST %d\n#define %s_LINE_IDLE_LOW %d\n",
                           c->upper, line->data_bits, c->upper, line->parity, c->upper, line->half_stops, c->upper,
                           line->msb_first, c->upper, line->idle_low);
    g_string_append_printf(text, "#define %s_LINE_STOP_OPPOSITE %d /* stop bits are not at the idle level */\n",
                           c->upper, line->stop_opposite);
    if (line->carrier_hz > 0)
        g_string_append_printf(text, "#define %s_LINE_CARRIER_HZ %.0fUL\n", c->upper, line->carrier_hz);
}

static void print_pair(const struct zgi_c *c, GString *text)
{
    const struct zg_line *line = &c->plan->definition->line;
    const double clocks = (double)line->pair.byte_gap_ns * 1e-9 * (double)line->baud;

    g_string_append_printf(
        text,
        "#define %s_LINE_SAMPLES_RISING %d\n#define %s_LINE_LSB_FIRST %d\n"
        "#define %s_LINE_IDLE_HIGH %d\n#define %s_LINE_GAP_CLOCKS %.0f /* between bytes, at least */\n\n",
        c->upper, line->pair.samples_rising, c->upper, line->pair.lsb_first, c->upper, line->pair.idle_high, c->upper,
        ceil(clocks - 1e-9));
}

/* "RATE < LOW || RATE > HIGH": where it leaves less than a margin. Free with g_free(). */
static char *beyond(const struct zgi_c *c, unsigned samples, double margin)
{
    double slowest, fastest;

    if (!zg_timing_range(&c->plan->definition->line, samples, margin, &slowest, &fastest))
        return g_strdup("1");
    return g_strdup_printf("%s_LINE_RATE_PPM < %.0f || %s_LINE_RATE_PPM > %.0f", c->upper, ceil(1e6 * (1 + slowest)),
                           c->upper, floor(1e6 * (1 + fastest)));
}

static void print_limits(const struct zgi_c *c, GString *text, unsigned samples)
{
    g_autofree char *bad = beyond(c, samples, 0), *marginal = beyond(c, samples, ZG_TIMING_MARGINAL);

    g_string_append_printf(text,
                           "#%s %s_LINE_SAMPLES == %u\n#if %s\n"
                           "#error \"%s: F_CPU makes a rate at which the two ends do not read each other\"\n"
                           "#elif %s\n#warning \"%s: F_CPU makes a rate that leaves under a tenth of a bit\"\n#endif\n",
                           samples == 16 ? "if" : "elif", c->upper, samples, bad, c->prefix, marginal, c->prefix);
}

static void print_divisor(const struct zgi_c *c, GString *text)
{
    const struct zg_clock *clock = &c->plan->definition->line.clock;
    const struct zg_divider divider = clock->device_hz > 0 ? clock->divider : (struct zg_divider){ 16, 0 };
    const char *u = c->upper;

    g_string_append_printf(
        text,
        "\n/* With F_CPU, the clock in hertz: the divisor of a UART with so many ticks a bit, 16 or 8, "
        "in parts of so many bits,\n * and the rate that it makes, in millionths of the one above. A register "
        "often holds the divisor less one. */\n"
        "#ifdef F_CPU\n#ifndef %s_LINE_SAMPLES\n#define %s_LINE_SAMPLES %u\n#endif\n"
        "#ifndef %s_LINE_FRACTION_BITS\n#define %s_LINE_FRACTION_BITS %u\n#endif\n",
        u, u, divider.samples, u, u, divider.fraction_bits);
    g_string_append_printf(text,
                           "#define %s_LINE_CLOCK (F_CPU << %s_LINE_FRACTION_BITS)\n"
                           "#define %s_LINE_TICKS (%s_LINE_SAMPLES * %s_LINE_BAUD)\n"
                           "#define %s_LINE_DIVISOR ((%s_LINE_CLOCK + %s_LINE_TICKS / 2) / %s_LINE_TICKS)\n",
                           u, u, u, u, u, u, u, u, u);
    g_string_append_printf(text,
                           "#if %s_LINE_DIVISOR < 1\n#error \"%s: F_CPU is too slow for this rate\"\n#else\n"
                           "#define %s_LINE_MADE ((INTMAX_C(1000000) * %s_LINE_CLOCK) / %s_LINE_DIVISOR)\n"
                           "#define %s_LINE_RATE_PPM (%s_LINE_MADE / %s_LINE_TICKS)\n",
                           u, c->prefix, u, u, u, u, u, u);
    print_limits(c, text, 16);
    print_limits(c, text, 8);
    g_string_append_printf(text, "#else\n#error \"%s_LINE_SAMPLES: expected 16 or 8\"\n#endif\n#endif\n#endif\n\n", u);
}

void zgi_c_line(const struct zgi_c *c, GString *text)
{
    const struct zg_line *line = &c->plan->definition->line;

    g_string_append_printf(text, "#include <stdint.h>\n\n#define %s_LINE_BAUD %" G_GUINT64_FORMAT "UL\n", c->upper,
                           line->baud);
    if (line->is_clocked) {
        print_pair(c, text);
        return;
    }
    print_format(c, text);
    print_divisor(c, text);
}
