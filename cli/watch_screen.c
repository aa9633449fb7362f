/* SPDX-License-Identifier: MIT */
#include "watch_screen.h"

#include <locale.h>
#include <math.h>
#include <ncurses.h>
#include <string.h>
#include <unistd.h>

#include "view/dots.h"

enum { PLAIN, HEAD, GOOD, BAD, FAINT };
enum { AXIS_WIDTH = 10, PLOT_LEAST = 3, PLOT_MOST = 14 };
enum { CONSOLE_LINES = 4, NAME_WIDTH = 22, VALUE_WIDTH = 18, UNIT_WIDTH = 7, EXTREME_WIDTH = 11, RAW_BYTES = 24 };
enum { TRACE_AT = NAME_WIDTH + VALUE_WIDTH + 3 + UNIT_WIDTH + 1 + 2 * EXTREME_WIDTH + 3 }; /* column */

bool screen_begin(void)
{
    if (!isatty(STDIN_FILENO) || !isatty(STDOUT_FILENO))
        return false;
    (void)setlocale(LC_CTYPE, "");
    if (!newterm(NULL, stdout, stdin)) /* initscr() would exit the program if it does not know the terminal */
        return false;
    (void)cbreak();
    (void)noecho();
    (void)nodelay(stdscr, TRUE);
    (void)curs_set(0);
    if (has_colors() && !g_getenv("NO_COLOR")) {
        (void)start_color();
        (void)use_default_colors();
        (void)init_pair(HEAD, COLOR_CYAN, -1);
        (void)init_pair(GOOD, COLOR_GREEN, -1);
        (void)init_pair(BAD, COLOR_RED, -1);
        (void)init_pair(FAINT, -1, -1);
    }
    return true;
}

void screen_end(void)
{
    (void)endwin();
}

int screen_key(void)
{
    return getch();
}

/* Text at a place, cut at the right edge, but never within a character. */
static void put(int row, int column, int style, const char *text)
{
    const int room = COLS - column;
    const attr_t attributes =
        (attr_t)(style == PLAIN ? 0 : (chtype)COLOR_PAIR(style)) | (attr_t)(style == HEAD || style == BAD ? A_BOLD
                                                                            : style == FAINT              ? A_DIM
                                                                                                          : A_NORMAL);

    if (row < 0 || row >= LINES || room <= 0)
        return;
    const glong length = g_utf8_strlen(text, -1);
    const char *end = length > room ? g_utf8_offset_to_pointer(text, room) : text + strlen(text);
    (void)attron(attributes);
    (void)mvaddnstr(row, column, text, (int)(end - text));
    (void)attroff(attributes);
}

static void put_format(int row, int column, int style, const char *format, ...) G_GNUC_PRINTF(4, 5);

static void put_format(int row, int column, int style, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    put(row, column, style, text);
}

/* As much of a text as fits a column. Free with g_free(). */
static char *cut(const char *text, int width)
{
    return g_utf8_strlen(text, -1) > width ? g_utf8_substring(text, 0, MAX(width, 0)) : g_strdup(text);
}

static void rule(int row, const char *title, const struct screen_view *view)
{
    (void)move(row, 0);
    for (int i = 0; i < COLS; i++)
        put(row, i, FAINT, view->unicode ? "\xE2\x94\x80" : "-");
    put_format(row, 2, HEAD, " %s ", title);
}

/* --- what is drawn of a value */

