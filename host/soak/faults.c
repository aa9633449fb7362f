/* SPDX-License-Identifier: MIT */
#include "soak/faults.h"

#include <math.h>
#include <stddef.h>
#include <string.h>

#include "definition/words.h"
#include "definition/yaml.h"

#define FAULT(member) offsetof(struct zg_way_faults, member)

/* What a part of a value is. */
enum part {
    NOTHING,
    SHARE,  /* 0 to 1 */
    RATE,   /* times a second */
    HERTZ,  /* the same of a period */
    TIME,   /* with a unit */
    SPAN,   /* the same, which may be negative */
    PPM,    /* parts in a million, which may be negative */
    COUNT,  /* of bytes */
    BYTES,  /* in hex, as a set */
    PRESENT /* it has no value */
};

enum { PARTS_MOST = 3, RECEIVERS = 1, ON_SIM = ZG_FAULTS_ON_SIM, OF_PACKETS = 16, OF_STREAMS = 32, OF_BITS = 64 };
enum { DEVICE = ON_SIM | ZG_FAULTS_AT_DEVICE, BYTES_HERE = DEVICE | ZG_FAULTS_HERE };

static const struct fault {
    const char *name;
    unsigned
        flags; /* RECEIVERS: of the receiver; what only packets have, or streams, or bits; and zg_faults_place, or'd */
    struct {
        enum part part;
        size_t offset;
    } parts[PARTS_MOST];
} table[] = {
    { "ber", BYTES_HERE, { { SHARE, FAULT(line.bit_error_rate) } } },
    { "drop", BYTES_HERE, { { SHARE, FAULT(line.drop) } } },
    { "double", BYTES_HERE, { { SHARE, FAULT(line.twice) } } },
    { "insert", BYTES_HERE | OF_STREAMS, { { SHARE, FAULT(line.insert) } } },
    { "burst",
      BYTES_HERE,
      { { RATE, FAULT(line.burst.rate) },
        { TIME, FAULT(line.burst.length_ns) },
        { SHARE, FAULT(line.burst_bit_error_rate) } } },
    { "hum",
      BYTES_HERE,
      { { HERTZ, FAULT(line.hum_hz) },
        { TIME, FAULT(line.hum_width_ns) },
        { SHARE, FAULT(line.hum_bit_error_rate) } } },
    { "cut", BYTES_HERE, { { RATE, FAULT(line.cut.rate) }, { TIME, FAULT(line.cut.length_ns) } } },
    { "break", BYTES_HERE, { { RATE, FAULT(line.hold.rate) }, { TIME, FAULT(line.hold.length_ns) } } },
    { "eat", BYTES_HERE, { { BYTES, FAULT(line.eat) } } },
    { "strip", BYTES_HERE, { { PRESENT, FAULT(line.strip) } } },
    { "invert", BYTES_HERE, { { PRESENT, FAULT(line.invert) } } },
    { "ppm", RECEIVERS | ON_SIM | OF_STREAMS | OF_BITS, { { PPM, FAULT(line.ppm) } } },
    { "glitch",
      ON_SIM | OF_STREAMS | OF_BITS,
      { { RATE, FAULT(line.pulse.rate) }, { TIME, FAULT(line.pulse.length_ns) } } },
    { "edges", ON_SIM | OF_STREAMS | OF_BITS, { { SPAN, FAULT(line.edges_ns) } } },
    { "reorder", BYTES_HERE | OF_PACKETS, { { SHARE, FAULT(line.reorder) } } },
    { "clip", BYTES_HERE | OF_PACKETS, { { SHARE, FAULT(line.clip) } } },
    { "latency", ON_SIM, { { TIME, FAULT(line.latency_ns) } } },
    { "jitter", ON_SIM | OF_STREAMS, { { TIME, FAULT(line.jitter_ns) } } },
    { "repeat", ON_SIM, { { SHARE, FAULT(repeat) } } },
    { "swap", ON_SIM, { { SHARE, FAULT(swap) } } },
    { "stray", ON_SIM, { { SHARE, FAULT(stray) } } },
    { "stale", ON_SIM, { { SHARE, FAULT(stale) } } },
    { "long", ON_SIM | OF_STREAMS, { { COUNT, FAULT(cap) } } },
    { "behind", RECEIVERS | ON_SIM, { { SHARE, FAULT(behind) } } },
    { "restart", RECEIVERS | DEVICE, { { RATE, FAULT(restart) } } },
    { "blackout", RECEIVERS | DEVICE, { { RATE, FAULT(blackout.rate) }, { TIME, FAULT(blackout.length_ns) } } },
    { "mask", RECEIVERS | DEVICE, { { RATE, FAULT(mask.rate) }, { TIME, FAULT(mask.length_ns) } } },
    { "fifo", RECEIVERS | DEVICE | OF_STREAMS, { { COUNT, FAULT(fifo) } } },
};

