/* SPDX-License-Identifier: MIT */
/* Stores of soaks: whatever ends the program, what was saved is there and adds up; they go on; foreign files. */
#include <sqlite3.h>
#include <string.h>
#include <sys/stat.h>

#include "processes.h"
#include "soak/ledger.h"

#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"
#define CLASSES                                                                                                        \
    "delivered + late + out_of_order + lost_out + lost_back + lost_either + lost_restart + lost_outage + unanswered "  \
    "+ cut_off"

static char *in_folder(const char *name)
{
    return g_build_filename(test_folder, name, NULL);
}

/* The first value of a query, as text; NULL if there is none. */
static char *ask(const char *file, const char *sql)
{
    sqlite3 *database;
    sqlite3_stmt *row;

    assert_int_equal(sqlite3_open_v2(file, &database, SQLITE_OPEN_READWRITE, NULL), SQLITE_OK);
    assert_int_equal(sqlite3_busy_timeout(database, 5000), SQLITE_OK); /* while it is being made */
    if (sqlite3_prepare_v2(database, sql, -1, &row, NULL) != SQLITE_OK)
        fail_msg("%s: %s", sql, sqlite3_errmsg(database));
    char *text = sqlite3_step(row) == SQLITE_ROW ? g_strdup((const char *)sqlite3_column_text(row, 0)) : NULL;
    sqlite3_finalize(row);
    sqlite3_close(database);
    return text;
}

static gint64 number(const char *file, const char *sql)
{
    g_autofree char *text = ask(file, sql);
    return text ? g_ascii_strtoll(text, NULL, 10) : -1;
}

static gint64 seconds_of(const char *file)
{
    return number(file, "SELECT count(DISTINCT at) FROM second");
}

/* What is no longer under way adds up; in the newest seconds nothing is counted twice. */
static void check_sums(const char *file)
{
    g_autofree char *intact = ask(file, "PRAGMA integrity_check");
    assert_string_equal(intact, "ok");
    assert_int_equal(number(file, "SELECT count(*) FROM second WHERE sent < " CLASSES), 0);
    assert_int_equal(number(file,
                            "SELECT count(*) FROM second WHERE flow != 'any' AND at < (SELECT max(at) FROM second)"
                            " - 2 AND sent != " CLASSES),
                     0);
}

static struct process start_soak(const char *store, const char *more)
{
    return test_start("soak " LOOM " sim: --faults ber=1e-5 --store %s %s", store, more);
}

static void await_seconds(const char *store, gint64 wanted)
{
    for (unsigned i = 0; i < 1000; i++) {
        if (g_file_test(store, G_FILE_TEST_EXISTS) && number(store, "SELECT count(*) FROM sqlite_schema") > 0 &&
            seconds_of(store) >= wanted)
            return;
        g_usleep(20000);
    }
    fail_msg("no %d seconds are stored", (int)wanted);
}

static void it_survives_being_killed(void **state)
{
    (void)state;
    for (unsigned round = 0; round < (TEST_SHARE > 1 ? 1 : 2); round++) {
        g_autofree char *name = g_strdup_printf("killed-%u.store", round), *own = in_folder(name);
        struct process soak = start_soak(own, "--for 240h");
        await_seconds(own, 100 * (gint64)round + 10);
        g_usleep(round * 123457);
        assert_int_not_equal(test_finish(&soak, SIGKILL), 0);
        const gint64 before = seconds_of(own);
        check_sums(own);
        g_autofree char *arguments = g_strdup_printf("report %s", own), *text = test_run(0, arguments);
        test_assert_in(text, "still running, or cut off");
        /* it goes on, with new numbers, seconds and faults; then it is complete */
        g_autofree char *more =
            g_strdup_printf("--for %" G_GINT64_FORMAT "s --continue --require \"lost <= 1e-2\"", before + 100);
        struct process second = start_soak(own, more);
        assert_int_equal(test_finish(&second, 0), 0);
        test_assert_in(second.text->str, "in 2 parts");
        test_assert_in(second.text->str, "at any time");
        check_sums(own);
        assert_in_range(seconds_of(own), before + 99, before + 103);
        assert_int_equal(number(own, "SELECT count(*) FROM run"), 1);
        struct process third = start_soak(own, more);
        assert_int_equal(test_finish(&third, 0), 1);
        test_assert_in(third.errors->str, "this run has");
        test_clear(&soak);
        test_clear(&second);
        test_clear(&third);
    }
}

