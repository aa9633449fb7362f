/* SPDX-License-Identifier: MIT */
#include "wave/annotate.h"

#include <stdio.h>
#include <string.h>

#include "wave/output.h"
#include "wave/vector.h"

enum { NAME_MOST = 32 };

struct character {
    int64_t from_ps, to_ps;
    guint signal;
    uint8_t byte, errors;
};

struct stretch {
    int64_t from_ps, to_ps;
    guint signal;
    guint name; /* of the names */
};

struct zg_notes {
    GArray *characters, *stretches;
    GPtrArray *names;
    GHashTable *by_name;
};

struct zg_notes *zg_notes_new(void)
{
    struct zg_notes *notes = g_new0(struct zg_notes, 1);

    notes->characters = g_array_new(FALSE, FALSE, sizeof(struct character));
    notes->stretches = g_array_new(FALSE, FALSE, sizeof(struct stretch));
    notes->names = g_ptr_array_new_with_free_func(g_free);
    notes->by_name = g_hash_table_new(g_str_hash, g_str_equal);
    return notes;
}

void zg_notes_free(struct zg_notes *notes)
{
    if (!notes)
        return;
    g_array_unref(notes->characters);
    g_array_unref(notes->stretches);
    g_hash_table_unref(notes->by_name);
    g_ptr_array_unref(notes->names);
    g_free(notes);
}

static guint name_of(struct zg_notes *notes, const char *name)
{
    gpointer found;

    if (g_hash_table_lookup_extended(notes->by_name, name, NULL, &found))
        return GPOINTER_TO_UINT(found);
    g_ptr_array_add(notes->names, g_strdup(name));
    g_hash_table_insert(notes->by_name, notes->names->pdata[notes->names->len - 1],
                        GUINT_TO_POINTER(notes->names->len - 1));
    return notes->names->len - 1;
}

void zg_notes_add(struct zg_notes *notes, const struct zg_survey_event *event)
{
    if (event->character) {
        const struct character character = { event->from_ps, event->to_ps, event->signal, event->character->byte,
                                             event->character->errors };
        g_array_append_val(notes->characters, character);
        return;
    }
    const struct zg_stretch *is = event->stretch;
    const struct stretch stretch = { event->from_ps, event->to_ps, event->signal,
                                     name_of(notes, is->kind == ZG_STRETCH_FRAME     ? is->message->message->name
                                                    : is->kind == ZG_STRETCH_CONSOLE ? "console"
                                                                                     : is->why) };
    g_array_append_val(notes->stretches, stretch);
}

/* --- writing */

/* A variable on its way to the file: a wire, its characters, their errors, or its frames. */
struct variable {
    enum { WIRE, CHARACTER, ERRORS, FRAME } kind;
    guint signal;
    char id;
    struct zg_trace_reader reader;
    enum zg_trace_level level;
    guint at;        /* the note at hand, */
    bool inside;     /* whose beginning was written */
    int64_t next_ps; /* of its next change; INT64_MAX: there is none */
};

static const char levels[] = "01x"; /* by enum zg_trace_level */

/* The next note of a variable's signal from `at` on, or NULL. */
static const struct character *character_from(const struct zg_notes *notes, guint signal, guint *at)
{
    for (; *at < notes->characters->len; (*at)++)
        if (g_array_index(notes->characters, struct character, *at).signal == signal)
            return &g_array_index(notes->characters, struct character, *at);
    return NULL;
}

static const struct stretch *stretch_from(const struct zg_notes *notes, guint signal, guint *at)
{
    for (; *at < notes->stretches->len; (*at)++)
        if (g_array_index(notes->stretches, struct stretch, *at).signal == signal)
            return &g_array_index(notes->stretches, struct stretch, *at);
    return NULL;
}

static void span_of(const struct zg_notes *notes, struct variable *variable, int64_t *from_ps, int64_t *to_ps)
{
    *from_ps = *to_ps = INT64_MAX;
    if (variable->kind == FRAME) {
        const struct stretch *stretch = stretch_from(notes, variable->signal, &variable->at);
        *from_ps = stretch ? stretch->from_ps : INT64_MAX;
        *to_ps = stretch ? stretch->to_ps : INT64_MAX;
    } else {
        const struct character *character = character_from(notes, variable->signal, &variable->at);
        *from_ps = character ? character->from_ps : INT64_MAX;
        *to_ps = character ? character->to_ps : INT64_MAX;
    }
}

/* When the note behind the one at hand begins. */
static int64_t next_from(const struct zg_notes *notes, struct variable variable)
{
    int64_t from_ps, to_ps;

    variable.at++;
    span_of(notes, &variable, &from_ps, &to_ps);
    return from_ps;
}

static void find_next(const struct zg_notes *notes, struct variable *variable)
{
    int64_t from_ps, to_ps;

    if (variable->kind == WIRE) {
        if (!zg_trace_next(&variable->reader, &variable->next_ps, &variable->level))
            variable->next_ps = INT64_MAX;
        return;
    }
    span_of(notes, variable, &from_ps, &to_ps);
    variable->next_ps = variable->inside ? MIN(to_ps, next_from(notes, *variable)) : from_ps;
}