/* The words before a colon, and the ways that they stand for, as bits. */
enum { BACK = 1, OUT = 2, BOTH = BACK | OUT, UNSAID = 4 };
static const struct {
    const char *name;
    unsigned ways;
} ways[] = { { "back", BACK }, { "out", OUT }, { "both", BOTH } };

/* A fault's value, read. */
union value {
    double number;
    uint64_t ns;
    uint8_t bytes[32];
    bool present;
};

/* One fault with its value, and for which ways. */
struct setting {
    const struct fault *fault;
    unsigned ways;
    union value parts[PARTS_MOST];
};

static size_t size_of(enum part part)
{
    switch (part) {
    case TIME:
    case COUNT: return sizeof(uint64_t);
    case BYTES: return sizeof((union value *)NULL)->bytes;
    case PRESENT: return sizeof(bool);
    default: return sizeof(double);
    }
}

/* --- what they are */

bool zg_faults_are_even(const struct zg_faults *faults)
{
    return memcmp(&faults->way[0], &faults->way[1], sizeof faults->way[0]) == 0;
}

static bool is_there(const struct zg_way_faults *faults, const struct fault *fault)
{
    static const uint8_t none[sizeof(union value)];
    return memcmp((const char *)faults + fault->parts[0].offset, none, size_of(fault->parts[0].part)) != 0;
}

bool zg_faults_possible(const struct zg_faults *faults, enum zg_faults_place place)
{
    for (unsigned i = 0; i < 2; i++)
        for (size_t k = 0; k < G_N_ELEMENTS(table); k++)
            if (!(table[k].flags & place) && is_there(&faults->way[i], &table[k]))
                return false;
    return true;
}

/* The names of those with any of these flags that there are; NULL: none. */
static char *names_with(const struct zg_faults *faults, unsigned flags)
{
    GString *text = g_string_new(NULL);

    for (size_t k = 0; k < G_N_ELEMENTS(table); k++)
        if ((table[k].flags & flags) && (is_there(&faults->way[0], &table[k]) || is_there(&faults->way[1], &table[k])))
            g_string_append_printf(text, "%s%s", text->len > 0 ? ", " : "", table[k].name);
    return g_string_free(text, text->len == 0);
}

char *zg_faults_unfit(const struct zg_faults *faults, bool packets)
{
    return names_with(faults, packets ? OF_STREAMS : OF_PACKETS);
}

char *zg_faults_of_bits(const struct zg_faults *faults)
{
    return names_with(faults, OF_BITS);
}

char *zg_faults_names(enum zg_faults_place place, bool possible)
{
    GString *text = g_string_new(NULL);

    for (size_t i = 0; i < G_N_ELEMENTS(table); i++)
        if (possible == ((table[i].flags & place) != 0))
            g_string_append_printf(text, "%s%s", text->len > 0 ? ", " : "", table[i].name);
    return g_string_free(text, FALSE);
}

static void append_part(GString *text, enum part part, const void *at)
{
    const union value *value = at;

    switch (part) {
    case TIME: g_string_append_printf(text, "%gms", (double)value->ns * 1e-6); break;
    case SPAN: g_string_append_printf(text, "%gms", value->number * 1e-6); break;
    case COUNT: g_string_append_printf(text, "%" G_GUINT64_FORMAT, value->ns); break;
    case BYTES:
        for (unsigned i = 0; i < 256; i++)
            if (value->bytes[i / 8] >> i % 8 & 1)
                g_string_append_printf(text, "%02x", i);
        break;
    default: g_string_append_printf(text, "%g", value->number); break;
    }
}

char *zg_faults_text(const struct zg_way_faults *faults)
{
    GString *text = g_string_new(NULL);

    for (size_t i = 0; i < G_N_ELEMENTS(table); i++) {
        if (!is_there(faults, &table[i]))
            continue;
        g_string_append_printf(text, "%s%s", text->len > 0 ? "," : "", table[i].name);
        for (unsigned k = 0; k < PARTS_MOST && table[i].parts[k].part != NOTHING && table[i].parts[k].part != PRESENT;
             k++) {
            union value value;
            memset(&value, 0, sizeof value);
            memcpy(&value, (const char *)faults + table[i].parts[k].offset, size_of(table[i].parts[k].part));
            g_string_append_c(text, k == 0 ? '=' : '/');
            append_part(text, table[i].parts[k].part, &value);
        }
    }
    return g_string_free(text, FALSE);
}