/* The stored seconds of a whole run are the report's sums. */
static void it_holds_what_the_report_says(void **state)
{
    g_autofree char *store = in_folder("whole.store");
    g_autofree char *arguments = g_strdup_printf(
        "soak " LOOM " sim: --for 30s --faults \"ber=1e-4,swap=0.01,stray=0.01\" --json --store %s", store);
    g_autofree char *json = test_run(0, arguments);
    (void)state;
    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        const char *key = zg_class_key((enum zg_class)i);
        g_autofree char *stored = g_strdup_printf("SELECT sum(%s) FROM second", key);
        const char *in = i < ZG_CLASS_REPEATED ? "sent" : "arrived";
        g_autofree char *reported = g_strdup_printf("SELECT sum(json_extract(value, '$.%s')) FROM run, "
                                                    "json_each(result, '$.%s')",
                                                    key, in);
        assert_int_equal(number(store, stored), number(store, reported));
    }
    assert_true(number(store, "SELECT sum(out_of_order) FROM second") > 10);
    assert_int_equal(number(store, "SELECT count(*) FROM stretch"), number(store, "SELECT sum(damages) FROM second"));
    assert_int_equal(number(store, "SELECT count(*) FROM stretch WHERE sent IS NULL OR arrived IS NULL"), 0);
    assert_int_equal(number(store, "SELECT result = json(result) OR json_valid(result) FROM run"), 1);
    g_autofree char *again = g_strdup_printf("report %s --json", store), *report = test_run(0, again);
    const char *ours = strstr(json, "\"sent\": {"), *theirs = strstr(report, "\"sent\": {");
    const char *ours_end = strstr(ours, "\"stream_back\""), *theirs_end = strstr(theirs, "\"stream_back\"");
    assert_int_equal(ours_end - ours, theirs_end - theirs);
    assert_memory_equal(ours, theirs, (size_t)(ours_end - ours));
    g_autofree char *few =
        g_strdup_printf("soak " LOOM " sim: --for 100s --faults ber=1e-4 --stretches 100 --store %s", store);
    g_free(test_run(0, few));
    assert_in_range(number(store, "SELECT count(*) FROM stretch WHERE run = 2 AND sent IS NOT NULL"), 100, 700);
    assert_true(number(store, "SELECT count(*) FROM stretch WHERE run = 2") > 1000);
    g_autofree char *table = g_strdup_printf("report %s --run 1 --csv second", store), *rows = test_run(0, table);
    assert_int_equal(test_lines_with(rows, "\r") - 1, number(store, "SELECT count(*) FROM second WHERE run = 1"));
}

static void marks_and_events_are_kept(void **state)
{
    g_autofree char *store = in_folder("marks.store"), *table = in_folder("heat.csv"), *told = in_folder("told");
    g_autofree char *arguments =
        g_strdup_printf("soak " LOOM " sim: --for 10s --faults drop=1e-4 --marks %s --on-event "
                        "'echo \"$1 $2\" >>%s' --store %s",
                        table, told, store);
    (void)state;
    assert_true(g_file_set_contents(table, "time,heat\n2.5,21\nnonsense\n7,30\n8,\033[31m\xff\n99,40\n", -1, NULL));
    g_autofree char *text = test_run(0, arguments);
    test_assert_in(text, "--marks: 1 lines");
    assert_int_equal(number(store, "SELECT count(*) FROM event WHERE kind = 'mark'"), 3); /* 99 s is after the end */
    assert_int_equal(number(store, "SELECT at_seconds = 2.5 AND text = 'heat=21' FROM event"), 1);
    /* 2 to 6 s at 21, 7 to 9 s at 30: what was lost is told by fifths of the range */
    g_autofree char *reporting = g_strdup_printf("report %s", store), *report = test_run(0, reporting);
    test_assert_in(report, "by heat");
    test_assert_in(report, "heat=\\033[31m"); /* nothing that controls a terminal */
    assert_null(strchr(report, '\033'));
    g_autofree char *in_json = g_strdup_printf("report %s --json", store), *json = test_run(0, in_json);
    assert_true(g_utf8_validate(json, -1, NULL));
    assert_int_equal(test_lines_with(report, "no frames"), 3);
    g_autofree char *cool = g_strdup_printf("  %-24s%13d ", "21 to 22.8", 5),
                    *hot = g_strdup_printf("  %-24s%13d ", "28.2 to 30", 3);
    test_assert_in(report, cool);
    test_assert_in(report, hot);
    g_autofree char *lines = NULL;
    assert_true(g_file_get_contents(told, &lines, NULL, NULL));
    assert_true(g_str_has_prefix(lines, "damage 0.") || g_str_has_prefix(lines, "lost 0."));
}

static void trouble_is_told_and_nothing_is_lost(void **state)
{
    g_autofree char *store = in_folder("full.store"), *text = in_folder("text"), *folder = in_folder("none/x.store");
    (void)state;
    /* a file that may not grow */
    g_autofree char *limited = g_strdup_printf("/bin/sh -c 'ulimit -f 2500; exec " TEST_ZEUGMA " soak " LOOM
                                               " sim: --for 240h --faults ber=1e-5 --store %s'",
                                               store);
    struct process soak = test_start_program(limited);
    assert_int_equal(test_finish(&soak, 0), 3);
    test_assert_in(soak.errors->str, "what was stored until then can be read");
    test_assert_in(soak.text->str, "frames sent");
    test_clear(&soak);
    assert_true(seconds_of(store) > 50);
    check_sums(store);
    /* files that are something else */
    g_autofree char *missing = g_strdup_printf("report %s", folder), *other = g_strdup_printf("report %s", text);
    g_autofree char *onto = g_strdup_printf("soak " LOOM " sim: --for 1s --store %s", text);
    test_assert_run(3, missing, "no such file");
    assert_true(g_file_set_contents(text, "This is a text that someone wants to keep.\n", -1, NULL));
    test_assert_run(3, other, "expected a store of soaks");
    test_assert_run(3, onto, "expected a store of soaks");
    g_autofree char *kept = NULL;
    assert_true(g_file_get_contents(text, &kept, NULL, NULL));
    assert_string_equal(kept, "This is a text that someone wants to keep.\n");
    test_assert_run(2, "soak " LOOM " sim: --continue", "--store FILE");
}