static char *value_of(const struct zg_notes *notes, const struct variable *variable)
{
    guint at = variable->at;

    if (variable->kind == FRAME)
        return zgi_vcd_text(g_ptr_array_index(notes->names, stretch_from(notes, variable->signal, &at)->name),
                            NAME_MOST);
    const struct character *character = character_from(notes, variable->signal, &at);
    if (variable->kind == CHARACTER)
        return zgi_vcd_byte(character->byte);
    g_autofree char *errors = zg_wave_errors_text(character->errors);
    return zgi_vcd_text(errors, NAME_MOST);
}

/* Writes a variable's change and finds its next one. */
static void write_change(FILE *file, const struct zg_notes *notes, struct variable *variable)
{
    if (variable->kind == WIRE) {
        (void)fprintf(file, "%c%c\n", levels[variable->level], variable->id);
    } else if (variable->inside) {
        (void)fprintf(file, "%s %c\n", variable->kind == CHARACTER ? "bx" : "b0", variable->id);
        variable->inside = false;
        variable->at++;
    } else {
        g_autofree char *value = value_of(notes, variable);
        (void)fprintf(file, "%s %c\n", value, variable->id);
        variable->inside = true;
    }
    find_next(notes, variable);
}

static void write_all(FILE *file, const struct zg_notes *notes, const struct zg_recording *recording,
                      struct variable *variables, guint count)
{
    int64_t at_ps = -1;

    for (;;) {
        struct variable *next = &variables[0];
        for (guint i = 1; i < count; i++) /* what ends first, then what begins */
            if (variables[i].next_ps < next->next_ps)
                next = &variables[i];
        if (next->next_ps == INT64_MAX)
            break;
        if (next->next_ps != at_ps)
            (void)fprintf(file, "#%" G_GINT64_FORMAT "\n", next->next_ps);
        at_ps = next->next_ps;
        write_change(file, notes, next);
    }
    (void)fprintf(file, "#%" G_GINT64_FORMAT "\n", MAX(recording->end_ps, at_ps));
}

/* A name as one word. Free with g_free(). */
static char *word_of(const struct zg_trace *trace)
{
    char *word = g_strdup(*trace->name ? trace->name : "unnamed");

    for (char *at = word; *at; at++)
        if (*at <= ' ' || *at > '~' || (*at == '$' && at == word))
            *at = '_';
    return word;
}

static void write_header(FILE *file, const struct zg_recording *recording, struct variable *variables, guint count)
{
    static const char *const names[] = { "", "character", "errors", "frame" };
    static const unsigned widths[] = { 1, 8, 8 * NAME_MOST, 8 * NAME_MOST };

    if (recording->start)
        (void)fprintf(file, "$date %s $end\n", recording->start);
    (void)fputs("$timescale 1 ps $end\n", file);
    for (guint i = 0; i < count; i++) {
        const struct variable *variable = &variables[i];
        const struct zg_trace *trace = recording->traces->pdata[variable->signal];
        g_autofree char *name = word_of(trace);
        if (variable->kind == WIRE)
            (void)fprintf(file, "%s$scope module signal_%u $end\n$var wire 1 %c %s $end\n",
                          i > 0 ? "$upscope $end\n" : "", variable->signal + 1, variable->id, name);
        else
            (void)fprintf(file, "$var reg %u %c %s [%u:0] $end\n", widths[variable->kind], variable->id,
                          names[variable->kind], widths[variable->kind] - 1);
    }
    (void)fputs("$upscope $end\n$enddefinitions $end\n#0\n", file);
    for (guint i = 0; i < count; i++) {
        const struct variable *variable = &variables[i];
        const struct zg_trace *trace = recording->traces->pdata[variable->signal];
        if (variable->kind == WIRE)
            (void)fprintf(file, "%c%c\n", levels[trace->first], variable->id);
        else
            (void)fprintf(file, "%s %c\n", variable->kind == CHARACTER ? "bx" : "b0", variable->id);
    }
}

bool zg_notes_write(const struct zg_notes *notes, const struct zg_recording *recording, const char *path,
                    GError **error)
{
    const guint count = 4 * recording->traces->len;
    g_autofree struct variable *variables = g_new0(struct variable, count);
    struct zg_output output;

    if (!zg_output_begin(&output, path, error))
        return false;
    for (guint i = 0; i < count; i++) {
        const struct zg_trace *trace = recording->traces->pdata[i / 4];
        variables[i] = (struct variable){ .kind = i % 4, .signal = i / 4, .id = (char)('!' + i) };
        variables[i].reader = zg_trace_read(trace);
        find_next(notes, &variables[i]);
    }
    write_header(output.file, recording, variables, count);
    write_all(output.file, notes, recording, variables, count);
    return zg_output_end(&output, true, error);
}
