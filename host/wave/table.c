/* SPDX-License-Identifier: MIT */
/* Tables of times and levels, as scopes and logic analysers write them. */
#include <math.h>
#include <string.h>

#include "wave/reading.h"

enum { LINE_MOST = 1 << 16, COLUMNS_MOST = 256, HEADER_LINES_MOST = 1000 };

/* How a table is written. */
struct style {
    char separator, point;
    int unit_power; /* of the times: 0 for seconds, -3 for milliseconds */
};

struct table {
    struct zgi_source source;
    const struct zg_recording_settings *settings;
    struct style style;
    char line[LINE_MOST + 1];
    bool cut; /* the line is the last, and is not ended */
    char *fields[COLUMNS_MOST];
    unsigned count;
    GPtrArray *names;   /* of the columns behind the time */
    GArray *columns;    /* of unsigned: those that are recorded */
    GArray *low, *high; /* of double: thresholds of each of these */
    int64_t first_ps, now_ps;
    bool timed;
    uint64_t rows;
};

/* The next line that is not empty. False: there is none, or with an error it is too long. */
static bool next_line(struct table *table, GError **error)
{
    size_t length;
    int c;

    do {
        length = 0;
        while ((c = zgi_next(&table->source)) != EOF && c != '\n') {
            if (length == LINE_MOST)
                return zgi_fail(&table->source, error, "a line of over %d characters", LINE_MOST);
            if (c != '\0')
                table->line[length++] = (char)c;
        }
        while (length > 0 && (table->line[length - 1] == '\r' || table->line[length - 1] == ' '))
            length--;
        table->line[length] = '\0';
    } while (length == 0 && c != EOF);
    table->cut = c == EOF && length > 0;
    return length > 0;
}

/* The number of the line that was read last. */
static void tell_line(struct table *table)
{
    table->source.line -= table->cut ? 0 : 1;
}

static void split(struct table *table)
{
    char *at = table->line;

    table->count = 0;
    while (at && table->count < COLUMNS_MOST) {
        while (*at == ' ' || (*at == '\t' && table->style.separator != '\t'))
            at++;
        table->fields[table->count++] = at;
        at = strchr(at, table->style.separator);
        if (at)
            *at++ = '\0';
    }
    for (unsigned i = 0; i < table->count; i++) {
        char *field = g_strchomp(table->fields[i]);
        const size_t length = strlen(field);
        if (length >= 2 && field[0] == '"' && field[length - 1] == '"') {
            field[length - 1] = '\0';
            table->fields[i]++;
        }
    }
}

/* --- numbers */

/* A decimal number as an integer and a power of ten. False: it is none. */
static bool read_decimal(const char *text, char point, int64_t *number, int *power)
{
    const bool negative = *text == '-';
    unsigned digits = 0;
    uint64_t value = 0;
    bool behind = false;

    text += *text == '-' || *text == '+';
    for (*power = 0; (*text >= '0' && *text <= '9') || ((*text == point || *text == '.') && !behind); text++) {
        if (*text == point || *text == '.') {
            behind = true;
            continue;
        }
        digits++;
        if (value < UINT64_C(90000000000000000)) {
            value = 10 * value + (uint64_t)(*text - '0');
            *power -= behind;
        } else
            *power += !behind;
    }
    if (digits > 0 && (*text == 'e' || *text == 'E') &&
        (g_ascii_isdigit(text[1]) || text[1] == '-' || text[1] == '+')) {
        char *end;
        const gint64 exponent = g_ascii_strtoll(text + 1, &end, 10);
        if (end == text + 1 || exponent < -400 || exponent > 400)
            return false;
        *power += (int)exponent;
        text = end;
    }
    *number = negative ? -(int64_t)value : (int64_t)value;
    return digits > 0 && *text == '\0';
}

/* A time in picoseconds; false: it is none, or beyond all that is taken. */
static bool read_time(const struct table *table, const char *text, int64_t *ps)
{
    int64_t number;
    int power;

    if (!read_decimal(text, table->style.point, &number, &power))
        return false;
    for (power += table->style.unit_power + 12; power > 0 && number != 0; power--) {
        if (number > ZGI_LATEST_PS / 10 || number < -ZGI_LATEST_PS / 10)
            return false;
        number *= 10;
    }
    if (power < -18)
        number = 0;
    for (; power < -1 && number != 0; power++)
        number /= 10;
    *ps = power == -1 ? (number + (number < 0 ? -5 : 5)) / 10 : number;
    return *ps <= ZGI_LATEST_PS && *ps >= -ZGI_LATEST_PS;
}

