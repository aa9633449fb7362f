/* SPDX-License-Identifier: MIT */
/* The framing: its kind, and the options of that kind. */
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

static struct zg_framing_choice *choice_of(void *definition)
{
    return &((struct zg_definition *)definition)->framing;
}

static void read_kind(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    unsigned index;

    if (!zgi_read_choice(reader, entry->value, "a framing", zg_framing_names, &index))
        return;
    choice_of(into)->kind = (enum zg_framing_kind)index;
    choice_of(into)->lead = index == ZG_FRAMING_SLIP;
}

/* Read before all other keys. */
static void skip_kind(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    (void)entry;
    (void)into;
}

static void read_lead(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_bool(reader, entry->value, "lead", &choice_of(into)->lead);
}

static void read_escape_control(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_bool(reader, entry->value, "escape_control", &choice_of(into)->escape_control);
}

static void read_mark(struct zgi_reader *reader, const struct zgi_entry *entry, struct zg_mark *mark)
{
    (void)zgi_read_bytes(reader, entry->value, entry->key, ZG_MARK_MAX, mark->bytes, &mark->size);
}

static void read_start(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_mark(reader, entry, &choice_of(into)->start);
}

static void read_host_end(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_mark(reader, entry, &choice_of(into)->host_end);
}

static void read_device_end(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_mark(reader, entry, &choice_of(into)->end);
}

const struct zgi_key zgi_ends_keys[] = {
    { "device", true, read_device_end, "mark", "1 to 4 bytes after each frame from the device" },
    { "host", true, read_host_end, "mark", "1 to 4 bytes after each frame from the host" },
    { 0 }
};

static void read_end(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    if (entry->value->type == YAML_MAPPING_NODE)
        zgi_read_mapping(reader, entry->value, entry->place, "the end marks", zgi_ends_keys, into);
    else
        read_mark(reader, entry, &choice_of(into)->end);
}

static void read_also_end(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_framing_choice *choice = choice_of(into);
    g_autoptr(GPtrArray) items = zgi_items(reader, entry->value, "a list of end marks, [\"\\n\", \"\\r\"]");

    if (items && items->len > ZG_ALSO_MOST)
        zgi_error(reader->diagnostics, entry->place, "also_end has %u marks; at most %d are possible", items->len,
                  ZG_ALSO_MOST);
    for (unsigned i = 0; items && i < MIN(items->len, (unsigned)ZG_ALSO_MOST); i++) {
        struct zg_mark *mark = &choice->also_end[choice->also_ends];
        yaml_node_t *node = g_ptr_array_index(items, i);
        if (zgi_read_bytes(reader, node, "also_end", ZG_MARK_MAX, mark->bytes, &mark->size) && mark->size > 0)
            choice->also_ends++;
        else if (mark->size == 0)
            zgi_error(reader->diagnostics, zgi_place(node), "an end mark has one byte or more");
    }
}

static void read_ignore(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_framing_choice *choice = choice_of(into);
    (void)zgi_read_bytes(reader, entry->value, "ignore", ZG_IGNORED_MOST, choice->ignored, &choice->ignores);
}

static bool read_byte(struct zgi_reader *reader, const struct zgi_entry *entry, uint8_t *byte)
{
    uint64_t value;

    if (!zgi_read_unsigned(reader, entry->value, entry->key, 0, 255, &value))
        return false;
    *byte = (uint8_t)value;
    return true;
}

static void read_marking(struct zgi_reader *reader, const struct zgi_entry *entry, struct zg_framing_choice *choice,
                         enum zg_marking marking)
{
    if (choice->marking != ZG_MARKING_PLAIN)
        zgi_error(reader->diagnostics, entry->place, "escape and double exclude each other; expected one of them");
    if (read_byte(reader, entry, &choice->escape))
        choice->marking = marking;
}

static void read_escape(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_marking(reader, entry, choice_of(into), ZG_MARKING_ESCAPED);
}

static void read_double(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_marking(reader, entry, choice_of(into), ZG_MARKING_DOUBLED);
}

static void read_escape_xor(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_byte(reader, entry, &choice_of(into)->escape_xor);
}

static void read_size(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_unsigned(reader, entry->value, "the size of each frame in bytes", 1, 65535, &choice_of(into)->size);
}