/* --- reading */

static const struct fault *find(const char *name, GError **error)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (size_t i = 0; i < G_N_ELEMENTS(table); i++) {
        if (strcmp(table[i].name, name) == 0)
            return &table[i];
        g_ptr_array_add(names, (gpointer)table[i].name);
    }
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(name, (const char *const *)names->pdata);
    g_set_error(error, ZG_FAULTS_ERROR, 0, "unknown fault \"%s\"%s", name, hint);
    return NULL;
}

static bool read_number(const char *text, double most, double *number)
{
    char *end = NULL;

    *number = g_ascii_strtod(text, &end);
    return end != text && *end == '\0' && *number >= 0 && *number <= most;
}

/* A number or a time with a sign, in nanoseconds. */
static bool read_signed(const char *text, bool is_time, double most, double *number)
{
    const bool negative = *text == '-';
    uint64_t ns = 0;
    const bool good = is_time ? zg_parse_time(text + negative, &ns) : read_number(text + negative, most, number);

    *number = (negative ? -1 : 1) * (is_time ? (double)ns : *number);
    return good && fabs(*number) <= most;
}

static bool read_bytes(const char *text, uint8_t bytes[32])
{
    const size_t length = strlen(text);

    memset(bytes, 0, 32);
    for (size_t i = 0; i + 1 < length; i += 2) {
        const int high = g_ascii_xdigit_value(text[i]), low = g_ascii_xdigit_value(text[i + 1]);
        if (high < 0 || low < 0)
            return false;
        bytes[(high * 16 + low) / 8] |= (uint8_t)(1U << low % 8);
    }
    return length > 0 && length % 2 == 0;
}

/* A part of a value; NULL, or what was expected. */
static const char *read_part(const char *text, enum part part, union value *value)
{
    double number;

    switch (part) {
    case SHARE: return read_number(text, 1, &value->number) ? NULL : "a rate from 0 to 1";
    case RATE: return read_number(text, 1e4, &value->number) ? NULL : "how often a second, from 0 to 1e4";
    case HERTZ: return read_number(text, 1e6, &value->number) ? NULL : "a frequency in hertz, up to 1e6";
    case TIME:
        return zg_parse_time(text, &value->ns) && value->ns <= 60 * UINT64_C(1000000000)
                   ? NULL
                   : "a time up to 1min with its unit, such as 2ms";
    case SPAN:
        return read_signed(text, true, 1e9, &value->number) ? NULL : "a time up to 1s with its unit, such as -2us";
    case PPM:
        return read_signed(text, false, 5e5, &value->number) ? NULL : "parts in a million, up to 500000 either way";
    case COUNT:
        value->ns = read_number(text, 65535, &number) ? (uint64_t)number : 0;
        return value->ns >= 1 && (double)value->ns == number ? NULL : "a number of bytes from 1 to 65535";
    case BYTES: return read_bytes(text, value->bytes) ? NULL : "bytes in hex, such as 1113";
    default: return "nothing after it";
    }
}

/* "RATE/TIME", how the value is written. */
static char *form_of(const struct fault *fault)
{
    static const char *const words[] = {
        "", "SHARE", "RATE", "FREQUENCY", "TIME", "TIME", "PPM", "COUNT", "BYTES", ""
    };
    GString *text = g_string_new(NULL);

    for (unsigned i = 0; i < PARTS_MOST && fault->parts[i].part != NOTHING; i++)
        g_string_append_printf(text, "%s%s", i > 0 ? "/" : "", words[fault->parts[i].part]);
    return g_string_free(text, FALSE);
}

