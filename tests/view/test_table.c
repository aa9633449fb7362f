/* SPDX-License-Identifier: MIT */
/* The table of latest values: rows, extremes, traces and rates. */
#include "view/table.h"

#include <math.h>
#include <string.h>

#include "view.h"

static struct zg_table *table;
static uint64_t now_ns;

static void take(const struct zg_stretch *stretch, void *data)
{
    (void)data;
    zg_table_note(table, now_ns, false, stretch);
}

static const struct zg_table_row *row_of(const char *message, unsigned source)
{
    for (unsigned i = 0; i < table->rows->len; i++) {
        const struct zg_table_row *row = g_ptr_array_index(table->rows, i);
        if (strcmp(row->message->message->name, message) == 0 && row->source == source)
            return row;
    }
    return NULL;
}

static void test_rows(void **state)
{
    struct test_plan plan = test_plan_of(view_definition);
    struct zg_selection *selection = zg_selection_new(plan.plan);
    (void)state;
    assert_true(zg_selection_mark(selection, "t > 1000", NULL));
    table = zg_table_new(plan.plan, selection);
    for (unsigned i = 0; i < 100; i++) {
        g_autofree char *json = g_strdup_printf("{\"t\":%d,\"lid\":\"shut\"}", (int)i * 15 - 20);
        now_ns = i * UINT64_C(100000000);
        if (i < 88) /* outside its range nothing is sent */
            view_show(plan.plan, "heat", json, 3, take, NULL);
        if (i % 10 == 0)
            view_show(plan.plan, "heat", "{\"t\":1,\"lid\":\"open\"}", 9, take, NULL);
        if (i % 50 == 0)
            view_show(plan.plan, "fan", "{\"rpm\":7,\"t\":1,\"note\":\"on\"}", 3, take, NULL);
    }
    const struct zg_table_row *hot = row_of("heat", 3), *other = row_of("heat", 9), *fan = row_of("fan", 3);
    assert_int_equal(hot->count, 88);
    assert_int_equal(other->count, 10);
    assert_true(hot->at_ns == UINT64_C(8700000000));
    const struct zg_table_field *t = &g_array_index(hot->fields, struct zg_table_field, 0);
    assert_string_equal(t->text->str, "1285");
    assert_true(t->is_number && t->marked);
    assert_true(fabs(t->least + 20) < 1e-9 && fabs(t->greatest - 1285) < 1e-9);
    assert_int_equal(t->samples, 88);
    assert_true(fabs(t->trace[87 % ZG_TRACE] - 1285) < 1e-9 && fabs(t->trace[86 % ZG_TRACE] - 1270) < 1e-9);
    assert_string_equal(g_array_index(other->fields, struct zg_table_field, 1).text->str, "open");
    assert_false(g_array_index(fan->fields, struct zg_table_field, 2).is_number);
    /* ten a second, one, none for long */
    assert_true(fabs(zg_table_rate(hot, UINT64_C(8700000000)) - 10) < 0.1);
    assert_true(fabs(zg_table_rate(other, now_ns) - 1) < 0.11);
    assert_true(zg_table_rate(hot, UINT64_C(90000000000)) < 1e-9);
    zg_table_begin_anew(table);
    assert_int_equal(t->samples, 0);
    now_ns += 1;
    view_show(plan.plan, "heat", "{\"t\":30,\"lid\":\"shut\"}", 3, take, NULL);
    assert_true(fabs(t->least - 30) < 1e-9 && fabs(t->greatest - 30) < 1e-9);
    assert_int_equal(hot->count, 89);
    assert_false(t->marked);
    zg_table_free(table);
    zg_selection_free(selection);
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_rows) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
