/* SPDX-License-Identifier: MIT */
/* Fields, and the enums and records that they consist of. */
#include <string.h>

#include "analysis/compare_blocks.h"
#include "analysis/places.h"

static const struct zg_place nowhere = { 0, 0 };

/* Where a step is: how many values of varying size come before it, and how many bits follow the last of these. */
struct position {
    unsigned varying;
    unsigned bit;
};

static struct position *positions_of(const struct zg_block *block)
{
    struct position *positions = g_new(struct position, block->steps->len + 1);
    unsigned varying = 0, base = 0, end = 0;

    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (step->newer)
            base = end;
        positions[i] = (struct position){ varying, 8 * (base + step->byte) + step->bit };
        end = base + zg_step_end(step);
        if (step->varies) {
            varying++;
            base = end = 0;
        }
    }
    return positions;
}

/* --- the value of one field */

struct field_pair {
    struct zgi_comparison *comparison;
    const char *owner;
    const struct zg_step *before, *after;
    enum zg_side from;
};

static void field_changed(const struct field_pair *pair, enum zg_verdict verdict, unsigned first, const char *text)
{
    zgi_changed(pair->comparison, verdict, first, pair->before->field->place, pair->after->field->place, "%s.%s: %s",
                pair->owner, pair->after->name, text);
}

static void breaks(const struct field_pair *pair, const char *what, const char *before, const char *after,
                   const char *consequence)
{
    g_autofree char *text = g_strdup_printf("%s %s became %s; %s", what, before, after, consequence);
    field_changed(pair, ZG_BREAKING, 0, text);
}

/* A change that is harmless in one direction: depends on who may send what the other does not expect. */
static void widened(const struct field_pair *pair, const char *what, const char *before, const char *after, bool wider,
                    const char *consequence)
{
    enum zg_side receivers = zg_receivers(pair->from);
    g_autofree char *text = g_strdup_printf("%s %s became %s; %s", what, before, after, consequence);
    field_changed(pair, ZG_COMPATIBLE, wider ? receivers : pair->from, text);
}

static const struct zg_enum_value *value_named(const struct zg_enum *enumeration, const char *name)
{
    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        if (strcmp(value->name, name) == 0)
            return value;
    }
    return NULL;
}

static const struct zg_enum_value *value_numbered(const struct zg_enum *enumeration, union zg_raw raw)
{
    const char *name = zg_enum_name(enumeration, raw);
    return name ? value_named(enumeration, name) : NULL;
}

static char *number_of(const struct zg_enum *enumeration, const struct zg_enum_value *value)
{
    if (enumeration->type.kind == ZG_KIND_SIGNED && !enumeration->flags)
        return g_strdup_printf("%" G_GINT64_FORMAT, value->raw.i);
    return g_strdup_printf("%" G_GUINT64_FORMAT, value->raw.u);
}

/* Names of numbers: what the same number means to each end. */
static void compare_enums(const struct field_pair *pair, const struct zg_enum *before, const struct zg_enum *after)
{
    struct zgi_comparison *comparison = pair->comparison;
    const char *unit = after->flags ? "bit" : "value";
    enum zg_side receivers = zg_receivers(pair->from);

    for (unsigned i = 0; i < after->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(after->values, i);
        const struct zg_enum_value *same_number = value_numbered(before, value->raw);
        const struct zg_enum_value *same_name = value_named(before, value->name);
        g_autofree char *number = number_of(after, value);
        if (same_number && strcmp(same_number->name, value->name) != 0)
            zgi_changed(comparison, ZG_BREAKING, 0, same_number->place, value->place,
                        "%s: %s %s was %s and is %s; each end keeps its own meaning", after->name, unit, number,
                        same_number->name, value->name);
        else if (!same_number && same_name)
            zgi_changed(comparison, ZG_BREAKING, 0, same_name->place, value->place,
                        "%s: %s has another %s, now %s; the other end does not know it", after->name, value->name, unit,
                        number);
        else if (!same_number)
            zgi_changed(comparison, ZG_COMPATIBLE, receivers, nowhere, value->place,
                        "%s: %s %s, %s, is new; an end with the old definition reads the number without a name",
                        after->name, unit, number, value->name);
    }
    for (unsigned i = 0; i < before->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(before->values, i);
        g_autofree char *number = number_of(before, value);
        if (!value_numbered(after, value->raw) && !value_named(after, value->name))
            zgi_changed(comparison, ZG_COMPATIBLE, (unsigned)pair->from, value->place, nowhere,
                        "%s: %s %s, %s, is gone; an end with the new definition reads the number without a name",
                        after->name, unit, number, value->name);
    }
}