/* The value of a fault; NULL is none. */
static bool read_value(const char *text, struct setting *setting, GError **error)
{
    const struct fault *fault = setting->fault;
    const char *name = fault->name;
    g_auto(GStrv) parts = g_strsplit(text ? text : "", "/", -1);
    g_autofree char *form = form_of(fault);
    const char *expected = NULL;
    unsigned count = 0;

    if (fault->parts[0].part == PRESENT) {
        setting->parts[0].present = true;
        if (text)
            g_set_error(error, ZG_FAULTS_ERROR, 0, "%s: expected nothing after it, found \"%s\"", name, text);
        return text == NULL;
    }
    while (count < PARTS_MOST && fault->parts[count].part != NOTHING)
        count++;
    if (!text || g_strv_length(parts) != count) {
        g_set_error(error, ZG_FAULTS_ERROR, 0, "%s: expected %s=%s, found \"%s\"", name, name, form, text ? text : "");
        return false;
    }
    for (unsigned i = 0; i < count; i++)
        if ((expected = read_part(parts[i], fault->parts[i].part, &setting->parts[i])) != NULL) {
            g_set_error(error, ZG_FAULTS_ERROR, 0, "%s: expected %s%s%s, found \"%s\"", name, expected,
                        count > 1 ? " in " : "", count > 1 ? form : "", parts[i]);
            return false;
        }
    if (fault->parts[0].part == HERTZ && setting->parts[0].number > 0 &&
        (double)setting->parts[1].ns > 1e9 / setting->parts[0].number) {
        g_set_error(error, ZG_FAULTS_ERROR, 0, "%s: expected a width within the period, found \"%s\"", name, parts[1]);
        return false;
    }
    return true;
}

static void apply(const struct setting *setting, struct zg_faults *faults)
{
    const struct fault *fault = setting->fault;
    const unsigned where = setting->ways != UNSAID ? setting->ways : (unsigned)(fault->flags & RECEIVERS ? OUT : BOTH);

    for (unsigned way = 0; way < 2; way++)
        for (unsigned i = 0; i < PARTS_MOST && (where >> way & 1) && fault->parts[i].part != NOTHING; i++)
            memcpy((char *)&faults->way[way] + fault->parts[i].offset, &setting->parts[i],
                   size_of(fault->parts[i].part));
}

/* fault = [ way ":" ] name [ "=" part { "/" part } ]; `where` is the way in force */
static bool parse_one(char *text, unsigned *where, struct zg_faults *faults, GError **error)
{
    for (size_t i = 0; i < G_N_ELEMENTS(ways); i++) {
        const size_t length = strlen(ways[i].name);
        if (g_str_has_prefix(text, ways[i].name) && text[length] == ':') {
            *where = ways[i].ways;
            text += length + 1;
        }
    }
    char *equals = strchr(text, '=');
    if (equals)
        *equals = '\0';
    struct setting setting = { .fault = find(text, error), .ways = *where };
    if (!setting.fault || !read_value(equals ? equals + 1 : NULL, &setting, error))
        return false;
    apply(&setting, faults);
    return true;
}

bool zg_faults_parse(const char *text, struct zg_faults *faults, GError **error)
{
    g_auto(GStrv) parts = g_strsplit_set(text, ", ", -1);
    struct zg_faults read = *faults;
    unsigned where = UNSAID;
    bool any = false;

    for (char **part = parts; *part; part++) {
        any = any || **part != '\0';
        if (**part != '\0' && !parse_one(*part, &where, &read, error))
            return false;
    }
    if (!any) {
        g_set_error(error, ZG_FAULTS_ERROR, 0, "expected NAME=VALUE, such as ber=1e-5");
        return false;
    }
    *faults = read;
    return true;
}

bool zg_faults_set(struct zg_faults *faults, const char *name, double value, GError **error)
{
    struct setting setting = { .fault = find(name, error), .ways = UNSAID };

    if (!setting.fault)
        return false;
    const enum part part = setting.fault->parts[0].part;
    if (setting.fault->parts[1].part != NOTHING || part == BYTES || part == PRESENT) {
        g_set_error(error, ZG_FAULTS_ERROR, 0, "%s: its value is not one number", name);
        return false;
    }
    if (part == TIME || part == COUNT)
        setting.parts[0].ns = (uint64_t)(value + 0.5);
    else
        setting.parts[0].number = value;
    apply(&setting, faults);
    return true;
}

bool zg_faults_is_time(const char *name)
{
    const struct fault *fault = find(name, NULL);
    return fault && (fault->parts[0].part == TIME || fault->parts[0].part == SPAN);
}

/* --- faults with times */

/* An item of the list. */
struct item {
    uint64_t from_ns, to_ns;
    unsigned ways;
    GArray *settings; /* of struct setting */
};

struct zg_fault_times {
    GArray *items;
};

static void clear_item(void *data)
{
    g_array_unref(((struct item *)data)->settings);
}

void zg_fault_times_free(struct zg_fault_times *times)
{
    if (!times)
        return;
    g_array_unref(times->items);
    g_free(times);
}

