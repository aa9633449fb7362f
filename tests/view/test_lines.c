/* SPDX-License-Identifier: MIT */
/* Lines of what passes, at each depth; texts in the order of their times. */
#include "view/lines.h"

#include <string.h>

#include "view.h"
#include "view/in_order.h"

struct printing {
    struct zg_lines *lines;
    enum zg_depth depth;
    GString *text;
};

static void print(const struct zg_stretch *stretch, void *data)
{
    const struct printing *printing = data;
    zg_lines_stretch(printing->lines, printing->depth, 1.5, false, stretch, printing->text);
}

static char *printed(enum zg_depth depth, bool unicode, bool coloured)
{
    struct zg_selection *selection = zg_selection_new(view_plan.plan);
    assert_true(zg_selection_mark(selection, "rpm > 1000", NULL));
    const struct zg_viewed viewed = { NULL, view_plan.plan, selection };
    struct printing printing = { zg_lines_new(&viewed, unicode, coloured), depth, g_string_new(NULL) };

    view_show(view_plan.plan, "heat", "{\"t\":850,\"lid\":\"shut\"}", 3, print, &printing);
    view_show(view_plan.plan, "fan", "{\"rpm\":900,\"t\":4,\"note\":\"a\\u001bb\"}", 3, print, &printing);
    view_show(view_plan.plan, "fan", "{\"rpm\":12000,\"t\":40,\"note\":\"\"}", 3, print, &printing);
    view_feed(view_plan.plan, (const uint8_t *)"\x05\x05\x00", 3, print, &printing);
    zg_lines_free(printing.lines);
    zg_selection_free(selection);
    return g_string_free(printing.text, FALSE);
}

/* Columns stay in place after a wide value; marks, escapes and colours. */
static void test_depths(void **state)
{
    (void)state;
    g_autofree char *values = printed(ZG_DEPTH_VALUES, false, false);
    assert_string_equal(values, "    1.500000 < heat          3 > 0   t=850 degC  lid=shut\n"
                                "    1.500000 < fan           3 > 0   rpm=900  t=4  note=\"a\\033b\"\n"
                                "    1.500000 < fan           3 > 0   rpm=12000 !  t=40  note=\"\"\n"
                                "    1.500000 < skipped 3 bytes: malformed stuffing: 05 05 00\n");
    g_autofree char *frames = printed(ZG_DEPTH_FRAMES, true, false);
    assert_non_null(strstr(frames, " \xE2\x86\x90 heat "));
    assert_non_null(strstr(frames, "t=850"));
    assert_non_null(strstr(frames, "  ["));
    g_autofree char *coloured = printed(ZG_DEPTH_VALUES, false, true);
    assert_non_null(strstr(coloured, "\033[1;31mrpm=12000 !\033[0m"));
    assert_null(strstr(coloured, "\033[1;31mrpm=900"));
    assert_non_null(strstr(coloured, "\033[33mskipped"));
    assert_null(strchr(values, '\033'));
}

static void test_raw(void **state)
{
    const uint8_t bytes[] = "\x00\t\n\r\x1b\x7f\x80\xff Az~0123456";
    struct zg_selection *selection = zg_selection_new(view_plan.plan);
    (void)state;
    for (unsigned unicode = 0; unicode < 2; unicode++) {
        const struct zg_viewed viewed = { NULL, view_plan.plan, selection };
        struct zg_lines *lines = zg_lines_new(&viewed, unicode, false);
        g_autoptr(GString) text = g_string_new(NULL);
        zg_lines_raw(lines, 0.25, true, bytes, 18, text);
        assert_string_equal(
            text->str, unicode ? "    0.250000 \xE2\x86\x92 00 09 0a 0d 1b 7f 80 ff  20 41 7a 7e 30 31 32 33  "
                                 "\xE2\x88\x85\xC2\xBB\xC2\xB6\xC2\xAB\xC2\xB7\xC2\xB7\xE2\x96\x92\xE2\x96\x88 "
                                 "Az~0123\n"
                                 "    0.250000 \xE2\x86\x92 34 35                                             45\n"
                               : "    0.250000 > 00 09 0a 0d 1b 7f 80 ff  20 41 7a 7e 30 31 32 33  _......# Az~0123\n"
                                 "    0.250000 > 34 35                                             45\n");
        zg_lines_free(lines);
    }
    zg_selection_free(selection);
}

/* Texts of the same time stay in the order of adding; what an earlier one may still precede is held. */
static void test_in_order(void **state)
{
    static const guint64 times[] = { 5, 3, 9, 3, 5, 0 };
    struct zg_in_order *texts = zg_in_order_new();
    g_autoptr(GString) taken = g_string_new(NULL);
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(times); i++) {
        const char text[] = { (char)('a' + i), '\0' };
        zg_in_order_add(texts, times[i], text, i == 5 ? 2 : 1); /* a zero byte, too */
    }
    zg_in_order_take(texts, 2, taken);
    assert_int_equal(taken->len, 2);
    g_string_truncate(taken, 0);
    zg_in_order_take(texts, 5, taken);
    assert_string_equal(taken->str, "bdae");
    zg_in_order_take(texts, 8, taken);
    assert_string_equal(taken->str, "bdae");
    zg_in_order_add(texts, 7, "x", 1);
    zg_in_order_take(texts, G_MAXUINT64, taken);
    assert_string_equal(taken->str, "bdaexc");
    zg_in_order_free(texts);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_depths), cmocka_unit_test(test_raw),
                                        cmocka_unit_test(test_in_order) };
    return cmocka_run_group_tests(tests, view_set_up, view_tear_down);
}