static struct zg_place record_place(const struct zg_plan *plan, const char *name)
{
    for (unsigned i = 0; i < plan->definition->records->len; i++) {
        const struct zg_record *record = g_ptr_array_index(plan->definition->records, i);
        if (strcmp(record->name, name) == 0)
            return record->place;
    }
    return nowhere;
}

static void compare_records(const struct field_pair *pair)
{
    const struct zg_block *before = pair->before->record, *after = pair->after->record;
    const struct zgi_comparison *comparison = pair->comparison;
    char *key = g_strdup_printf("%s %s %s", zg_side_name(pair->from), before->name, after->name);

    if (g_hash_table_add(comparison->records,
                         key)) /* otherwise they, and all that they contain, were compared before */
        zgi_compare_blocks(pair->comparison, after->name, before, after, pair->from,
                           record_place(comparison->before, before->name),
                           record_place(comparison->after, after->name));
}

/* Whether two types have the same bits, apart from their extent and names. */
static bool same_element(const struct zg_step *before, const struct zg_step *after)
{
    const struct zg_enum *flags_before = before->type.enumeration, *flags_after = after->type.enumeration;

    return before->type.kind == after->type.kind && before->type.bits == after->type.bits &&
           (flags_before && flags_before->flags) == (flags_after && flags_after->flags);
}

static bool has_order(const struct zg_step *step)
{
    return !step->record && !zg_step_is_string(step) && !zg_step_is_leb(step) &&
           (step->type.bits > 8 || zg_step_is_bitwise(step));
}

static void compare_extents(const struct field_pair *pair)
{
    const struct zg_step *before = pair->before, *after = pair->after;
    g_autofree char *old_type = zg_type_name(before->type), *new_type = zg_type_name(after->type);
    bool counted = before->type.extent == after->type.extent && zg_step_is_open_count(after) &&
                   !zg_step_is_unlimited(before) && !zg_step_is_unlimited(after);

    if (before->type.extent != after->type.extent && strcmp(old_type, new_type) == 0) {
        field_changed(pair, ZG_BREAKING, 0,
                      before->type.extent == ZG_EXTENT_COUNTED
                          ? "it has no count in front now; each end expects another number of bytes"
                          : "it has a count in front now; each end expects another number of bytes");
        return;
    }
    if (counted && before->count_unit != after->count_unit) {
        breaks(pair, "the count of", before->count_unit > 1 ? "bytes," : "elements,",
               after->count_unit > 1 ? "bytes" : "elements", "each end expects another number of elements");
        return;
    }
    if (counted && before->count_size != after->count_size && before->type.count == after->type.count) {
        breaks(pair, "the count's bytes,", before->count_size > 1 ? "2," : "1,", after->count_size > 1 ? "2" : "1",
               "each end expects another number of elements");
        return;
    }
    if (before->type.extent == after->type.extent && before->type.count == after->type.count) {
        if (before->type.is_ascii != after->type.is_ascii)
            widened(pair, "type", old_type, new_type, before->type.is_ascii,
                    "text beyond printable ASCII is refused by the end that has it");
        if (counted && after->count_size == 2 && before->count_big_endian != after->count_big_endian)
            breaks(pair, "the count's order,", before->count_big_endian ? "big," : "little,",
                   after->count_big_endian ? "big" : "little", "each end expects another number of elements");
        return;
    }
    if (counted && before->count_size == after->count_size)
        widened(pair, "type", old_type, new_type, after->most > before->most,
                "a payload with more than the smaller maximum is refused by the end that has it");
    else
        breaks(pair, "type", old_type, new_type, "each end expects another number of bytes");
}

static void compare_numbers(const struct field_pair *pair)
{
    const struct zg_field *before = pair->before->field, *after = pair->after->field;

    if (mpq_cmp(before->scale, after->scale) != 0 || mpq_cmp(before->offset, after->offset) != 0) {
        g_autofree char *old_scale = zg_place_scale(before), *new_scale = zg_place_scale(after);
        g_autofree char *old_text = g_strconcat("raw", old_scale, NULL),
                        *new_text = g_strconcat("raw", new_scale, NULL);
        breaks(pair, "the physical value", old_text, new_text, "the same bytes mean another value to each end");
        return;
    }
    const struct zg_step *old_step = pair->before, *new_step = pair->after;
    bool is_signed = zg_step_is_signed(new_step);
    bool is_float = after->type.kind == ZG_KIND_FLOAT;
    if (!zg_type_is_integer(after->type) && !is_float)
        return;
    if (after->type.enumeration || before->type.enumeration || (is_float && !before->ranged && !after->ranged))
        return;
    double old_low = is_float && !before->ranged ? -G_MAXDOUBLE : old_step->scale.low;
    double new_low = is_float && !after->ranged ? -G_MAXDOUBLE : new_step->scale.low;
    bool low_same = is_float ? old_low == new_low : old_step->low.u == new_step->low.u;
    bool high_same = is_float ? before->ranged == after->ranged && old_step->high.f == new_step->high.f
                              : old_step->high.u == new_step->high.u;
    if (low_same && high_same)
        return;
    bool lower = is_float    ? new_low < old_low
                 : is_signed ? new_step->low.i < old_step->low.i
                             : new_step->low.u < old_step->low.u;
    bool higher = is_float    ? !after->ranged || (before->ranged && new_step->high.f > old_step->high.f)
                  : is_signed ? new_step->high.i > old_step->high.i
                              : new_step->high.u > old_step->high.u;
    g_autofree char *old_range = zg_place_range(old_step), *new_range = zg_place_range(new_step);
    bool wider = (lower || low_same) && (higher || high_same), narrower = !lower && !higher;
    unsigned first = (wider || !narrower ? zg_receivers(pair->from) : 0U) | (wider ? 0U : (unsigned)pair->from);
    g_autofree char *text =
        g_strdup_printf("range %s became %s; a value outside the other end's range is marked there",
                        *old_range ? old_range : "without limits", *new_range ? new_range : "without limits");
    field_changed(pair, ZG_COMPATIBLE, first, text);
}