static bool read_value(const struct table *table, const char *text, double *value)
{
    int64_t number;
    int power;

    if (!read_decimal(text, table->style.point, &number, &power))
        return false;
    *value = (double)number * pow(10, power);
    return true;
}

/* --- how it is written */

static void find_separator(const char *line, struct style *style)
{
    style->separator = strchr(line, '\t') ? '\t' : strchr(line, ';') ? ';' : strchr(line, ',') ? ',' : ' ';
    style->point = style->separator != ',' ? ',' : '.'; /* or a point */
}

/* The unit in a heading: "Time (ms)", "time [us]", "t_ns", "seconds". */
static int unit_of(const char *heading)
{
    static const struct {
        const char *name;
        int power;
    } units[] = { { "s", 0 },   { "sec", 0 },           { "second", 0 }, { "seconds", 0 },
                  { "ms", -3 }, { "us", -6 },           { "µs", -6 },    { "microseconds", -6 },
                  { "ns", -9 }, { "milliseconds", -3 }, { "ps", -12 },   { "nanoseconds", -9 } };
    g_autofree char *lower =
        g_utf8_validate(heading, -1, NULL) ? g_utf8_strdown(heading, -1) : g_ascii_strdown(heading, -1);
    g_auto(GStrv) words = g_strsplit_set(lower, " ()[]_/.,:", -1);
    int power = 0;

    for (char **word = words; *word; word++)
        for (size_t i = 0; i < G_N_ELEMENTS(units); i++)
            if (strcmp(*word, units[i].name) == 0)
                power = units[i].power;
    return power;
}

/* Whether the line begins with a number, as it is written here. */
static bool is_data(struct table *table)
{
    g_autofree char *copy = g_strdup(table->line);
    int64_t number;
    int power;

    find_separator(table->line, &table->style);
    split(table);
    const bool good = table->count >= 2 && read_decimal(table->fields[0], table->style.point, &number, &power);
    if (!good)
        g_strlcpy(table->line, copy, sizeof table->line);
    return good;
}

/* Reads up to the first row, which is then split. The line before it is the heading. */
static bool read_heading(struct table *table, GError **error)
{
    g_autofree char *heading = NULL;

    for (unsigned i = 0; next_line(table, error); i++) {
        if (is_data(table)) {
            struct style style = table->style;
            if (heading) {
                g_auto(GStrv) words = g_strsplit(heading, (char[]){ style.separator, '\0' }, -1);
                table->style.unit_power = words[0] ? unit_of(words[0]) : 0;
                for (guint k = 1; words[0] && words[k]; k++) {
                    g_autofree char *name = g_strdup(g_strstrip(words[k]));
                    const size_t length = strlen(name);
                    const bool quoted = length >= 2 && name[0] == '"' && name[length - 1] == '"';
                    g_ptr_array_add(table->names, quoted ? g_strndup(name + 1, length - 2) : g_strdup(name));
                }
            }
            for (guint k = table->names->len + 1; k < table->count; k++)
                g_ptr_array_add(table->names, g_strdup_printf("column %u", k + 1));
            return true;
        }
        if (i == HEADER_LINES_MOST)
            break;
        g_free(heading);
        heading = g_strdup(table->line);
    }
    tell_line(table);
    return zgi_fail(&table->source, error,
                    "expected a table of times and levels, separated by commas, semicolons or tabs, or a value change "
                    "dump, which begins with $");
}

/* --- which columns */

static bool choose_columns(struct table *table, GError **error)
{
    char **wanted = table->settings->signals;

    for (char **name = wanted; name && *name; name++) {
        guint found = 0;
        while (found < table->names->len && strcmp(table->names->pdata[found], *name) != 0)
            found++;
        if (found == table->names->len)
            return zgi_unclear(table->source.path, table->names, error, "there is no column %s", *name);
        g_array_append_val(table->columns, found);
    }
    if (!wanted && table->names->len > table->settings->most)
        return zgi_unclear(table->source.path, table->names, error, "say which columns are meant, with --signal NAME");
    for (guint i = 0; !wanted && i < table->names->len; i++)
        g_array_append_val(table->columns, i);
    return true;
}

