/* SPDX-License-Identifier: MIT */
/* How frames are sent, in words, for a specification. */
#include "generate/docs/docs.h"

static const char *const rescan =
    "What opens a frame is only a candidate. One whose length, form, check or constants are wrong is no frame, and the "
    "receiver continues at the byte after the candidate's first, so that a frame inside it is found.";

/* "the byte `7e`", "the bytes `a5` `5a`". */
static char *mark_words(const struct zg_mark *mark)
{
    GString *text = g_string_new(mark->size == 1 ? "the byte" : "the bytes");

    for (unsigned i = 0; i < mark->size; i++)
        g_string_append_printf(text, " `%02x`", mark->bytes[i]);
    return g_string_free(text, FALSE);
}

/* The bytes of the longest frame, whatever carries them. */
static unsigned frame_bytes(const struct zg_plan *plan)
{
    return plan->definition->framing.halves ? plan->max_frame / 2 : plan->max_frame;
}

static void print_cobs(struct zgi_document *document, const struct zg_plan *plan)
{
    bool lead = plan->definition->framing.lead;

    zgi_document_paragraph(
        document,
        "It is sent with Consistent Overhead Byte Stuffing, so that no byte of it is zero, and a zero byte ends it%s: "
        "at most %u bytes on the wire. To stuff: append a zero to the content, and cut it into pieces that each end "
        "with a zero. Send each piece as a code byte, its length including the zero, then its bytes without the zero. "
        "Of a piece that begins with 254 or more bytes other than zero, send these 254 after the code 255, which "
        "stands for no zero, and continue with the rest; if the content ends just there, nothing is left to send. Then "
        "send 0.",
        lead ? ", another zero byte begins it" : "", frame_bytes(plan));
    zgi_document_paragraph(
        document,
        "A receiver collects bytes up to a zero byte, undoes the stuffing, and checks length, check and constants. "
        "Whatever fails is dropped, and the next frame begins after that zero. More than %u bytes without a zero are "
        "no frame. Silence within a frame ends it like a zero. A zero with nothing before it is idle.",
        frame_bytes(plan) - 1 - lead);
}

static void print_escaped(struct zgi_document *document, const struct zg_plan *plan)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;
    bool hdlc = framing->kind == ZG_FRAMING_HDLC;

    if (hdlc)
        zgi_document_paragraph(document,
                               "It is sent between two flags, the byte `7e` (octet stuffing, RFC 1662). In the content "
                               "`7e`%s `7d`%s are sent as `7d` and the byte XOR `20`: at most %u bytes on the wire. "
                               "One flag may close a frame and open the next.",
                               framing->escape_control ? "," : " and",
                               framing->escape_control ? " and all below `20`" : "", frame_bytes(plan));
    else
        zgi_document_paragraph(
            document,
            "The byte `c0` ends it%s (SLIP, RFC 1055). In the content `c0` is sent as `db` `dc`, `db` as "
            "`db` `dd`: at most %u bytes on the wire.",
            framing->lead ? ", another begins it" : "", frame_bytes(plan));
    zgi_document_paragraph(document,
                           "A receiver collects bytes up to a `%s`, undoes the escapes, and checks length, check and "
                           "constants. Whatever fails is dropped, %s, and the `%s` that ended it may open the next. "
                           "Silence within a frame ends it like a `%s`. One with nothing before it is idle.",
                           hdlc ? "7e" : "c0",
                           hdlc ? "including `7d` before a flag" : "including `db` before any other byte",
                           hdlc ? "7e" : "c0", hdlc ? "7e" : "c0");
}

static void print_sized(struct zgi_document *document, const struct zg_plan *plan)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;
    g_autofree char *start = mark_words(&framing->start), *end = mark_words(&framing->end);
    g_autoptr(GString) text = g_string_new(NULL);

    if (framing->start.size > 0)
        g_string_append_printf(text, "It begins with %s. ", start);
    if (framing->end.size > 0)
        g_string_append_printf(text, "It ends with %s. ", end);
    if (framing->kind == ZG_FRAMING_LENGTH)
        g_string_append_printf(text,
                               "The length in the header shows where it ends. At most %u bytes on the wire; a greater "
                               "length is no frame's.",
                               frame_bytes(plan));
    else
        g_string_append_printf(text, "Every frame has %u bytes on the wire%s.", frame_bytes(plan),
                               plan->filled > 0 ? ": a shorter payload is filled up with zero bytes before the check, "
                                                  "which covers them; a receiver ignores their values"
                                                : "");
    zgi_document_paragraph(document, "%s", text->str);
    zgi_document_paragraph(document, "%s Silence within a candidate also ends it.", rescan);
}