static void compare_words(const struct field_pair *pair)
{
    const struct zg_field *before = pair->before->field, *after = pair->after->field;
    g_autofree char *text = NULL;

    if (strcmp(before->name, after->name) != 0) {
        text = g_strdup_printf("was named %s", before->name);
        field_changed(pair, ZG_SAME, 0, text);
    }
    if (g_strcmp0(before->unit, after->unit) != 0) {
        g_autofree char *unit =
            g_strdup_printf("unit %s became %s; if the quantity changed with it, it is misread",
                            before->unit ? before->unit : "none", after->unit ? after->unit : "none");
        field_changed(pair, ZG_SAME, 0, unit);
    }
    if (before->since > 0 && after->since > 0 && g_strcmp0(before->default_text, after->default_text) != 0)
        field_changed(pair, ZG_SAME, 0, "its default changed, which affects payloads of senders older than both");
    if (before->since < after->since)
        field_changed(pair, ZG_SAME, 0, "its since is later now; payloads of senders older than both may be refused");
    else if (before->since > after->since)
        field_changed(pair, ZG_SAME, 0,
                      "its since is earlier now, or gone; payloads of senders older than both may be refused");
}

static void compare_fields(const struct field_pair *pair)
{
    const struct zg_step *before = pair->before, *after = pair->after;
    const struct zg_enum *old_enum = before->type.enumeration, *new_enum = after->type.enumeration;
    const struct zgi_comparison *comparison = pair->comparison;

    if (!same_element(before, after)) {
        g_autofree char *old_type = zg_place_type(before), *new_type = zg_place_type(after);
        breaks(pair, "type", old_type, new_type,
               before->bits == after->bits && before->type.bits == after->type.bits
                   ? "each end reads the same bytes as something else"
                   : "each end reads other bytes");
        return;
    }
    compare_words(pair);
    compare_extents(pair);
    bool by_frame = comparison->before->definition->big_endian == before->big_endian &&
                    comparison->after->definition->big_endian ==
                        after->big_endian; /* a change of the frame's byte order is reported once, for the frame */
    if (has_order(after) && before->big_endian != after->big_endian && !by_frame)
        breaks(pair, "byte order", before->big_endian ? "big" : "little", after->big_endian ? "big" : "little",
               "each end reads the bytes in reverse order");
    compare_numbers(pair);
    if (old_enum && new_enum)
        compare_enums(pair, old_enum, new_enum);
    else if (old_enum || new_enum)
        field_changed(pair, ZG_SAME, 0, new_enum ? "its number now has names" : "its number no longer has names");
    if (before->record && after->record)
        compare_records(pair);
}

/* --- all fields of a block */

static int step_named(const struct zg_block *block, const char *name)
{
    for (unsigned i = 0; i < block->steps->len; i++)
        if (strcmp(zg_block_step(block, i)->name, name) == 0)
            return (int)i;
    return -1;
}

/* The field of the old block that became field `index` of the new one: the one of the same name; or the one of the same
 * place and type, if its name is gone. -1: none. */
static int partner_of(const struct zg_block *before, const struct position *old_positions, const struct zg_block *after,
                      const struct position *new_positions, unsigned index)
{
    const struct zg_step *step = zg_block_step(after, index);
    int named = step_named(before, step->name);

    for (unsigned i = 0; named < 0 && i < before->steps->len; i++) {
        const struct zg_step *other = zg_block_step(before, i);
        if (old_positions[i].varying == new_positions[index].varying &&
            old_positions[i].bit == new_positions[index].bit && step_named(after, other->name) < 0 &&
            same_element(other, step) && other->type.extent == step->type.extent &&
            other->type.count == step->type.count)
            return (int)i;
    }
    return named;
}

