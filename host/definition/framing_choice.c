/* SPDX-License-Identifier: MIT */
#include "definition/framing_choice.h"

#include <glib.h>
#include <string.h>

const char *const zg_framing_names[ZG_FRAMINGS + 1] = { "cobs",  "slip", "hdlc",   "length", "marks",
                                                        "fixed", "gap",  "packet", NULL };

bool zg_framing_opens(const struct zg_framing_choice *framing)
{
    switch (framing->kind) {
    case ZG_FRAMING_COBS:
    case ZG_FRAMING_SLIP: return framing->lead;
    case ZG_FRAMING_HDLC: return true;
    case ZG_FRAMING_GAP:
    case ZG_FRAMING_PACKET: return false;
    default: return framing->start.size > 0;
    }
}

static void add_mark(GString *text, const char *before, const struct zg_mark *mark)
{
    if (mark->size > 0)
        g_string_append(text, before);
    for (unsigned i = 0; i < mark->size; i++)
        g_string_append_printf(text, " %02X", mark->bytes[i]);
}

bool zg_framing_is_sided(const struct zg_framing_choice *framing)
{
    return framing->host_end.size > 0 && (framing->host_end.size != framing->end.size ||
                                          memcmp(framing->host_end.bytes, framing->end.bytes, framing->end.size) != 0);
}

unsigned zg_framing_ends(const struct zg_framing_choice *framing, const struct zg_mark **ends)
{
    unsigned count = 0;

    ends[count++] = &framing->end;
    if (zg_framing_is_sided(framing))
        ends[count++] = &framing->host_end;
    for (unsigned i = 0; i < framing->also_ends; i++)
        ends[count++] = &framing->also_end[i];
    return count;
}

char *zg_framing_text(const struct zg_framing_choice *framing)
{
    GString *text = g_string_new(zg_framing_names[framing->kind]);

    if (framing->kind == ZG_FRAMING_COBS && framing->lead)
        g_string_append(text, " with lead");
    if (framing->kind == ZG_FRAMING_SLIP && !framing->lead)
        g_string_append(text, " without lead");
    add_mark(text, framing->kind == ZG_FRAMING_MARKS ? "" : " behind", &framing->start);
    add_mark(text, " ..", &framing->end);
    if (zg_framing_is_sided(framing)) {
        add_mark(text, " from the device, ..", &framing->host_end);
        g_string_append(text, " from the host");
    }
    for (unsigned i = 0; i < framing->also_ends; i++)
        add_mark(text, " or", &framing->also_end[i]);
    for (unsigned i = 0; i < framing->ignores; i++)
        g_string_append_printf(text, "%s%02X", i == 0 ? ", without " : " ", framing->ignored[i]);
    if (framing->marking == ZG_MARKING_ESCAPED)
        g_string_append_printf(text, " with escape %02X", framing->escape);
    if (framing->marking == ZG_MARKING_DOUBLED)
        g_string_append_printf(text, " with %02X doubled", framing->escape);
    if (framing->coding)
        g_string_append(text, framing->coding == ZG_CODING_UPPER ? ", in HEX" : ", in hex");
    if (framing->kind == ZG_FRAMING_GAP && framing->gap_millichars > 0)
        g_string_append_printf(text, " of %g characters", (double)framing->gap_millichars / 1000);
    else if (framing->kind == ZG_FRAMING_GAP)
        g_string_append_printf(text, " of %g us", (double)framing->gap_ns / 1000);
    return g_string_free(text, FALSE);
}
