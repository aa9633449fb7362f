/* SPDX-License-Identifier: MIT */
/* The bytes of a block drawn bit by bit, four bytes a row, the most significant bit of each byte first. */
#include <string.h>

#include "analysis/places.h"
#include "cli.h"

enum { ROW_BYTES = 4, MOST_ROWS = 32 };

/* Text in the middle of a width, cut if it is too long. */
static void append_label(GString *line, const char *label, size_t width)
{
    size_t length = MIN(strlen(label), width);
    size_t left = (width - length) / 2;

    g_string_append_printf(line, "%*s%.*s%*s", (int)left, "", (int)length, label, (int)(width - left - length), "");
}

/* The row of bytes from `first` on; `before` bytes stand in front of the block. */
static void print_row(const struct zg_block *block, const int *owners, unsigned first, unsigned bytes, unsigned before)
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
        append_label(line, owner == ZG_NOBODY ? "" : zg_block_step(block, (unsigned)owner)->name, 2 * (end - i) - 1);
        g_string_append_c(line, '|');
        i = end;
    }
    for (unsigned i = 0; i < bits; i++)
        g_string_append(rule, i % 8 == 7 ? "-+" : "--");
    cli_print("%s\n%s\n", line->str, rule->str);
}

void cli_print_map(const struct zg_block *block, unsigned before)
{
    unsigned behind, bytes;
    g_autofree int *owners = zg_place_owners(block, &bytes, &behind);

    if (bytes == 0 || bytes > ROW_BYTES * MOST_ROWS)
        return;
    cli_print("\n       ");
    for (unsigned i = 0; i < 8 * MIN(ROW_BYTES, bytes); i++)
        cli_print("%u%s", 7 - i % 8, i + 1 < 8 * MIN(ROW_BYTES, bytes) ? " " : "");
    cli_print("\n      +");
    for (unsigned i = 0; i < 8 * MIN(ROW_BYTES, bytes); i++)
        cli_print(i % 8 == 7 ? "-+" : "--");
    cli_print("\n");
    for (unsigned first = 0; first < bytes; first += ROW_BYTES)
        print_row(block, owners, first, bytes, before);
    for (unsigned i = behind; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        g_autofree char *type = zg_type_name(step->type);
        cli_print("      | then %s, %s: ", step->name, type);
        if (step->least_size == step->most_size)
            cli_print("%u bytes\n", step->most_size);
        else
            cli_print("%u to %u bytes\n", step->least_size, step->most_size);
    }
    cli_print("\n");
}
