/* SPDX-License-Identifier: MIT */
/* What is shown and marked, by names and rules. */
#include "view/selection.h"

#include <string.h>

#include "view.h"

/* Appends what is seen of a stretch: "heat.t! " for a field that is shown and marked. */
struct seeing {
    const struct zg_selection *selection;
    GString *text;
};

static void see(const struct zg_stretch *stretch, void *data)
{
    const struct seeing *seeing = data;

    if (!zg_selection_shows(seeing->selection, stretch))
        return;
    if (stretch->kind != ZG_STRETCH_FRAME) {
        g_string_append_printf(seeing->text, "(%s) ", stretch->why);
        return;
    }
    for (unsigned i = 0; i < stretch->message->payload.steps->len; i++)
        if (zg_selection_shows_field(seeing->selection, stretch->message, i))
            g_string_append_printf(
                seeing->text, "%s.%s%s ", stretch->message->message->name,
                zg_block_step(&stretch->message->payload, i)->name,
                zg_selection_marks(seeing->selection, stretch->message, i, &stretch->values[i]) ? "!" : "");
}

/* Two frames of two devices, and a stretch of noise, through a selection. */
static char *seen_by(const struct zg_selection *selection)
{
    struct seeing seeing = { selection, g_string_new(NULL) };

    view_show(view_plan.plan, "heat", "{\"t\":850,\"lid\":\"shut\"}", 3, see, &seeing);
    view_show(view_plan.plan, "fan", "{\"rpm\":900,\"t\":40,\"note\":\"x\"}", 4, see, &seeing);
    view_feed(view_plan.plan, (const uint8_t *)"\x05\x05\x05\x05\x00", 5, see, &seeing);
    return g_string_free(seeing.text, FALSE);
}

static void test_sound(void **state)
{
    static const struct {
        const char *shows[3];
        int64_t source;
        const char *mark, *wanted;
    } cases[] = {
        { { NULL }, -1, NULL, "heat.t heat.lid fan.rpm fan.t fan.note (malformed stuffing) " },
        { { "heat" }, -1, NULL, "heat.t heat.lid (malformed stuffing) " },
        { { "t" }, -1, NULL, "heat.t fan.t (malformed stuffing) " },
        { { "fan.rpm", "lid" }, -1, NULL, "heat.lid fan.rpm (malformed stuffing) " },
        { { NULL }, 4, NULL, "fan.rpm fan.t fan.note " },
        { { "heat" }, 4, NULL, "" },
        { { "t" }, -1, "t > 41", "heat.t! fan.t (malformed stuffing) " },
        { { "t" }, -1, "heat.t>=850", "heat.t! fan.t (malformed stuffing) " },
        { { "t" }, -1, "t <= 40", "heat.t fan.t! (malformed stuffing) " },
        { { "t" }, -1, "t != 850", "heat.t fan.t! (malformed stuffing) " },
        { { "rpm" }, -1, "rpm<900", "fan.rpm (malformed stuffing) " },
        { { "lid" }, -1, "lid = shut", "heat.lid! (malformed stuffing) " },
        { { "lid" }, -1, "lid != open", "heat.lid! (malformed stuffing) " },
        { { "lid" }, -1, "lid = 0", "heat.lid (malformed stuffing) " },
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        struct zg_selection *selection = zg_selection_new(view_plan.plan);
        unsigned shows = 0;
        for (; cases[i].shows[shows]; shows++)
            assert_true(zg_selection_show(selection, cases[i].shows[shows], NULL));
        if (cases[i].source >= 0)
            assert_true(zg_selection_source(selection, cases[i].source, NULL));
        if (cases[i].mark)
            assert_true(zg_selection_mark(selection, cases[i].mark, NULL));
        g_autofree char *seen = seen_by(selection);
        assert_string_equal(seen, cases[i].wanted);
        const bool one = shows == 1 && strcmp(cases[i].shows[0], "heat") == 0;
        assert_true(zg_selection_only(selection) == (one ? zg_plan_by_name(view_plan.plan, "heat") : NULL));
        zg_selection_free(selection);
    }
}

static void test_unsound(void **state)
{
    static const struct {
        bool (*add)(struct zg_selection *selection, const char *text, GError **error);
        const char *text, *wanted;
    } cases[] = {
        { zg_selection_show, "heet", "kiln has no message or field \"heet\"; did you mean \"heat\"?" },
        { zg_selection_show, "heat.rpm", "has no message or field \"heat.rpm\"" },
        { zg_selection_show, "", "has no message or field" },
        { zg_selection_mark, "t", "expected a field, one of > >= < <= = != and a number" },
        { zg_selection_mark, "heat > 3", "\"heat\" is a message; expected a field, such as heat.FIELD" },
        { zg_selection_mark, "t > hot", "expected a number after the comparison, found \"hot\"" },
        { zg_selection_mark, "t > ", "expected a number after the comparison, found \"\"" },
        { zg_selection_mark, "> 3", "has no message or field" },
    };
    struct zg_selection *selection = zg_selection_new(view_plan.plan);
    g_autoptr(GError) beyond = NULL;
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(GError) error = NULL;
        assert_false(cases[i].add(selection, cases[i].text, &error));
        if (!strstr(error->message, cases[i].wanted))
            fail_msg("no \"%s\" in \"%s\"", cases[i].wanted, error->message);
    }
    assert_false(zg_selection_source(selection, 16, &beyond));
    assert_non_null(strstr(beyond->message, "expected an address from 0 to 15, found 16"));
    g_autofree char *seen = seen_by(selection); /* nothing of it was taken over */
    assert_string_equal(seen, "heat.t heat.lid fan.rpm fan.t fan.note (malformed stuffing) ");
    zg_selection_free(selection);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_sound), cmocka_unit_test(test_unsound) };
    return cmocka_run_group_tests(tests, view_set_up, view_tear_down);
}
