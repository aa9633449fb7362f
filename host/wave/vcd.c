/* SPDX-License-Identifier: MIT */
/* Value change dumps: IEEE 1364-2005, clause 18. */
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "wave/reading.h"

enum { TOKEN_MOST = 1 << 16, VARIABLES_MOST = 1 << 20, SHORT_IDS = 1 << 16 };

/* A variable of the header. */
struct variable {
    char *path; /* with its scopes and, if it is one bit of a vector, that */
    const char *leaf;
    char *id;
    unsigned width;
    int right; /* the number of its rightmost bit */
    bool counts_down;
};

/* One bit of a variable that is recorded. */
struct recorded {
    struct zg_trace *trace;
    unsigned bit; /* from the right */
};

struct dump {
    struct zgi_source source;
    const struct zg_recording_settings *settings;
    struct zg_recording *recording;
    GPtrArray *variables, *scopes;  /* struct variable, char * */
    GHashTable *by_id;              /* GArray of struct recorded */
    GArray *by_short_id[SHORT_IDS]; /* the same, of identifiers of up to two characters */
    char token[TOKEN_MOST + 1];
    size_t length;
    bool cut; /* the last token was not followed by anything */
    double unit_ps;
    int64_t first_ps, now_ps;
    bool timed;
};

static void free_variable(void *data)
{
    struct variable *variable = data;

    g_free(variable->path);
    g_free(variable->id);
    g_free(variable);
}

static void free_recorded(void *data)
{
    g_array_unref(data);
}

static bool is_space(int c)
{
    return c == ' ' || c == '\n' || c == '\r' || c == '\t' || c == '\f' || c == '\v';
}

/* The next word. False: there is none, or with an error it is too long. A word at the end of the file that nothing
 * follows is cut off. */
static bool next_token(struct dump *dump, GError **error)
{
    int c;

    do
        c = zgi_next(&dump->source);
    while (is_space(c));
    dump->length = 0;
    while (c != EOF && !is_space(c)) {
        if (dump->length == TOKEN_MOST)
            return zgi_fail(&dump->source, error, "a word of over %d characters", TOKEN_MOST);
        dump->token[dump->length++] = (char)c;
        c = zgi_next(&dump->source);
    }
    dump->token[dump->length] = '\0';
    if (c == '\n') { /* which is of this line */
        dump->source.at--;
        dump->source.line--;
    }
    dump->cut = c == EOF && dump->length > 0;
    return dump->length > 0 && !dump->cut;
}

/* The words up to $end, with blanks between them. NULL, with an error: there is no $end. */
static char *rest_of_section(struct dump *dump, GError **error)
{
    g_autoptr(GString) text = g_string_new(NULL);

    for (;;) {
        const bool more = next_token(dump, error);
        if (strcmp(dump->token, "$end") == 0)
            return g_strdup(text->str);
        if (!more)
            break;
        g_string_append_printf(text, "%s%s", text->len > 0 ? " " : "", dump->token);
        if (text->len > TOKEN_MOST)
            break;
    }
    (void)zgi_fail(&dump->source, error, "the section is not ended by $end");
    return NULL;
}

/* --- the header */

static bool read_timescale(struct dump *dump, GError **error)
{
    static const struct {
        const char *name;
        double ps;
    } units[] = { { "s", 1e12 }, { "ms", 1e9 }, { "us", 1e6 }, { "ns", 1e3 }, { "ps", 1 }, { "fs", 1e-3 } };
    g_autofree char *text = rest_of_section(dump, error);
    char *unit = NULL;

    if (!text)
        return false;
    const double number = g_ascii_strtod(text, &unit);
    while (*unit == ' ')
        unit++;
    for (size_t i = 0; i < G_N_ELEMENTS(units); i++)
        if (strcmp(unit, units[i].name) == 0 && (number == 1 || number == 10 || number == 100)) {
            dump->unit_ps = number * units[i].ps;
            return true;
        }
    return zgi_fail(&dump->source, error, "expected a timescale of 1, 10 or 100 s, ms, us, ns, ps or fs, found \"%s\"",
                    text);
}

/* "[7:0]", "[3]"; false: it is none. */
static bool read_range(const char *text, int *left, int *right)
{
    char *end;

    if (*text++ != '[')
        return false;
    *left = *right = (int)strtol(text, &end, 10);
    if (*end == ':')
        *right = (int)strtol(end + 1, &end, 10);
    return strcmp(end, "]") == 0;
}