static void one_soak_at_a_time_writes_and_many_read(void **state)
{
    g_autofree char *store = in_folder("shared.store");
    g_autofree char *second = g_strdup_printf("soak " LOOM " sim: --for 1s --store %s", store);
    g_autofree char *report = g_strdup_printf("report %s", store);
    struct process soak = start_soak(store, "--for 240h");
    (void)state;
    await_seconds(store, 10);
    test_assert_run(3, second, "another soak writes to it");
    g_autofree char *text = test_run(0, report);
    test_assert_in(text, "frames sent");
    assert_int_equal(test_finish(&soak, SIGINT), 0);
    test_clear(&soak);
    g_autofree char *stopped = test_run(0, report);
    test_assert_in(stopped, "stopped before its planned end");
    g_free(test_run(0, second));
    g_autofree char *first = g_strdup_printf("report %s --run 1 --csv run", store);
    g_autofree char *row = test_run(0, first);
    test_assert_in(row, "\r\n1,");
    g_autofree char *none = g_strdup_printf("report %s --run 3", store);
    test_assert_run(3, none, "no run 3");
}

/* Each query of the page gives rows in the shell that users have. */
static void the_queries_of_the_page_work(void **state)
{
    g_autofree char *store = in_folder("page.store"), *table = in_folder("page.csv"), *page = NULL;
    g_autofree char *arguments =
        g_strdup_printf("soak " LOOM " sim: --for 20s --faults ber=1e-4 --marks %s --store %s", table, store);
    unsigned count = 0;
    (void)state;
    assert_true(g_file_set_contents(table, "5,door open\n", -1, NULL));
    g_free(test_run(0, arguments));
    assert_true(g_file_get_contents(TEST_SOURCE "/docs/store.md", &page, NULL, NULL));
    g_auto(GStrv) parts = g_strsplit(page, "```sql\n", -1);
    for (char **part = parts + 1; *part; part++, count++) {
        *strstr(*part, "```") = '\0';
        g_autofree char *quoted = g_shell_quote(*part);
        g_autofree char *command = g_strdup_printf("sqlite3 -bail %s %s", store, quoted);
        struct process shell = test_start_program(command);
        assert_int_equal(test_finish(&shell, 0), 0);
        assert_true(shell.text->len > 0);
        test_clear(&shell);
    }
    assert_int_equal(count, 6);
}

/* Each stretch with damage has the name of the fault that made it; a dropped byte may take a whole frame apart. */
static void damages_are_named(void **state)
{
    static const struct {
        const char *fault, *name, *told;
        unsigned most_others; /* percent: neighbours of the same value hide which byte it was */
    } rows[] = { { "ber=3e-6", "flipped", "bits flipped", 0 },
                 { "drop=5e-6", "missing", "bytes missing", 0 },
                 { "double=5e-6", "doubled", "bytes doubled", 0 },
                 { "insert=5e-6", "inserted", "bytes inserted", 5 } };
    (void)state;
    for (size_t i = 0; i<G_N_ELEMENTS(rows); i += TEST_SHARE> 1 ? 3 : 1) {
        g_autofree char *name = g_strdup_printf("names-%zu.store", i), *store = in_folder(name);
        g_autofree char *soak =
            g_strdup_printf("soak " LOOM " sim: --for 200s --faults %s --store %s", rows[i].fault, store);
        g_autofree char *others = g_strdup_printf("SELECT count(*) FROM stretch WHERE name <> '%s'", rows[i].name);
        g_autofree char *report = g_strdup_printf("report %s", store);
        test_assert_run(0, soak, "verdict: every frame");
        const int64_t all = number(store, "SELECT count(*) FROM stretch WHERE name IS NOT NULL");
        assert_int_equal(all, number(store, "SELECT count(*) FROM stretch"));
        assert_true(all > 20 && number(store, others) * 100 <= all * rows[i].most_others);
        test_assert_run(0, report, rows[i].told);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_teardown(it_survives_being_killed, test_kill_running),
        cmocka_unit_test_teardown(it_holds_what_the_report_says, test_kill_running),
        cmocka_unit_test_teardown(marks_and_events_are_kept, test_kill_running),
        cmocka_unit_test_teardown(trouble_is_told_and_nothing_is_lost, test_kill_running),
        cmocka_unit_test_teardown(one_soak_at_a_time_writes_and_many_read, test_kill_running),
        cmocka_unit_test_teardown(the_queries_of_the_page_work, test_kill_running),
        cmocka_unit_test_teardown(damages_are_named, test_kill_running),
    };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