static void trace_text(const struct zg_table_field *field, int width, bool unicode, GString *text)
{
    static const char *const blocks[] = {
        "\xE2\x96\x81", "\xE2\x96\x82", "\xE2\x96\x83", "\xE2\x96\x84", "\xE2\x96\x85", "\xE2\x96\x86", "\xE2\x96\x87"
    }; /* without the full block, so that rows stay apart */
    static const char *const letters[] = { "_", ".", ",", "-", "=", "+", "*" };
    const uint64_t kept = MIN(MIN(field->samples, ZG_TRACE), (uint64_t)MAX(width, 0));
    double least = INFINITY, greatest = -INFINITY;

    for (uint64_t i = field->samples - kept; i < field->samples; i++) {
        least = MIN(least, field->trace[i % ZG_TRACE]);
        greatest = MAX(greatest, field->trace[i % ZG_TRACE]);
    }
    for (uint64_t i = field->samples - kept; i < field->samples; i++) {
        const double share = greatest > least ? (field->trace[i % ZG_TRACE] - least) / (greatest - least) : 0;
        const int level = isfinite(share) ? CLAMP((int)(share * 6.99), 0, 6) : 0;
        g_string_append(text, unicode ? blocks[level] : letters[level]);
    }
}

static void draw_field(int row, const struct zg_table_field *field, const struct screen_view *view)
{
    int column = NAME_WIDTH + VALUE_WIDTH + 3;
    const bool numbers = field->is_number && field->samples > 0 && COLS >= TRACE_AT;
    /* other values may also use the columns of a number's extremes */
    const int room = numbers ? VALUE_WIDTH : MAX(COLS - NAME_WIDTH - 3, VALUE_WIDTH);
    g_autofree char *unit = cut(field->step->field->unit ? field->step->field->unit : "", UNIT_WIDTH);
    g_autofree char *name = cut(field->step->name, NAME_WIDTH - 3), *value = cut(field->text->str, room);

    put(row, 2, PLAIN, name);
    put_format(row, NAME_WIDTH, field->marked ? BAD : PLAIN, "%*s%s", VALUE_WIDTH, value, field->marked ? " !" : "");
    if (g_utf8_strlen(value, -1) <= VALUE_WIDTH)
        put(row, column, FAINT, unit);
    if (!numbers)
        return;
    g_autoptr(GString) trace = g_string_new(NULL);
    column += UNIT_WIDTH + 1;
    put_format(row, column, PLAIN, "%*.6g", EXTREME_WIDTH, field->least);
    column += EXTREME_WIDTH + 1;
    put_format(row, column, PLAIN, "%*.6g", EXTREME_WIDTH, field->greatest);
    column += EXTREME_WIDTH + 2;
    trace_text(field, COLS - column, view->unicode, trace);
    put(row, column, GOOD, trace->str);
}

static void draw_row_head(int row, const struct zg_table_row *item, const struct screen_device *device,
                          const struct screen_view *view)
{
    const struct zg_viewed *viewed = device->watched->viewed;
    const double age = (double)(device->now_ns - MIN(device->now_ns, item->at_ns)) / 1e9;
    g_autofree char *from = viewed->plan->source_bits > 0 ? g_strdup_printf(" from %u", item->source) : g_strdup("");
    g_autofree char *name =
        g_strdup_printf("%s%s%s%s%s", viewed->name ? viewed->name : "", viewed->name ? ": " : "",
                        item->message->message->name, from, item->out ? (view->unicode ? " \xE2\x86\x92" : " >") : "");

    g_autofree char *shown = cut(name, NAME_WIDTH - 1);
    put(row, 0, HEAD, shown);
    const double per_s = zg_table_rate(item, device->now_ns);
    g_autofree char *rate = per_s > 0 ? g_strdup_printf("%.3g/s", per_s) : g_strdup("");
    put_format(row, NAME_WIDTH, PLAIN, "%8" G_GUINT64_FORMAT " time%s %10s   %.*f s ago", item->count,
               item->count == 1 ? " " : "s", rate, age < 10 ? 1 : 0, age);
}