/* --- rows */

/* Takes the time of the row that is split. */
static bool take_time(struct table *table, GError **error)
{
    int64_t at_ps;

    if (!read_time(table, table->fields[0], &at_ps)) {
        tell_line(table);
        return zgi_fail(&table->source, error, "expected a time of at most 100 days, found \"%.40s\"",
                        table->fields[0]);
    }
    if (!table->timed)
        table->first_ps = at_ps;
    if (table->timed && at_ps - table->first_ps < table->now_ps) {
        tell_line(table);
        return zgi_fail(&table->source, error, "the time %.40s is before the one of the line in front",
                        table->fields[0]);
    }
    table->timed = true;
    table->rows++;
    table->now_ps = at_ps - table->first_ps;
    return true;
}

/* Whether a last line that is not ended has all of its columns, the last of them a bit, which cannot be cut. */
static bool is_whole(const struct table *table)
{
    const char *last = table->fields[table->count - 1];
    return table->count == table->names->len + 1 && (*last == '0' || *last == '1') && last[1] == '\0';
}

/* Each row, the first of which is split, with its values. False from `each`: no more. */
static bool for_rows(struct table *table, bool (*each)(struct table *table, void *data, GError **error), void *data,
                     GError **error)
{
    for (;;) {
        if (table->cut && !is_whole(table))
            return true;
        table->cut = false;
        if (table->line[0] != '#' && (!take_time(table, error) || !each(table, data, error)))
            return false;
        GError *trouble = NULL;
        if (!next_line(table, &trouble)) {
            if (trouble)
                g_propagate_error(error, trouble);
            return !trouble;
        }
        if (table->line[0] != '#')
            split(table);
    }
}

static const char *field_of(const struct table *table, guint column)
{
    const unsigned index = g_array_index(table->columns, unsigned, column) + 1;
    return index < table->count ? table->fields[index] : "";
}

static bool is_bit(const char *field)
{
    return (field[0] == '0' || field[0] == '1') && field[1] == '\0';
}

static bool is_nothing(const char *field)
{
    return field[0] == '\0' || ((field[0] | 0x20) == 'x' && !field[1]) || ((field[0] | 0x20) == 'z' && !field[1]);
}

/* The range of each column; whether any value is no bit. */
struct ranges {
    double least[COLUMNS_MOST], most[COLUMNS_MOST];
    bool analog;
};

static bool widen(struct table *table, void *data, GError **error)
{
    struct ranges *ranges = data;

    for (guint i = 0; i < table->columns->len; i++) {
        const char *field = field_of(table, i);
        double value;
        if (is_nothing(field))
            continue;
        if (!read_value(table, field, &value)) {
            tell_line(table);
            return zgi_fail(&table->source, error, "expected a level or a voltage, found \"%.40s\"", field);
        }
        ranges->analog = ranges->analog || !is_bit(field);
        ranges->least[i] = fmin(ranges->least[i], value);
        ranges->most[i] = fmax(ranges->most[i], value);
    }
    return true;
}

static bool add_levels(struct table *table, void *data, GError **error)
{
    struct zg_recording *recording = data;

    for (guint i = 0; i < table->columns->len; i++) {
        struct zg_trace *trace = recording->traces->pdata[i];
        const char *field = field_of(table, i);
        enum zg_trace_level level = ZG_LEVEL_IS_NONE;
        double value;
        if (table->low->len == 0 && is_bit(field)) {
            level = field[0] == '1' ? ZG_LEVEL_IS_HIGH : ZG_LEVEL_IS_LOW;
        } else if (!is_nothing(field)) {
            if (table->low->len == 0 || !read_value(table, field, &value)) { /* the levels are to be looked at first */
                tell_line(table);
                return zgi_fail(&table->source, error, "expected a level or a voltage, found \"%.40s\"", field);
            }
            const double low = g_array_index(table->low, double, i), high = g_array_index(table->high, double, i);
            const bool between = value >= low && value <= high && trace->begun && trace->latest != ZG_LEVEL_IS_NONE;
            level = between ? trace->latest : value > (low + high) / 2 ? ZG_LEVEL_IS_HIGH : ZG_LEVEL_IS_LOW;
        }
        zg_trace_add(trace, table->now_ps, level);
    }
    return true;
}