/* gap = NUMBER "characters" | time */
static void read_gap(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_framing_choice *choice = choice_of(into);
    const char *expected = "gap as 3.5 characters or as a time (500 us), more than 0 and at most 30 min";
    const char *text = zgi_scalar(reader, entry->value, expected);
    const char *unit = text ? strstr(text, "character") : NULL;
    uint64_t longest_ns = UINT64_C(1800000000000);
    bool good = false;

    if (!text)
        return;
    if (unit && (strcmp(unit, "characters") == 0 || strcmp(unit, "character") == 0)) {
        g_autofree char *number = g_strchomp(g_strndup(text, (gsize)(unit - text)));
        mpq_t value;
        mpq_init(value);
        good = zgi_parse_number(number, false, value) && mpq_sgn(value) > 0 && mpq_cmp_ui(value, 100000, 1) <= 0;
        if (good)
            choice->gap_millichars = (uint64_t)(1000 * mpq_get_d(value) + 0.5);
        mpq_clear(value);
        good = good && choice->gap_millichars > 0;
    } else if (zg_parse_time(text, &choice->gap_ns)) {
        choice->gap_millichars = 0;
        good = choice->gap_ns >= 1000 && choice->gap_ns <= longest_ns;
    }
    if (!good)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "expected %s, found \"%s\"", expected, text);
}

const struct zgi_key zgi_framing_keys[] = {
    { "kind", true, skip_kind, "framing_kind", "The framing: cobs, slip, hdlc, length, marks, fixed, gap or packet" },
    { "lead", false, read_lead, "bool",
      "Of cobs and slip: a delimiter before each frame as well; default false, of slip true" },
    { "escape_control", false, read_escape_control, "bool",
      "Of hdlc: 0x00 to 0x1F are escaped as well; default false" },
    { "sync", false, read_start, "mark", "Of length and fixed: up to 4 bytes before each frame; default none" },
    { "start", false, read_start, "mark", "Of marks: up to 4 bytes before each frame; default none" },
    { "end", false, read_end, "ends", "Of marks: 1 to 4 bytes after each frame; or { device: ..., host: ... }" },
    { "also_end", false, read_also_end, "mark_list_of_marks", "Of marks: further end marks that a receiver takes" },
    { "ignore", false, read_ignore, "ignored",
      "Of marks without escape: bytes that a receiver drops, wherever they are" },
    { "escape", false, read_escape, "byte", "Of marks: sent before the image of each byte of the marks" },
    { "escape_xor", false, read_escape_xor, "byte", "Of marks: image = byte XOR this; default 0x20" },
    { "double", false, read_double, "byte", "Of marks: the first byte of both marks, sent twice in the content" },
    { "size", false, read_size, "max_payload", "Of fixed: bytes of each frame, from header to check" },
    { "gap", false, read_gap, "gap", "Of gap: the silence that ends a frame; default 3.5 characters" },
    { 0 }
};

/* Which kinds have each option, in the order of the keys: one bit for each kind. */
#define HAS(kind) (1U << ZG_FRAMING_##kind)
static const unsigned owners[] = { ~0U,        HAS(COBS) | HAS(SLIP),
                                   HAS(HDLC),  HAS(LENGTH) | HAS(FIXED),
                                   HAS(MARKS), HAS(MARKS),
                                   HAS(MARKS), HAS(MARKS),
                                   HAS(MARKS), HAS(MARKS),
                                   HAS(MARKS), HAS(FIXED),
                                   HAS(GAP) };

/* "; expected lead": the options that a kind has. */
static char *options_of(enum zg_framing_kind kind)
{
    GString *text = g_string_new(NULL);

    for (unsigned i = 1; zgi_framing_keys[i].name; i++)
        if (owners[i] >> kind & 1)
            g_string_append_printf(text, "%s%s", text->len > 0 ? ", " : "; expected ", zgi_framing_keys[i].name);
    return g_string_free(text, FALSE);
}

/* Reports options of other kinds. */
static void check_owner(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    enum zg_framing_kind kind = choice_of(into)->kind;
    g_autofree char *options = options_of(kind);

    for (unsigned i = 0; zgi_framing_keys[i].name; i++)
        if (strcmp(zgi_framing_keys[i].name, entry->key) == 0 && !(owners[i] >> kind & 1))
            zgi_error(reader->diagnostics, entry->place, "the framing %s has no option \"%s\"%s",
                      zg_framing_names[kind], entry->key, options);
}

static bool holds(const struct zg_mark *mark, uint8_t byte)
{
    return memchr(mark->bytes, byte, mark->size) != NULL;
}

