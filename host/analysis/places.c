/* SPDX-License-Identifier: MIT */
#include "analysis/places.h"

#include <string.h>

#include "codec/as_text.h"
#include "codec/json.h"

char *zg_time_text(double seconds)
{
    static const struct {
        const char *unit;
        double size;
    } units[] = { { "s", 1 }, { "ms", 1e-3 }, { "us", 1e-6 } };
    size_t i = 0;
    while (i + 1 < G_N_ELEMENTS(units) && seconds < units[i].size)
        i++;
    return g_strdup_printf("%.4g %s", seconds / units[i].size, units[i].unit);
}

char *zg_place_bits(const struct zg_step *step)
{
    struct zg_piece pieces[ZG_PIECES];

    if (!zg_step_is_bitwise(step))
        return g_strdup("");
    unsigned count = zg_step_pieces(step, 0, pieces);
    const struct zg_piece *lowest = &pieces[0];
    const struct zg_piece *highest = &pieces[count - 1];
    unsigned low = lowest->low, high = highest->low + highest->bits - 1;
    const char *more = step->type.extent == ZG_EXTENT_ONE ? "" : " ...";
    if (lowest->byte != highest->byte)
        return g_strdup_printf("%u.%u-%u.%u%s", lowest->byte, low, highest->byte, high, more);
    return low == high ? g_strdup_printf("%u%s", low, more) : g_strdup_printf("%u-%u%s", low, high, more);
}

char *zg_place_bytes(const struct zg_block *block, unsigned index, unsigned before)
{
    const struct zg_step *step = zg_block_step(block, index);
    bool after = step->newer;

    for (unsigned i = 0; i < index; i++)
        after = after || zg_block_step(block, i)->newer || zg_block_step(block, i)->varies;
    before = after ? 0 : before;
    unsigned first = before + step->byte + step->bit / 8;
    unsigned last = before + zg_step_end(step) - 1;
    const char *plus = after ? "+" : "";
    if (step->varies)
        return g_strdup_printf("%s%u..", plus, first);
    return first == last ? g_strdup_printf("%s%u", plus, first) : g_strdup_printf("%s%u-%u", plus, first, last);
}

char *zg_place_type(const struct zg_step *step)
{
    const struct zg_type plain = { .kind = step->type.kind, .bits = step->type.bits };
    g_autofree char *type = zg_type_name(step->type);

    if (!step->type.enumeration)
        return g_strdup(type);
    g_autofree char *carrier = zg_type_name(plain);
    return g_strdup_printf("%s (%s)", type, carrier);
}

char *zg_place_count(const struct zg_step *step)
{
    if (!step->field || step->field->count_place.line == 0)
        return NULL;
    if (step->type.extent == ZG_EXTENT_REST)
        return g_strdup("to the end, without a count");
    return g_strdup_printf("a count of %u byte%s in front, which counts %s", step->count_size,
                           step->count_size == 1 ? "" : "s", step->count_unit > 1 ? "bytes" : "elements");
}

char *zg_place_length_bytes(const struct zg_block *block)
{
    const unsigned first = block->length_byte, last = zg_block_length_end(block) - 1;

    return last > first ? g_strdup_printf("%u-%u", first, last) : g_strdup_printf("%u", first);
}

char *zg_place_length(const struct zg_block *block)
{
    const struct zg_record_length *length = block->length;
    const struct zg_step *last = zg_block_step(block, block->steps->len - 1);
    GString *text =
        g_string_new(length->counts_rest ? "counts the record's bytes behind it" : "counts all bytes of the record");

    if (length->plus > 0)
        g_string_append_printf(text, ", and %u more", length->plus);
    if (last->type.extent != ZG_EXTENT_REST)
        g_string_append(text, "; what is behind the known fields is skipped");
    return g_string_free(text, FALSE);
}

char *zg_place_range(const struct zg_step *step)
{
    g_autoptr(GString) text = g_string_new(NULL);

    if (step->role && step->role->role == ZG_ROLE_CONST)
        return g_strdup_printf("always 0x%" G_GINT64_MODIFIER "X", step->role->value);
    if ((!zg_type_is_integer(step->type) && step->type.kind != ZG_KIND_FLOAT) || step->type.enumeration)
        return g_strdup("");
    if (step->type.kind == ZG_KIND_FLOAT && !step->field->ranged)
        return g_strdup("");
    if (!step->field || (!step->field->scaled && !step->field->ranged)) {
        zg_raw_to_text(step, step->low, text);
        g_string_append(text, " to ");
        zg_raw_to_text(step, step->high, text);
    } else {
        zg_append_double(text, step->scale.low);
        g_string_append(text, " to ");
        zg_append_double(text, step->scale.high);
    }
    return g_strdup(text->str);
}

static void mark_step(const struct zg_step *step, int index, int *owners, unsigned bytes)
{
    bool numbers = !step->record && !zg_step_is_string(step);
    struct zg_piece pieces[ZG_PIECES];

    for (unsigned byte = step->byte; !numbers && byte < zg_step_end(step); byte++)
        for (unsigned bit = 0; bit < 8; bit++)
            owners[8 * byte + bit] =
                index + ZG_OWNER_STEPS * (int)(step->record ? (byte - step->byte) / step->record->size : 0);
    for (unsigned element = 0; numbers && element < step->most; element++) {
        unsigned count = zg_step_pieces(step, element, pieces);
        for (unsigned i = 0; i < count; i++)
            for (unsigned bit = 0; bit < pieces[i].bits && pieces[i].byte < bytes; bit++)
                owners[8 * pieces[i].byte + 7 - pieces[i].low - bit] = index + ZG_OWNER_STEPS * (int)element;
    }
}