/* --- passes over the file */

static bool begin(struct table *table, const char *path, GError **error)
{
    g_ptr_array_set_size(table->names, 0);
    g_array_set_size(table->columns, 0);
    table->timed = table->cut = false;
    table->rows = 0;
    table->now_ps = 0;
    if (!zgi_source_open(&table->source, path, error))
        return false;
    if (read_heading(table, error) && choose_columns(table, error))
        return true;
    (void)zgi_source_close(&table->source, NULL);
    return false;
}

/* The thresholds between low and high, from what the columns hold. False, with an error: it cannot be read. */
static bool find_thresholds(struct table *table, const char *path, GError **error)
{
    const struct zg_recording_settings *settings = table->settings;
    g_autofree struct ranges *ranges = g_new0(struct ranges, 1);

    if (!begin(table, path, error))
        return false;
    for (unsigned i = 0; i < COLUMNS_MOST; i++) {
        ranges->least[i] = HUGE_VAL;
        ranges->most[i] = -HUGE_VAL;
    }
    const bool read = for_rows(table, widen, ranges, error);
    if (!zgi_source_close(&table->source, read ? error : NULL) || !read)
        return false;
    for (guint i = 0; i < table->columns->len && (ranges->analog || settings->has_threshold); i++) {
        const double range = fmax(ranges->most[i] - ranges->least[i], 0);
        const double middle = settings->has_threshold ? settings->threshold : ranges->least[i] + range / 2;
        const double width = settings->has_threshold ? settings->hysteresis : range / 10;
        const double low = middle - width / 2, high = middle + width / 2;
        g_array_append_val(table->low, low);
        g_array_append_val(table->high, high);
    }
    return true;
}

/* Whether there are many more rows than changes. */
static bool is_sampled(const struct table *table, const struct zg_recording *recording)
{
    uint64_t changes = 0;

    for (guint i = 0; i < recording->traces->len; i++)
        changes += ((const struct zg_trace *)recording->traces->pdata[i])->changes;
    return table->rows > 2 * changes + 16;
}

static bool read_levels(struct table *table, const char *path, struct zg_recording *recording, GError **error)
{
    g_ptr_array_set_size(recording->traces, 0);
    if (!begin(table, path, error))
        return false;
    for (guint i = 0; i < table->columns->len; i++) {
        const char *name = table->names->pdata[g_array_index(table->columns, unsigned, i)];
        g_ptr_array_add(recording->traces, zg_trace_new(name));
    }
    const bool read = for_rows(table, add_levels, recording, error);
    recording->end_ps = table->now_ps;
    recording->sample_ps = is_sampled(table, recording) ? table->now_ps / (int64_t)MAX(table->rows, 1) : 0;
    recording->complete = !table->cut;
    return zgi_source_close(&table->source, read ? error : NULL) && read;
}

struct zg_recording *zgi_read_table(const char *path, const struct zg_recording_settings *settings, GError **error)
{
    struct table *table = g_new0(struct table, 1);
    struct zg_recording *recording = zgi_recording_new();
    bool good;

    table->settings = settings;
    table->names = g_ptr_array_new_with_free_func(g_free);
    table->columns = g_array_new(FALSE, FALSE, sizeof(unsigned));
    table->low = g_array_new(FALSE, FALSE, sizeof(double));
    table->high = g_array_new(FALSE, FALSE, sizeof(double));
    good = !settings->has_threshold && read_levels(table, path, recording, NULL); /* if all of them are bits */
    if (!good)
        good = find_thresholds(table, path, error) && read_levels(table, path, recording, error);
    g_array_unref(table->high);
    g_array_unref(table->low);
    g_array_unref(table->columns);
    g_ptr_array_unref(table->names);
    g_free(table);
    if (!good)
        g_clear_pointer(&recording, zg_recording_free);
    return recording;
}