/* $var type width id name [range] $end */
static bool read_variable(struct dump *dump, GError **error)
{
    g_autofree char *text = rest_of_section(dump, error);
    if (!text)
        return false;
    g_auto(GStrv) words = g_strsplit(text, " ", 5);
    int left = 0, right = 0;
    guint64 width = 0;

    if (g_strv_length(words) < 4 || !g_ascii_string_to_unsigned(words[1], 10, 1, 1000000, &width, NULL))
        return zgi_fail(&dump->source, error, "expected $var TYPE WIDTH ID NAME $end, found \"%s\"", text);
    if (dump->variables->len >= VARIABLES_MOST)
        return zgi_fail(&dump->source, error, "over %d variables", VARIABLES_MOST);
    g_autofree char *range = words[4] ? g_strdup(words[4]) : NULL;
    for (char *at = range, *to = range; range; at++) { /* "[7 : 0]" */
        *to = *at;
        to += *at != ' ';
        if (*at == '\0')
            break;
    }
    const bool ranged = range && read_range(range, &left, &right);
    struct variable *variable = g_new0(struct variable, 1);
    GString *path = g_string_new(NULL);
    for (guint i = 0; i < dump->scopes->len; i++)
        g_string_append_printf(path, "%s.", (const char *)dump->scopes->pdata[i]);
    const size_t leaf = path->len;
    g_string_append(path, words[3]);
    if (ranged && width == 1)
        g_string_append(path, range);
    variable->path = g_string_free(path, FALSE);
    variable->leaf = variable->path + leaf;
    variable->id = g_strdup(words[2]);
    variable->width = (unsigned)width;
    variable->right = ranged ? right : 0;
    variable->counts_down = !ranged || left >= right;
    g_ptr_array_add(dump->variables, variable);
    return true;
}

static bool read_scope(struct dump *dump, GError **error)
{
    g_autofree char *text = rest_of_section(dump, error);
    const char *name = text ? strrchr(text, ' ') : NULL;

    if (text)
        g_ptr_array_add(dump->scopes, g_strdup(name ? name + 1 : text));
    return text != NULL;
}

static bool read_section(struct dump *dump, GError **error)
{
    if (strcmp(dump->token, "$timescale") == 0)
        return read_timescale(dump, error);
    if (strcmp(dump->token, "$var") == 0)
        return read_variable(dump, error);
    if (strcmp(dump->token, "$scope") == 0)
        return read_scope(dump, error);
    const bool is_date = strcmp(dump->token, "$date") == 0, is_up = strcmp(dump->token, "$upscope") == 0;
    if (dump->token[0] != '$')
        return zgi_fail(&dump->source, error, "expected a section such as $var or $enddefinitions, found \"%.40s\"",
                        dump->token);
    g_autofree char *text = rest_of_section(dump, error);
    if (text && is_date && *text) {
        g_free(dump->recording->start);
        dump->recording->start = g_steal_pointer(&text);
    } else if (text && is_up && dump->scopes->len > 0)
        g_ptr_array_set_size(dump->scopes, (gint)dump->scopes->len - 1);
    else
        return text != NULL;
    return true;
}

static bool read_header(struct dump *dump, GError **error)
{
    while (next_token(dump, error)) {
        if (strcmp(dump->token, "$enddefinitions") == 0) {
            g_autofree char *text = rest_of_section(dump, error);
            return text != NULL;
        }
        if (!read_section(dump, error))
            return false;
    }
    return zgi_fail(&dump->source, error, "the header ends without $enddefinitions");
}

/* --- which signals */

/* An identifier of one or two characters as a number; 0: it is longer. */
static unsigned short_id(const char *id)
{
    const unsigned first = (uint8_t)id[0], second = first != 0 ? (uint8_t)id[1] : 0;
    return first == 0 || (second != 0 && id[2] != '\0') ? 0 : first << 8 | second;
}

static void record(struct dump *dump, const struct variable *variable, unsigned bit, const char *name)
{
    GArray *list = g_hash_table_lookup(dump->by_id, variable->id);
    const struct recorded recorded = { zg_trace_new(name), bit };

    if (!list) {
        list = g_array_new(FALSE, FALSE, sizeof recorded);
        g_hash_table_insert(dump->by_id, g_strdup(variable->id), list);
        if (short_id(variable->id) != 0)
            dump->by_short_id[short_id(variable->id)] = list;
    }
    g_array_append_val(list, recorded);
    g_ptr_array_add(dump->recording->traces, recorded.trace);
}

static bool is_named(const struct variable *variable, const char *name)
{
    return strcmp(variable->path, name) == 0 || strcmp(variable->leaf, name) == 0;
}

/* The bit of a vector that a name such as bus[3] means, from the right; -1: none. */
static int bit_named(const struct variable *variable, const char *name)
{
    const char *bracket = strrchr(name, '[');
    int left, right;

    if (!bracket || !read_range(bracket, &left, &right) || left != right)
        return -1;
    g_autofree char *vector = g_strndup(name, (gsize)(bracket - name));
    const int bit = variable->counts_down ? left - variable->right : variable->right - left;
    return is_named(variable, vector) && bit >= 0 && (unsigned)bit < variable->width ? bit : -1;
}