/* The rows of a device, from `row` up to `end`. Returns the next row; `*left` counts messages that do not fit. */
static int draw_rows(int row, int end, const struct screen_device *device, const struct screen_view *view,
                     unsigned *left)
{
    const GPtrArray *rows = device->watched->table->rows;

    for (unsigned i = 0; i < rows->len; i++) {
        const struct zg_table_row *item = g_ptr_array_index(rows, i);
        if (row >= end - 1) {
            *left += rows->len - i;
            return row;
        }
        draw_row_head(row++, item, device, view);
        for (unsigned k = 0; k < item->fields->len && row < end; k++)
            draw_field(row++, &g_array_index(item->fields, struct zg_table_field, k), view);
    }
    return row;
}

/* The table, from `row` up to `end`. Says how many messages do not fit. */
static void draw_table(int row, int end, const struct screen_view *view)
{
    unsigned left = 0;

    put_format(row, NAME_WIDTH, FAINT, "%*s", VALUE_WIDTH, "value");
    if (COLS >= TRACE_AT)
        put_format(row, NAME_WIDTH + VALUE_WIDTH + UNIT_WIDTH + 4, FAINT, "%*s %*s  trace", EXTREME_WIDTH, "least",
                   EXTREME_WIDTH, "greatest");
    const int first = ++row;
    for (unsigned i = 0; i < view->count; i++)
        row = draw_rows(row, end, &view->devices[i], view, &left);
    if (left > 0) {
        const int last = MIN(row, end - 1); /* in place of a field, if there is one */
        (void)move(last, 0);
        (void)clrtoeol();
        put_format(last, 0, BAD, "and %u more messages: enlarge the window, or use --show", left);
    } else if (row == first) {
        put(row, 0, FAINT, "no message yet");
    }
}

/* The newest lines that there is room for. */
static void draw_lines(int row, int end, const GQueue *lines)
{
    const guint room = (guint)MAX(end - row, 0);
    const GList *at = lines->head;

    for (guint skip = lines->length > room ? lines->length - room : 0; skip > 0 && at; skip--)
        at = at->next;
    for (; at && row < end; at = at->next)
        put(row++, 0, PLAIN, at->data);
}

/* The newest of what happened to any device. */
static const struct zg_watched_event *newest_event(const struct screen_view *view)
{
    const struct zg_watched_event *newest = NULL;

    for (unsigned i = 0; i < view->count; i++) {
        const struct zg_watched_event *event = g_queue_peek_tail((GQueue *)&view->devices[i].watched->events);
        if (event && (!newest || event->at_ns >= newest->at_ns))
            newest = event;
    }
    return newest;
}

/* What a device is, where, and whether it is heard. */
static void draw_head(int row, const struct screen_device *device)
{
    const struct zg_viewed *viewed = device->watched->viewed;
    const struct zg_definition *definition = viewed->plan->definition;
    const enum zg_watched_state state = zg_watched_state(device->watched, device->up, device->now_ns);
    const int left = MAX(COLS - 20, 0); /* the rest is for the state */
    g_autofree char *baud = device->baud > 0 ? g_strdup_printf("   %lu baud", device->baud) : g_strdup("");
    g_autofree char *head = g_strdup_printf("%s %u.%u", viewed->name ? viewed->name : definition->protocol,
                                            definition->major, definition->minor);
    g_autofree char *where = g_strdup_printf("%s%s", device->link, baud);
    g_autofree char *shown_head = cut(head, left), *shown_where = cut(where, left - (int)g_utf8_strlen(head, -1) - 3);

    put(row, 0, HEAD, shown_head);
    put(row, (int)g_utf8_strlen(head, -1) + 3, PLAIN, shown_where);
    put(row, COLS > 20 ? COLS - 19 : 0, state == ZG_WATCHED_UP ? GOOD : BAD, zg_watched_state_text(state));
}

