/* SPDX-License-Identifier: MIT */
/* The bytes of a block drawn bit by bit, four bytes a row, the most significant bit of each byte first. */
#include <string.h>

#include "cli.h"

enum { ROW_BYTES = 4, MOST_ROWS = 32, NOBODY = -1 };

/* Which step each bit of the block's first part belongs to: owners[8 * byte + 7 - bit]. */
static void mark_step(const struct zg_step *step, int index, int *owners, unsigned bytes)
{
    bool numbers = !step->record && !zg_step_is_string(step);
    struct zg_piece pieces[ZG_PIECES];

    for (unsigned byte = step->byte; !numbers && byte < zg_step_end(step); byte++)
        for (unsigned bit = 0; bit < 8; bit++)
            owners[8 * byte + bit] = index;
    for (unsigned element = 0; numbers && element < step->most; element++) {
        unsigned count = zg_step_pieces(step, element, pieces);
        for (unsigned i = 0; i < count; i++)
            for (unsigned bit = 0; bit < pieces[i].bits && pieces[i].byte < bytes; bit++)
                owners[8 * pieces[i].byte + 7 - pieces[i].low - bit] = index;
    }
}

/* Text in the middle of a width, cut if it is too long. */
static void append_label(GString *line, const char *label, size_t width)
{
    size_t length = MIN(strlen(label), width);
    size_t left = (width - length) / 2;

    g_string_append_printf(line, "%*s%.*s%*s", (int)left, "", (int)length, label, (int)(width - left - length), "");
}

static void print_row(const struct zg_block *block, const int *owners, unsigned first, unsigned bytes)
{
    g_autoptr(GString) line = g_string_new(NULL);
    g_autoptr(GString) rule = g_string_new("      +");
    unsigned bits = 8 * MIN(ROW_BYTES, bytes - first);

    g_string_append_printf(line, "  %3u |", first);
    for (unsigned i = 0; i < bits;) {
        unsigned end = i + 1;
        int owner = owners[8 * first + i];
        while (end < bits && owners[8 * first + end] == owner)
            end++;
        append_label(line, owner == NOBODY ? "" : zg_block_step(block, (unsigned)owner)->name, 2 * (end - i) - 1);
        g_string_append_c(line, '|');
        i = end;
    }
    for (unsigned i = 0; i < bits; i++)
        g_string_append(rule, i % 8 == 7 ? "-+" : "--");
    cli_print("%s\n%s\n", line->str, rule->str);
}

void cli_print_map(const struct zg_block *block)
{
    unsigned behind = 0, bytes = 0;

    while (behind < block->steps->len && !zg_block_step(block, behind)->varies &&
           !zg_block_step(block, behind)->newer) {
        bytes = MAX(bytes, zg_step_end(zg_block_step(block, behind)));
        behind++;
    }
    if (bytes == 0 || bytes > ROW_BYTES * MOST_ROWS)
        return;
    g_autofree int *owners = g_new(int, 8 * bytes);
    for (unsigned i = 0; i < 8 * bytes; i++)
        owners[i] = NOBODY;
    for (unsigned i = 0; i < behind; i++)
        mark_step(zg_block_step(block, i), (int)i, owners, bytes);
    cli_print("\n       ");
    for (unsigned i = 0; i < 8 * MIN(ROW_BYTES, bytes); i++)
        cli_print("%u%s", 7 - i % 8, i + 1 < 8 * MIN(ROW_BYTES, bytes) ? " " : "");
    cli_print("\n      +");
    for (unsigned i = 0; i < 8 * MIN(ROW_BYTES, bytes); i++)
        cli_print(i % 8 == 7 ? "-+" : "--");
    cli_print("\n");
    for (unsigned first = 0; first < bytes; first += ROW_BYTES)
        print_row(block, owners, first, bytes);
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