/* How a frame ends, which the two sides may do differently, and what a receiver takes as well. */
static void append_ends(GString *text, const struct zg_framing_choice *framing)
{
    g_autofree char *end = mark_words(&framing->end), *host = mark_words(&framing->host_end);

    if (zg_framing_is_sided(framing))
        g_string_append_printf(text, "From the device it ends with %s, from the host with %s. ", end, host);
    else
        g_string_append_printf(text, "It ends with %s. ", end);
    for (unsigned i = 0; i < framing->also_ends; i++) {
        g_autofree char *also = mark_words(&framing->also_end[i]);
        g_string_append_printf(text, "%s%s", i == 0 ? "A receiver also takes " : ", or ", also);
    }
    if (framing->also_ends > 0)
        g_string_append(text, ": the first mark that is complete ends the frame, and one with nothing before it is "
                              "idle. ");
    for (unsigned i = 0; i < framing->ignores; i++)
        g_string_append_printf(text, i == 0 ? "A receiver drops `%02x`" : ", `%02x`", framing->ignored[i]);
    if (framing->ignores > 0)
        g_string_append(text, ", wherever it stands, before it does anything else. ");
}

/* Which messages may hold the end mark. */
static void append_fixed_ends(GString *text, const struct zg_plan *plan)
{
    bool any = false;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (item->fixed_end)
            g_string_append_printf(text, any ? ", in %s behind %u" : "In %s it stands behind %u bytes",
                                   item->message->name, zg_plan_before_end(plan, item));
        any = any || item->fixed_end;
    }
    if (any)
        g_string_append(text, ", which may hold it as well. ");
}

static void print_marks(struct zgi_document *document, const struct zg_plan *plan)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;
    g_autofree char *start = mark_words(&framing->start);
    g_autoptr(GString) text = g_string_new(NULL);

    if (framing->start.size > 0)
        g_string_append_printf(text, "It begins with %s. ", start);
    append_ends(text, framing);
    append_fixed_ends(text, plan);
    if (framing->coding && zg_framing_is_plain(framing))
        g_string_append(text, "The digits are sent as they are");
    else if (plan->searched)
        g_string_append_printf(text, "The content%s does not hold an end mark before its end, and is sent as it is",
                               zg_plan_has_fixed_ends(plan, ZG_SIDE_BOTH) ? " of other messages" : "");
    else if (framing->marking == ZG_MARKING_DOUBLED)
        g_string_append_printf(text, "Wherever `%02x` occurs in the content it is sent twice", framing->escape);
    else
        g_string_append_printf(
            text,
            "Each of these bytes, and `%02x`, is sent as `%02x` and the byte XOR `%02x` where it occurs in the content",
            framing->escape, framing->escape, framing->escape_xor);
    g_string_append_printf(text, ": at most %u bytes on the wire.", frame_bytes(plan));
    zgi_document_paragraph(document, "%s", text->str);
    zgi_document_paragraph(
        document, "%s%s Silence within a candidate also ends it.",
        framing->start.size == 0 ? "The start of the stream opens a frame, and so does an end mark. " : "", rescan);
}

void zgi_docs_framing(struct zgi_document *document, const struct zg_plan *plan)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;

    if (framing->halves)
        zgi_document_paragraph(
            document,
            "Each byte of a frame is sent as two characters, its %s four bits first, in at most %u characters a frame. "
            "Where frames follow each other a receiver joins them as it joined the last one. Once something is no "
            "frame, it also joins the characters the other way, from the second of these on, and takes what is "
            "complete first and passes. Below, bytes are joined ones.",
            framing->halves == ZG_HALVES_HIGH_FIRST ? "high" : "low", plan->max_frame);
    if (framing->coding)
        zgi_document_paragraph(document,
                               "Each byte of header, payload and check is sent as two hex digits, the high one first, "
                               "in %s case; a receiver takes either. What else stands between the framing's own bytes "
                               "is no frame. Below, the content is these digits.",
                               framing->coding == ZG_CODING_UPPER ? "upper" : "lower");
    switch (framing->kind) {
    case ZG_FRAMING_COBS: print_cobs(document, plan); break;
    case ZG_FRAMING_SLIP:
    case ZG_FRAMING_HDLC: print_escaped(document, plan); break;
    case ZG_FRAMING_GAP:
        zgi_document_paragraph(
            document,
            "It is sent as it is, at most %u bytes. Silence on the line of at least %g us ends it, and none may be as "
            "long within it. What fails by its length, check or constants is dropped up to the next silence.",
            frame_bytes(plan), (double)plan->gap_ns / 1000);
        break;
    case ZG_FRAMING_PACKET:
        zgi_document_paragraph(document,
                               "The link keeps packets apart: each is one frame, whole, of at most %u bytes. A longer "
                               "packet, and one that fails by its length, check or constants, is dropped.",
                               frame_bytes(plan));
        break;
    default:
        if (framing->kind == ZG_FRAMING_MARKS && !plan->sized)
            print_marks(document, plan);
        else
            print_sized(document, plan);
        break;
    }
}