static void check_escape(struct zgi_reader *reader, const struct zg_framing_choice *choice)
{
    uint8_t specials[2 * ZG_MARK_MAX + 1] = { choice->escape };
    unsigned count = 1;

    if (holds(&choice->start, choice->escape) || holds(&choice->end, choice->escape))
        zgi_error(reader->diagnostics, choice->place, "the escape 0x%02X is a byte of a mark; choose another",
                  choice->escape);
    for (unsigned i = 0; i < choice->start.size; i++)
        specials[count++] = choice->start.bytes[i];
    for (unsigned i = 0; i < choice->end.size; i++)
        specials[count++] = choice->end.bytes[i];
    for (unsigned i = 0; i < count; i++) {
        uint8_t image = specials[i] ^ choice->escape_xor;
        if (!memchr(specials, image, count))
            continue;
        zgi_error(reader->diagnostics, choice->place,
                  "0x%02X is sent as escape, 0x%02X, which is a byte of a mark or the escape itself; choose another "
                  "escape_xor",
                  specials[i], image);
        return;
    }
}

static void check_double(struct zgi_reader *reader, const struct zg_framing_choice *choice)
{
    const struct zg_mark *const marks[] = { &choice->start, &choice->end };
    static const char *const names[] = { "start", "end" };
    uint8_t byte = choice->escape;

    for (unsigned i = 0; i < 2; i++)
        if (marks[i]->size < 2 || marks[i]->bytes[0] != byte || marks[i]->bytes[1] == byte) {
            zgi_error(reader->diagnostics, choice->place,
                      "with double, %s begins with 0x%02X and continues with another byte; expected %s: [0x%02X, ...]",
                      names[i], byte, names[i], byte);
            return;
        }
    if (memcmp(choice->start.bytes, choice->end.bytes, MIN(choice->start.size, choice->end.size)) == 0)
        zgi_error(reader->diagnostics, choice->place,
                  "of start and end, one is the beginning of the other; choose other marks");
}

/* Bytes that a receiver drops cannot be part of a mark, nor be escaped. */
static void check_ignored(struct zgi_reader *reader, const struct zg_framing_choice *choice)
{
    const struct zg_mark *marks[ZG_ALSO_MOST + 3] = { &choice->start };
    const unsigned count = 1 + zg_framing_ends(choice, marks + 1);

    if (choice->ignores > 0 && choice->marking != ZG_MARKING_PLAIN)
        zgi_error(reader->diagnostics, choice->place,
                  "ignore is for marks around content that is not escaped; expected marks without escape and double");
    for (unsigned i = 0; i < choice->ignores; i++)
        for (unsigned k = 0; k < count; k++)
            if (holds(marks[k], choice->ignored[i]))
                zgi_error(reader->diagnostics, choice->place,
                          "0x%02X is a byte of a mark and of ignore, so that a receiver would never see that mark",
                          choice->ignored[i]);
}

static void check_choice(struct zgi_reader *reader, const struct zg_framing_choice *choice)
{
    if (choice->kind == ZG_FRAMING_FIXED && choice->size == 0)
        zgi_error(reader->diagnostics, choice->place, "the framing fixed lacks the key \"size\"");
    if (choice->kind != ZG_FRAMING_MARKS)
        return;
    if (choice->end.size == 0)
        zgi_error(reader->diagnostics, choice->place, "the framing marks needs end: [...], 1 to %d bytes", ZG_MARK_MAX);
    else if (choice->marking != ZG_MARKING_PLAIN && (choice->also_ends > 0 || choice->host_end.size > 0))
        zgi_error(reader->diagnostics, choice->place,
                  "with escape and double there is one end mark for both sides; expected end: [...] without also_end");
    else if (choice->marking == ZG_MARKING_ESCAPED)
        check_escape(reader, choice);
    else if (choice->marking == ZG_MARKING_DOUBLED)
        check_double(reader, choice);
    check_ignored(reader, choice);
}

void zgi_read_framing(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_framing_choice *choice = choice_of(into);
    unsigned errors = zg_diagnostics_errors(reader->diagnostics);
    struct zgi_entry kind = *entry;

    *choice = (struct zg_framing_choice){ .coding = choice->coding, /* a key beside this one */
                                          .escape_xor = 0x20,
                                          .gap_millichars = 3500,
                                          .place = entry->place };
    if (entry->value->type == YAML_MAPPING_NODE)
        kind.value = zgi_lookup(reader, entry->value, "kind");
    if (kind.value)
        read_kind(reader, &kind, into);
    if (entry->value->type == YAML_MAPPING_NODE) {
        zgi_read_mapping(reader, entry->value, entry->place, "the framing", zgi_framing_keys, into);
        if (zg_diagnostics_errors(reader->diagnostics) == errors)
            (void)zgi_entries(reader, entry->value, "the framing", check_owner, into);
    }
    if (zg_diagnostics_errors(reader->diagnostics) == errors)
        check_choice(reader, choice);
}