static void draw_counters(int row, const struct screen_device *device, const char *indent)
{
    const struct zg_watched *watched = device->watched;
    const struct zg_counters *c = device->counters;
    g_autoptr(GString) line = g_string_new(indent);

    g_string_append_printf(line,
                           "%" G_GUINT64_FORMAT " frames  %.4g/s  %.4g bytes/s   lost %u  repeated %u  late %u   "
                           "failed %u  noise %u bytes",
                           watched->frames, watched->recent.frames_per_s, watched->recent.bytes_per_s, c->lost,
                           c->repeated, c->late, zg_counters_failed(c), c->bytes_noise);
    if (device->line)
        g_string_append_printf(line, "   line: framing %u parity %u overrun %u break %u", device->line->framing,
                               device->line->parity, device->line->overrun, device->line->breaks);
    put(row, 0, PLAIN, line->str);
}

/* The devices, two rows each, and what happened last. */
static void draw_state(const struct screen_view *view)
{
    const struct zg_watched_event *newest = newest_event(view);
    int row = 0;

    for (unsigned i = 0; i < view->count; i++) {
        draw_head(row++, &view->devices[i]);
        draw_counters(row++, &view->devices[i], view->count > 1 ? "  " : "");
    }
    if (newest)
        put_format(row, 0, PLAIN, "%s %s", view->unicode ? "\xE2\x96\xB8" : "*", newest->text);
}

static void draw_newest(int row, const struct screen_view *view)
{
    g_autoptr(GString) line = g_string_new(NULL);
    const GByteArray *newest = view->devices[view->looked].watched->recent.newest;
    const guint count = MIN(newest->len, (guint)RAW_BYTES);
    const uint8_t *bytes = newest->data + newest->len - count;

    for (guint i = 0; i < count; i++)
        g_string_append_printf(line, "%02x ", bytes[i]);
    g_string_append_printf(line, "%*s", (int)(3 * (RAW_BYTES - count) + 1), "");
    for (guint i = 0; i < count; i++)
        g_string_append(line, zg_byte_sign(bytes[i], view->unicode));
    put(row, 0, PLAIN, line->str);
}

/* --- plots */

static void draw_dots(int row, const struct zg_dots *dots)
{
    for (unsigned y = 0; y < dots->rows; y++)
        for (unsigned x = 0; x < dots->columns; x++) {
            const struct zg_dot *dot = &dots->cells[y * dots->columns + x];
            char text[8] = "";
            if (dot->line == ZG_DOT_NONE)
                continue;
            text[g_unichar_to_utf8(dot->sign, text)] = '\0';
            put(row + (int)y, AXIS_WIDTH + (int)x,
                dot->line == ZG_DOT_DAMAGE  ? BAD
                : dot->line == ZG_DOT_LIMIT ? FAINT
                : dot->line % 2 == 0        ? GOOD
                                            : HEAD,
                text);
        }
}

/* Names and units; without Unicode with the letters that stand for the lines. */
static void draw_names(int row, const struct zg_plot_panel *panel, const struct screen_view *view)
{
    int column = AXIS_WIDTH;

    for (guint i = 0; i < panel->lines->len; i++) {
        const struct zg_plot_line *line = &g_array_index(panel->lines, struct zg_plot_line, i);
        g_autofree char *text =
            view->unicode ? g_strdup_printf("%s%s%s", line->name, line->unit ? ", " : "", line->unit ? line->unit : "")
                          : g_strdup_printf("%c %s%s%s", zg_dots_letter(i), line->name, line->unit ? ", " : "",
                                            line->unit ? line->unit : "");
        put(row, column, i % 2 == 0 ? GOOD : HEAD, text);
        column += (int)g_utf8_strlen(text, -1) + 3;
    }
    if (panel->lines->len == 0)
        put(row, column, FAINT, "no value yet");
}