static void read_way(struct zgi_reader *reader, yaml_node_t *node, struct item *item)
{
    static const char *const words[] = { "back", "out", "both", NULL };
    unsigned index;

    if (zgi_read_choice(reader, node, "a way", words, &index))
        item->ways = index + 1;
}

/* One key of an item: a time, the way, or a fault. */
static void read_entry(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct item *item = into;
    g_autoptr(GError) error = NULL;

    if (strcmp(entry->key, "from") == 0) {
        (void)zgi_read_time(reader, entry->value, "a time", &item->from_ns);
        return;
    }
    if (strcmp(entry->key, "to") == 0) {
        (void)zgi_read_time(reader, entry->value, "a time", &item->to_ns);
        return;
    }
    if (strcmp(entry->key, "way") == 0) {
        read_way(reader, entry->value, item);
        return;
    }
    struct setting setting = { .fault = find(entry->key, &error) };
    const char *text = setting.fault ? zgi_scalar(reader, entry->value, "a fault's value") : NULL;
    const bool is_plain = setting.fault && setting.fault->parts[0].part == PRESENT;
    if (text && read_value(is_plain && strcmp(text, "true") == 0 ? NULL : text, &setting, &error))
        g_array_append_val(item->settings, setting);
    if (error)
        zgi_error(reader->diagnostics, setting.fault ? zgi_place(entry->value) : entry->place, "%s", error->message);
}

static void read_item(struct zgi_reader *reader, yaml_node_t *node, struct zg_fault_times *times)
{
    struct item item = { .to_ns = UINT64_MAX,
                         .ways = UNSAID,
                         .settings = g_array_new(FALSE, FALSE, sizeof(struct setting)) };

    if (zgi_entries(reader, node, "faults with their times, such as { from: 10s, to: 20s, ber: 1e-4 }", read_entry,
                    &item) &&
        item.to_ns <= item.from_ns)
        zgi_error(reader->diagnostics, zgi_place(node), "expected a time after `from` in `to`");
    for (guint i = 0; i < item.settings->len; i++)
        g_array_index(item.settings, struct setting, i).ways = item.ways;
    g_array_append_val(times->items, item);
}

struct zg_fault_times *zg_fault_times_read(const char *text, size_t length, struct zg_diagnostics *diagnostics)
{
    struct zgi_reader reader = { .diagnostics = diagnostics };

    if (!zgi_yaml_parse(&reader, text, length))
        return NULL;
    struct zg_fault_times *times = g_new0(struct zg_fault_times, 1);
    times->items = g_array_new(FALSE, FALSE, sizeof(struct item));
    g_array_set_clear_func(times->items, clear_item);
    g_autoptr(GPtrArray) nodes =
        zgi_items(&reader, yaml_document_get_root_node(&reader.document), "a list of faults with their times");
    for (guint i = 0; nodes && i < nodes->len; i++)
        read_item(&reader, nodes->pdata[i], times);
    yaml_document_delete(&reader.document);
    zgi_diagnostics_sort(diagnostics);
    if (zg_diagnostics_errors(diagnostics) > 0)
        g_clear_pointer(&times, zg_fault_times_free);
    return times;
}

void zg_fault_times_at(const struct zg_fault_times *times, uint64_t now_ns, struct zg_faults *faults)
{
    for (guint i = 0; i < times->items->len; i++) {
        const struct item *item = &g_array_index(times->items, struct item, i);
        for (guint k = 0; k < item->settings->len && item->from_ns <= now_ns && now_ns < item->to_ns; k++)
            apply(&g_array_index(item->settings, struct setting, k), faults);
    }
}

bool zg_fault_times_need_bits(const struct zg_fault_times *times)
{
    for (guint i = 0; times && i < times->items->len; i++) {
        const GArray *settings = g_array_index(times->items, struct item, i).settings;
        for (guint k = 0; k < settings->len; k++)
            if (g_array_index(settings, struct setting, k).fault->flags & OF_BITS)
                return true;
    }
    return false;
}

uint64_t zg_fault_times_next_ns(const struct zg_fault_times *times, uint64_t now_ns)
{
    uint64_t next_ns = UINT64_MAX;

    for (guint i = 0; i < times->items->len; i++) {
        const struct item *item = &g_array_index(times->items, struct item, i);
        if (item->from_ns > now_ns)
            next_ns = MIN(next_ns, item->from_ns);
        if (item->to_ns > now_ns)
            next_ns = MIN(next_ns, item->to_ns);
    }
    return next_ns;
}