char *zg_place_label(const struct zg_block *block, int owner)
{
    if (owner == ZG_NOBODY)
        return g_strdup("");
    if (owner == ZG_LENGTH)
        return g_strdup(block->length->name);
    const struct zg_step *step = zg_block_step(block, (unsigned)(owner % ZG_OWNER_STEPS));
    return zg_step_is_array(step) ? g_strdup_printf("%s[%d]", step->name, owner / ZG_OWNER_STEPS)
                                  : g_strdup(step->name);
}

int *zg_place_owners(const struct zg_block *block, unsigned *bytes, unsigned *next)
{
    *bytes = 0;
    for (*next = 0; *next < block->steps->len; ++*next) {
        const struct zg_step *step = zg_block_step(block, *next);
        if (step->varies || step->newer)
            break;
        *bytes = MAX(*bytes, zg_step_end(step));
    }
    if (block->length)
        *bytes = MAX(*bytes, zg_block_length_end(block));
    int *owners = g_new(int, 8 * *bytes + 1);
    for (unsigned i = 0; i < 8 * *bytes; i++)
        owners[i] = ZG_NOBODY;
    for (unsigned i = 0; i < *next; i++)
        mark_step(zg_block_step(block, i), (int)i, owners, *bytes);
    for (unsigned i = 8 * block->length_byte; block->length && i < 8 * zg_block_length_end(block); i++)
        owners[i] = ZG_LENGTH;
    return owners;
}

/* --- drawn */

enum { ROW_BYTES = 4, MOST_ROWS = 32 };

/* Text centred in a width, and cut if it is too long; of an element's label its number is kept. */
static void append_label(GString *line, const char *label, size_t width)
{
    const char *number = strchr(label, '[');
    if (number && strlen(label) > width)
        label = strlen(number) > width && strlen(number) - 2 <= width ? number + 1 : number;
    size_t length = MIN(number && label == number + 1 ? strlen(label) - 1 : strlen(label), width);
    size_t left = (width - length) / 2;

    g_string_append_printf(line, "%*s%.*s%*s", (int)left, "", (int)length, label, (int)(width - left - length), "");
}

/* The row of bytes from `first` on; `before` bytes come before the block. */
static void append_row(GString *text, const struct zg_block *block, const int *owners, unsigned first, unsigned bytes,
                       unsigned before)
{
    g_autoptr(GString) line = g_string_new(NULL);
    g_autoptr(GString) rule = g_string_new("      +");
    unsigned bits = 8 * MIN(ROW_BYTES, bytes - first);

    g_string_append_printf(line, "  %3u |", before + first);
    for (unsigned i = 0; i < bits;) {
        unsigned end = i + 1;
        int owner = owners[8 * first + i];
        while (end < bits && owners[8 * first + end] == owner)
            end++;
        g_autofree char *label = zg_place_label(block, owner);
        append_label(line, label, 2 * (end - i) - 1);
        g_string_append_c(line, '|');
        i = end;
    }
    for (unsigned i = 0; i < bits; i++)
        g_string_append(rule, i % 8 == 7 ? "-+" : "--");
    g_string_append_printf(text, "%s\n%s\n", line->str, rule->str);
}

void zg_place_map(GString *text, const struct zg_block *block, unsigned before)
{
    unsigned next, bytes;
    g_autofree int *owners = zg_place_owners(block, &bytes, &next);

    if (bytes == 0 || bytes > ROW_BYTES * MOST_ROWS)
        return;
    g_string_append(text, "       ");
    for (unsigned i = 0; i < 8 * MIN(ROW_BYTES, bytes); i++)
        g_string_append_printf(text, "%u%s", 7 - i % 8, i + 1 < 8 * MIN(ROW_BYTES, bytes) ? " " : "");
    g_string_append_printf(text, "\n      +");
    for (unsigned i = 0; i < 8 * MIN(ROW_BYTES, bytes); i++)
        g_string_append_printf(text, i % 8 == 7 ? "-+" : "--");
    g_string_append_printf(text, "\n");
    for (unsigned first = 0; first < bytes; first += ROW_BYTES)
        append_row(text, block, owners, first, bytes, before);
    for (unsigned i = next; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        g_autofree char *type = zg_type_name(step->type);
        g_string_append_printf(text, "      | then %s, %s: ", step->name, type);
        if (step->least_size == step->most_size)
            g_string_append_printf(text, "%u byte%s\n", step->most_size, step->most_size == 1 ? "" : "s");
        else
            g_string_append_printf(text, "%u to %u bytes\n", step->least_size, step->most_size);
    }
}

char *zg_place_tag(const struct zg_tag *tag)
{
    GString *text = g_string_new(NULL);
    bool is_text = true;

    for (unsigned i = 0; i < tag->size; i++)
        is_text = is_text && g_ascii_isprint((char)tag->bytes[i]);
    for (unsigned i = 0; i < tag->size; i++)
        g_string_append_printf(text, is_text ? "%c" : i > 0 ? " %02X" : "%02X", tag->bytes[i]);
    if (is_text)
        g_string_append_c(g_string_prepend_c(text, '"'), '"');
    return g_string_free(text, FALSE);
}

char *zg_place_scale(const struct zg_field *field)
{
    g_autoptr(GString) text = g_string_new(NULL);
    g_autofree char *scale = mpq_get_str(NULL, 10, field->scale);
    g_autofree char *offset = mpq_get_str(NULL, 10, field->offset);

    if (!field->scaled)
        return g_strdup("");
    if (mpq_cmp_ui(field->scale, 1, 1) != 0)
        g_string_append_printf(text, " * %s", scale);
    if (mpq_sgn(field->offset) != 0)
        g_string_append_printf(text, " %s %s", mpq_sgn(field->offset) < 0 ? "-" : "+", offset + (offset[0] == '-'));
    return g_strdup(text->str);
}