static GPtrArray *names_of(const struct dump *dump)
{
    GPtrArray *names = g_ptr_array_new_with_free_func(g_free);

    for (guint i = 0; i < dump->variables->len; i++) {
        const struct variable *variable = dump->variables->pdata[i];
        g_ptr_array_add(names, variable->width == 1
                                   ? g_strdup(variable->path)
                                   : g_strdup_printf("%s[0..%u]", variable->path, variable->width - 1));
    }
    return names;
}

static bool find_signal(struct dump *dump, const char *name, GError **error)
{
    const struct variable *found = NULL;
    int found_bit = 0;

    for (guint i = 0; i < dump->variables->len; i++) {
        const struct variable *variable = dump->variables->pdata[i];
        const int bit = variable->width == 1 && is_named(variable, name) ? 0 : bit_named(variable, name);
        if (bit < 0)
            continue;
        if (found && strcmp(found->id, variable->id) != 0 && strcmp(variable->path, name) != 0) {
            g_autoptr(GPtrArray) names = names_of(dump);
            return zgi_unclear(dump->source.path, names, error, "several signals are called %s; give the full path",
                               name);
        }
        found = variable;
        found_bit = bit;
        if (strcmp(variable->path, name) == 0)
            break;
    }
    if (found) {
        record(dump, found, (unsigned)found_bit, name);
        return true;
    }
    g_autoptr(GPtrArray) names = names_of(dump);
    return zgi_unclear(dump->source.path, names, error, "there is no signal %s", name);
}

/* Those that are named, or all that are one wire, if they are few. */
static bool choose_signals(struct dump *dump, GError **error)
{
    g_autoptr(GHashTable) ids = g_hash_table_new(g_str_hash, g_str_equal);
    g_autoptr(GPtrArray) wires = g_ptr_array_new();

    for (char **name = dump->settings->signals; name && *name; name++)
        if (!find_signal(dump, *name, error))
            return false;
    if (dump->settings->signals)
        return true;
    for (guint i = 0; i < dump->variables->len; i++) {
        const struct variable *variable = dump->variables->pdata[i];
        if (variable->width == 1 && g_hash_table_add(ids, variable->id)) /* not its other names */
            g_ptr_array_add(wires, (void *)variable);
    }
    if (wires->len == 0 || wires->len > dump->settings->most) {
        g_autoptr(GPtrArray) names = names_of(dump);
        return zgi_unclear(dump->source.path, names, error, "say which signals are meant, with --signal NAME");
    }
    for (guint i = 0; i < wires->len; i++) {
        const struct variable *variable = wires->pdata[i];
        record(dump, variable, 0, variable->leaf);
    }
    return true;
}

/* --- the changes */

static enum zg_trace_level level_of(char value)
{
    return value == '0' ? ZG_LEVEL_IS_LOW : value == '1' ? ZG_LEVEL_IS_HIGH : ZG_LEVEL_IS_NONE;
}

static void set_bits_of(struct dump *dump, const GArray *list, const char *value, size_t width)
{
    for (guint i = 0; list && i < list->len; i++) {
        const struct recorded *recorded = &g_array_index(list, struct recorded, i);
        const char missing = value[0] == '1' || value[0] == '0' ? '0' : value[0]; /* on the left: 18.2.1 */
        zg_trace_add(recorded->trace, dump->now_ps,
                     level_of(recorded->bit < width ? value[width - 1 - recorded->bit] : missing));
    }
}

static void set_bits(struct dump *dump, const char *id, const char *value, size_t width)
{
    const unsigned number = short_id(id);
    set_bits_of(dump, number != 0 ? dump->by_short_id[number] : g_hash_table_lookup(dump->by_id, id), value, width);
}

static bool set_ticks(struct dump *dump, uint64_t ticks, GError **error)
{
    const double ps = (double)ticks * dump->unit_ps;

    if (ps > (double)ZGI_LATEST_PS)
        return zgi_fail(&dump->source, error, "the time #%" G_GUINT64_FORMAT " is over 100 days", ticks);
    const int64_t at_ps = dump->unit_ps >= 1 ? (int64_t)(ticks * (uint64_t)dump->unit_ps) : (int64_t)(ps + 0.5);
    if (!dump->timed)
        dump->first_ps = at_ps;
    if (dump->timed && at_ps - dump->first_ps < dump->now_ps)
        return zgi_fail(&dump->source, error, "the time #%" G_GUINT64_FORMAT " is before the one in front of it",
                        ticks);
    dump->timed = true;
    dump->now_ps = at_ps - dump->first_ps;
    return true;
}