/* Panels of this height each, with their names, from a row on; then the time. */
static void draw_plots(int row, int height, const struct screen_view *view)
{
    struct zg_plot plot = { .to_s = (double)view->until_ns * 1e-9 };

    plot.from_s = plot.to_s - (double)view->span_ns * 1e-9;
    zg_plotted_draw(view->plotted, (guint)MAX(2 * COLS, 2), &plot);
    for (guint i = view->first_panel; i < view->first_panel + view->panels; i++, row += height + 1) {
        const struct zg_plot_panel *panel = &g_array_index(plot.panels, struct zg_plot_panel, i);
        g_autoptr(GArray) limits = zg_plotted_limits(view->plotted, i);
        struct zg_dots dots = zg_dots_draw(&plot, panel, limits, (unsigned)MAX(COLS - AXIS_WIDTH - 1, 2),
                                           (unsigned)height, view->unicode);
        draw_names(row, panel, view);
        put_format(row + 1, 0, PLAIN, "%*.6g", AXIS_WIDTH - 1, dots.greatest);
        put_format(row + height, 0, PLAIN, "%*.6g", AXIS_WIDTH - 1, dots.least);
        draw_dots(row + 1, &dots);
        zg_dots_clear(&dots);
    }
    put_format(row, AXIS_WIDTH, FAINT, "-%g s", (double)view->span_ns * 1e-9);
    put(row, COLS - 5, FAINT, "now");
    zg_plotted_release(&plot);
}

/* The rows of a panel's plot: half of what there is for all of them. 0: there is no room, or nothing to plot. */
static int plot_height(int rows, const struct screen_view *view)
{
    const int panels = (int)view->panels;
    const int height = panels > 0 ? MIN((rows / 2 - 2) / panels - 1, PLOT_MOST) : 0;

    return height >= PLOT_LEAST ? height : 0;
}

/* A title with the name of the device that is looked at, if there are several. Free with g_free(). */
static char *title_of(const char *title, const struct screen_view *view)
{
    const char *name = view->devices[view->looked].watched->viewed->name;

    return name ? g_strdup_printf("%s: %s", name, title) : g_strdup(title);
}

static void draw_keys(const struct screen_view *view)
{
    g_autofree char *keys = g_strdup_printf(
        "1 raw  2 frames  3 values   p plots%s%s   space holds   z resets least%s greatest   q ends",
        view->count > 1 ? "   d next device" : "", view->can_type ? "   Tab types" : "", view->can_type ? "," : " and");

    put(LINES - 1, 0, FAINT, view->types ? "keys go to the device's console; Tab leaves it" : keys);
    if (view->devices->watched->held)
        put(LINES - 1, COLS - 6, BAD, " HELD");
}

void screen_draw(const struct screen_view *view)
{
    static const char *const titles[] = { "raw bytes", "frames", "latest values" };
    const struct zg_watched *looked = view->devices[view->looked].watched;
    const int top = 2 * (int)view->count + 1, newest = LINES - 2, console = newest - 2 - CONSOLE_LINES;
    const bool has_console = looked->recent.console.length > 0 || view->can_type;
    const int bottom = has_console ? console : newest - 1;
    const int height = plot_height(bottom - top - 1, view);
    const int end = height > 0 ? bottom - 2 - (int)view->panels * (height + 1) : bottom - (view->panels > 0);
    g_autofree char *console_title = title_of("console", view), *newest_title = title_of("last bytes", view);

    (void)erase();
    draw_state(view);
    rule(top, titles[view->depth], view);
    if (view->depth == ZG_DEPTH_VALUES)
        draw_table(top + 1, end, view);
    else
        draw_lines(top + 1, end, &view->devices->watched->recent.lines);
    if (height > 0) {
        rule(end, "plot", view);
        draw_plots(end + 1, height, view);
    } else if (view->panels > 0) {
        put(end, 0, BAD, "no room for plots: enlarge the window");
    }
    if (has_console) {
        rule(console, view->types ? "console: keys go to the device; Tab leaves it" : console_title, view);
        draw_lines(console + 1, newest - 1, &looked->recent.console);
    }
    rule(newest - 1, newest_title, view);
    draw_newest(newest, view);
    draw_keys(view);
    (void)refresh();
}