/* A field that only the new definition has; `last` is the last one that both have. */
static void added(struct zgi_comparison *comparison, const char *owner, const struct zg_block *after, unsigned index,
                  int last)
{
    const struct zg_step *step = zg_block_step(after, index);
    const struct zg_definition *old = comparison->before->definition, *new = comparison->after->definition;
    unsigned next = MAX(old->minor + 1, new->minor);
    const bool is_of_record = g_ptr_array_find(comparison->after->records, after, NULL);

    if ((int)index < last)
        zgi_changed(comparison, ZG_BREAKING, 0, nowhere, step->field->place,
                    "%s.%s is new among older fields; what follows it is read from other bytes", owner, step->name);
    else if (is_of_record)
        zgi_changed(comparison, ZG_BREAKING, 0, nowhere, step->field->place,
                    "%s.%s is new; an end with the new definition refuses what an old one sends, or reads what follows "
                    "from other bytes (fields of records have no `since`; one of the message would do)",
                    owner, step->name);
    else if ((int)index == last + 1 && !step->newer)
        zgi_changed(comparison, ZG_BREAKING, 0, nowhere, step->field->place,
                    "%s.%s is new, but without a `since` of its own; an end with the new definition refuses what an "
                    "old one sends (since: %u.%u would do)",
                    owner, step->name, new->major, next);
    else
        zgi_changed(comparison, ZG_COMPATIBLE, 0, nowhere, step->field->place,
                    "%s.%s is new; an old end ignores it, and from an old end it has its default%s", owner, step->name,
                    step->field->since <= old->minor && old->major == new->major
                        ? " (but the old definition has the same version)"
                        : "");
}

/* The lengths that two records hold of themselves. */
static void compare_lengths(struct zgi_comparison *comparison, const char *owner, const struct zg_block *before,
                            const struct zg_block *after, struct zg_place at_before, struct zg_place at_after)
{
    const struct zg_record_length *old = before->length, *new = after->length;

    if (!old && !new)
        return;
    if (!old || !new)
        zgi_changed(comparison, ZG_BREAKING, 0, old ? old->place : at_before, new ? new->place : at_after,
                    old ? "%s no longer holds its length; each end reads what follows from other bytes"
                        : "%s holds its length now; each end reads what follows from other bytes",
                    owner);
    else if (old->bits != new->bits || before->length_byte != after->length_byte ||
             (new->bits > 8 && old->big_endian != new->big_endian) || old->counts_rest != new->counts_rest ||
             old->plus != new->plus)
        zgi_changed(comparison, ZG_BREAKING, 0, old->place, new->place,
                    "%s.%s, its length, has another place, type or meaning; each end expects another number of bytes",
                    owner, new->name);
}

void zgi_compare_blocks(struct zgi_comparison *comparison, const char *owner, const struct zg_block *before,
                        const struct zg_block *after, enum zg_side from, struct zg_place at_before,
                        struct zg_place at_after)
{
    g_autofree struct position *old_positions = positions_of(before), *new_positions = positions_of(after);
    g_autofree int *partners = g_new(int, after->steps->len + 1);
    g_autofree bool *kept = g_new0(bool, before->steps->len + 1);
    g_autoptr(GString) moved = g_string_new(NULL);
    int last = -1;

    compare_lengths(comparison, owner, before, after, at_before, at_after);
    for (unsigned i = 0; i < after->steps->len; i++) {
        partners[i] = partner_of(before, old_positions, after, new_positions, i);
        if (partners[i] >= 0) {
            kept[partners[i]] = true;
            last = (int)i;
        }
    }
    for (unsigned i = 0; i < after->steps->len; i++) {
        if (partners[i] < 0) {
            added(comparison, owner, after, i, last);
            continue;
        }
        const struct field_pair pair = { comparison, owner, zg_block_step(before, (unsigned)partners[i]),
                                         zg_block_step(after, i), from };
        const struct position *old = &old_positions[partners[i]], *new = &new_positions[i];
        compare_fields(&pair);
        if (old->varying != new->varying || old->bit != new->bit)
            g_string_append_printf(moved, "%s%s", moved->len ? ", " : "", pair.after->name);
    }
    for (unsigned i = 0; i < before->steps->len; i++)
        if (!kept[i])
            zgi_changed(comparison, ZG_BREAKING, 0, zg_block_step(before, i)->field->place, nowhere,
                        "%s.%s is gone; an end with the old definition still reads it, or refuses the payload", owner,
                        zg_block_step(before, i)->name);
    if (moved->len > 0)
        zgi_changed(comparison, ZG_BREAKING, 0, at_before, at_after, "%s: %s moved; each end reads other bytes as them",
                    owner, moved->str);
}