static bool set_time(struct dump *dump, GError **error)
{
    uint64_t ticks = 0;
    const char *digit = dump->token + 1;

    for (; *digit >= '0' && *digit <= '9' && ticks < UINT64_MAX / 10 - 1; digit++)
        ticks = 10 * ticks + (uint64_t)(*digit - '0');
    if (*digit != '\0' || digit == dump->token + 1)
        return zgi_fail(&dump->source, error, "expected a time such as #1200, found \"%.40s\"", dump->token);
    return set_ticks(dump, ticks, error);
}

/* A vector, or a real number, whose identifier is the next word. */
static bool set_vector(struct dump *dump, GError **error)
{
    g_autofree char *value = g_strdup(dump->token + 1);
    const bool is_vector = dump->token[0] == 'b' || dump->token[0] == 'B';

    if (!next_token(dump, error))
        return dump->cut || zgi_fail(&dump->source, error, "a value without the variable whose it is");
    if (is_vector && *value)
        set_bits(dump, dump->token, value, strlen(value));
    return true;
}

static bool read_change(struct dump *dump, GError **error)
{
    const char kind = dump->token[0];

    if (kind == '#')
        return set_time(dump, error);
    if (strchr("01xXzZ", kind) && dump->length > 1) {
        set_bits(dump, dump->token + 1, dump->token, 1);
        return true;
    }
    if (strchr("bBrRsS", kind))
        return set_vector(dump, error);
    if (strcmp(dump->token, "$comment") == 0) {
        g_autofree char *text = rest_of_section(dump, error);
        return text != NULL;
    }
    return kind == '$' ||
           zgi_fail(&dump->source, error, "expected a change such as 0!, or a time, found \"%.40s\"", dump->token);
}

/* Reads what is usual, times and single bits on lines of their own, straight from the buffer, as long as whole lines of
 * it are there. Leaves everything else. */
static bool read_plain_changes(struct dump *dump, GError **error)
{
    enum { LINE = 32 };
    struct zgi_source *source = &dump->source;

    while (source->used - source->at >= LINE) {
        const char *line = (const char *)source->bytes + source->at, *at = line + 1;
        uint64_t ticks = 0;
        if (*line == '\n') { /* the end of one that was read by words */
            source->at++;
            source->line++;
            continue;
        }
        if (*line == '#') {
            for (; *at >= '0' && *at <= '9' && at < line + 18; at++)
                ticks = 10 * ticks + (uint64_t)(*at - '0');
        } else if (*line == '0' || *line == '1')
            at += at[0] > ' ' ? 1 + (at[1] > ' ') : 0;
        else
            return true;
        const size_t length = (size_t)(at - line) + 1;
        if (*at != '\n' || length < 3)
            return true;
        source->at += length;
        if (*line == '#') {
            if (!set_ticks(dump, ticks, error))
                return false;
        } else
            set_bits_of(dump, dump->by_short_id[(unsigned)(uint8_t)line[1] << 8 | (length > 3 ? (uint8_t)line[2] : 0)],
                        line, 1);
        source->line++;
    }
    return true;
}

static bool read_changes(struct dump *dump, GError **error)
{
    GError *trouble = NULL;

    while (read_plain_changes(dump, &trouble) && next_token(dump, &trouble))
        if (!read_change(dump, &trouble))
            break;
    if (trouble && feof(dump->source.file) && dump->source.at == dump->source.used) /* cut off within a section */
        g_clear_error(&trouble);
    dump->recording->complete = !dump->cut && !trouble;
    dump->recording->end_ps = dump->now_ps;
    dump->recording->sample_ps = (int64_t)dump->unit_ps;
    for (guint i = 0; i < dump->recording->traces->len; i++)
        ((struct zg_trace *)dump->recording->traces->pdata[i])->end_ps = dump->now_ps;
    if (trouble)
        g_propagate_error(error, trouble);
    return !trouble;
}

struct zg_recording *zgi_read_vcd(const char *path, const struct zg_recording_settings *settings, GError **error)
{
    struct dump *dump = g_new0(struct dump, 1);
    struct zg_recording *recording = zgi_recording_new();
    bool good = zgi_source_open(&dump->source, path, error);

    dump->settings = settings;
    dump->recording = recording;
    dump->unit_ps = 1e3;
    dump->variables = g_ptr_array_new_with_free_func(free_variable);
    dump->scopes = g_ptr_array_new_with_free_func(g_free);
    dump->by_id = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, free_recorded);
    if (good) {
        good = read_header(dump, error) && choose_signals(dump, error) && read_changes(dump, error);
        good = zgi_source_close(&dump->source, good ? error : NULL) && good;
    }
    g_hash_table_unref(dump->by_id);
    g_ptr_array_unref(dump->scopes);
    g_ptr_array_unref(dump->variables);
    g_free(dump);
    if (!good)
        g_clear_pointer(&recording, zg_recording_free);
    return recording;
}
