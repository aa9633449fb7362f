/* SPDX-License-Identifier: MIT */
/* Plots as characters: every value has its dot, lines are joined but for gaps, limits and damages have their places. */
#include "support.h"

#include <math.h>

#include "view/dots.h"

enum { COLUMNS = 40, ROWS = 8 };

static void add(GArray *points, double at_s, double value, bool after_gap)
{
    const struct zg_plot_point point = { at_s, at_s, value, value, after_gap };
    g_array_append_val(points, point);
}

/* A panel with one or two lines, from 0 to 10 s. */
static struct zg_dots draw(GArray *one, GArray *two, const GArray *limits, GArray *damages, bool unicode)
{
    g_autoptr(GArray) lines = g_array_new(FALSE, FALSE, sizeof(struct zg_plot_line));
    g_autoptr(GArray) none = g_array_new(FALSE, FALSE, sizeof(double));
    const struct zg_plot_panel panel = { lines };
    const struct zg_plot plot = { .to_s = 10, .damages = damages ? damages : none };
    const struct zg_plot_line first = { "one", NULL, one }, second = { "two", NULL, two };

    g_array_append_val(lines, first);
    if (two)
        g_array_append_val(lines, second);
    return zg_dots_draw(&plot, &panel, limits, COLUMNS, ROWS, unicode);
}

static const struct zg_dot *cell(const struct zg_dots *dots, double at_s, double value)
{
    const double share = (value - dots->least) / (dots->greatest - dots->least);
    const unsigned column = (unsigned)lround(at_s / 10 * (COLUMNS - 1)),
                   row = (unsigned)lround((1 - share) * (ROWS - 1));
    return &dots->cells[row * COLUMNS + column];
}

static unsigned used(const struct zg_dots *dots, unsigned column)
{
    unsigned count = 0;
    for (unsigned row = 0; row < ROWS; row++)
        count += dots->cells[row * COLUMNS + column].line >= 0;
    return count;
}

static void test_lines(void **state)
{
    (void)state;
    for (unsigned unicode = 0; unicode < 2; unicode++) {
        g_autoptr(GArray) wave = g_array_new(FALSE, FALSE, sizeof(struct zg_plot_point));
        g_autoptr(GArray) flat = g_array_new(FALSE, FALSE, sizeof(struct zg_plot_point));
        for (unsigned i = 0; i <= 50; i++) {
            add(wave, i / 5.0, 50 + 50 * sin(i / 5.0), i == 30); /* a gap of one interval */
            add(flat, i / 5.0, 100, false);
        }
        struct zg_dots dots = draw(wave, NULL, NULL, NULL, unicode);
        assert_true(dots.least <= 0 && dots.greatest >= 100 && dots.greatest - dots.least < 200);
        for (unsigned column = 0; column < COLUMNS; column++)
            assert_in_range(used(&dots, column), 1, ROWS);
        zg_dots_clear(&dots);
        dots = draw(wave, flat, NULL, NULL, unicode);
        assert_int_equal(cell(&dots, 5, 100)->line, 1);
        if (!unicode)
            assert_int_equal(cell(&dots, 5, 100)->sign, 'b');
        else
            assert_in_range(cell(&dots, 5, 100)->sign, 0x2801, 0x28FF);
        zg_dots_clear(&dots);
    }
}

static void test_gaps_limits_damages(void **state)
{
    g_autoptr(GArray) points = g_array_new(FALSE, FALSE, sizeof(struct zg_plot_point));
    g_autoptr(GArray) limits = g_array_new(FALSE, FALSE, sizeof(double));
    g_autoptr(GArray) damages = g_array_new(FALSE, FALSE, sizeof(double));
    const double limit = 70, damaged_s[] = { 5, 99 };
    (void)state;
    add(points, 0, 10, false);
    add(points, 2, 10, false);
    add(points, 8, 10, true);
    add(points, 9, 10, false);
    g_array_append_val(limits, limit);
    g_array_append_vals(damages, damaged_s, 2);
    struct zg_dots dots = draw(points, NULL, limits, damages, true);
    assert_int_equal(used(&dots, COLUMNS / 20), 1);
    assert_int_equal(used(&dots, COLUMNS / 2), 0); /* nothing came there */
    assert_int_equal(used(&dots, COLUMNS * 17 / 20), 1);
    assert_true(dots.greatest >= limit);
    unsigned counts[2] = { 0, 0 };
    for (unsigned i = 0; i < COLUMNS * ROWS; i++) {
        counts[0] += dots.cells[i].line == ZG_DOT_LIMIT;
        counts[1] += dots.cells[i].line == ZG_DOT_DAMAGE;
    }
    assert_in_range(counts[0], COLUMNS - 1, COLUMNS); /* but for the damage, if that is in its row */
    assert_int_equal(counts[1], 1);
    zg_dots_clear(&dots);
    g_array_set_size(points, 0);
    dots = draw(points, NULL, NULL, NULL, true); /* nothing at all */
    assert_true(dots.least < dots.greatest && used(&dots, 3) == 0);
    zg_dots_clear(&dots);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_lines), cmocka_unit_test(test_gaps_limits_damages) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
