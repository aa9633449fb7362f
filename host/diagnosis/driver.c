/* SPDX-License-Identifier: MIT */
/* A rule that all bytes of the stream follow: a driver or an adapter that is set otherwise than the sender. */
#include "diagnosis/causes.h"

enum {
    WITNESSES = 5,    /* bytes that the rule changes, at least */
    LOOKED_AT = 1000, /* bytes of a stretch, below what its bytes are kept whole of */
    STRETCHES = 200,
    EATEN_MOST = 4 /* values */
};

/* Every byte arrives as a rule makes it. */
typedef uint8_t (*rule_of_bytes)(uint8_t byte);

static uint8_t strip(uint8_t byte)
{
    return byte & 0x7F;
}

static uint8_t invert(uint8_t byte)
{
    return (uint8_t)~byte;
}

static uint8_t reverse(uint8_t byte)
{
    uint8_t turned = 0;

    for (unsigned i = 0; i < 8; i++)
        turned |= (uint8_t)((byte >> i & 1U) << (7 - i));
    return turned;
}

static uint8_t even_parity(uint8_t byte)
{
    return (uint8_t)((byte & 0x7FU) | ((unsigned)__builtin_popcount(byte & 0x7FU) & 1U) << 7);
}

static uint8_t odd_parity(uint8_t byte)
{
    return even_parity(byte) ^ 0x80;
}

static uint8_t mark_parity(uint8_t byte)
{
    return byte | 0x80;
}

static uint8_t return_to_feed(uint8_t byte)
{
    return byte == '\r' ? '\n' : byte;
}

static uint8_t feed_to_return(uint8_t byte)
{
    return byte == '\n' ? '\r' : byte;
}

static const struct {
    rule_of_bytes rule;
    const char *text;
} rules[] = { { strip, "bit 7 of each byte arrives as 0: one end, or a driver, is set to 7 data bits" },
              { invert, "all bits arrive inverted: the polarity of the line" },
              { reverse, "the bits of each byte arrive in the other order" },
              { even_parity, "bit 7 of each byte arrives as even parity: one end is set to 7 data bits and parity" },
              { odd_parity, "bit 7 of each byte arrives as odd parity: one end is set to 7 data bits and parity" },
              { mark_parity, "bit 7 of each byte arrives as 1: one end is set to 7 data bits" },
              { return_to_feed, "each 0D arrives as 0A: a driver translates line ends" },
              { feed_to_return, "each 0A arrives as 0D: a driver translates line ends" } };

/* The bytes of a stretch, and how many of them are looked at. */
struct bytes {
    const uint8_t *sent, *arrived;
    gsize sent_size, arrived_size;
};

static struct bytes bytes_of(const struct zgi_mark *mark)
{
    struct bytes bytes = { .sent = NULL };

    bytes.sent = g_bytes_get_data(mark->stretch->sent, &bytes.sent_size);
    bytes.arrived = g_bytes_get_data(mark->stretch->arrived, &bytes.arrived_size);
    return bytes;
}

/* Whether a stretch follows a rule, and how many of its bytes that changes. */
static bool follows(const struct zgi_mark *mark, rule_of_bytes rule, unsigned *changed)
{
    const struct bytes bytes = bytes_of(mark);
    const gsize size = MIN(MIN(bytes.sent_size, bytes.arrived_size), (gsize)LOOKED_AT);

    *changed = 0;
    for (gsize i = 0; i < size; i++) {
        if (rule(bytes.sent[i]) != bytes.arrived[i])
            return false;
        *changed += bytes.sent[i] != bytes.arrived[i];
    }
    return bytes.sent_size == bytes.arrived_size || size == LOOKED_AT;
}

/* Whether a stretch is what is left of what was sent without the bytes of a set. */
static bool lacks(const struct zgi_mark *mark, const bool eaten[256], unsigned *changed)
{
    const struct bytes bytes = bytes_of(mark);
    gsize at = 0;

    *changed = 0;
    for (gsize i = 0; i < bytes.sent_size && i < LOOKED_AT; i++)
        if (eaten[bytes.sent[i]])
            ++*changed;
        else if (at >= bytes.arrived_size || bytes.arrived[at++] != bytes.sent[i])
            return false;
    return true;
}

/* What is asked of stretches with bytes is answered where the rule holds. Named if it explains nearly all of them,
 * since a rule knows no exceptions, and enough bytes bear witness. */
static bool try_rule(struct zgi_case *of, rule_of_bytes rule, const bool *eaten, char *text)
{
    unsigned witnesses = 0, followers = 0, others = 0, changed;

    for (guint i = 0; i < of->marks->len && followers + others < STRETCHES; i++) {
        const struct zgi_mark *mark = zgi_mark_at(of, i);
        if (!mark->is_known || (mark->asks & ~mark->answered) == 0 || (mark->asks & ~(unsigned)ZGI_WHY_ACCEPTED) == 0)
            continue;
        const bool fits = rule ? follows(mark, rule, &changed) : lacks(mark, eaten, &changed);
        *(fits && changed > 0 ? &followers : &others) += 1;
        witnesses += fits ? changed : 0;
    }
    if (witnesses < WITNESSES || others > followers)
        return false;
    for (guint i = 0; i < of->marks->len; i++) {
        struct zgi_mark *mark = zgi_mark_at(of, i);
        if (mark->is_known && (rule ? follows(mark, rule, &changed) : lacks(mark, eaten, &changed)) && changed > 0)
            zgi_answer(mark, ZG_CAUSE_DRIVER, ZGI_WHYS & ~(unsigned)ZGI_WHY_ACCEPTED);
    }
    zgi_quantity(zgi_find(of, ZG_CAUSE_DRIVER, text), "bytes", witnesses);
    return true;
}

/* The values of missing bytes, if they are few, and none of them ever arrives in these stretches. */
static bool find_eaten(const struct zgi_case *of, bool eaten[256], GString *names)
{
    unsigned missing[256] = { 0 }, came[256] = { 0 }, values = 0;

    for (guint i = 0; i < of->marks->len && i < STRETCHES; i++) {
        const struct zgi_mark *mark = zgi_mark_at(of, i);
        if (!mark->is_known)
            continue;
        const struct bytes bytes = bytes_of(mark);
        for (guint k = mark->steps; k < mark->steps_end; k++) {
            const struct zg_align_step *step = zgi_step_at(of, k);
            for (unsigned n = 0; step->what == ZG_ALIGN_MISSING && n < step->count && step->sent_at + n < LOOKED_AT;
                 n++)
                missing[bytes.sent[step->sent_at + n]]++;
        }
        for (gsize k = 0; k < bytes.arrived_size && k < LOOKED_AT; k++)
            came[bytes.arrived[k]]++;
    }
    for (unsigned value = 0; value < 256; value++) {
        eaten[value] = missing[value] > 0 && came[value] == 0;
        values += eaten[value];
        if (eaten[value])
            g_string_append_printf(names, "%s%02X", names->len > 0 ? " " : "", value);
    }
    return values > 0 && values <= EATEN_MOST;
}

void zgi_look_for_driver(struct zgi_case *of)
{
    bool eaten[256];
    g_autoptr(GString) names = g_string_new(NULL);

    for (size_t i = 0; i < G_N_ELEMENTS(rules); i++) {
        char *text = g_strdup(rules[i].text);
        if (try_rule(of, rules[i].rule, NULL, text))
            return;
        g_free(text);
    }
    if (!find_eaten(of, eaten, names))
        return;
    char *text = g_strdup_printf("bytes of these values never arrive: %s%s", names->str,
                                 eaten[0x11] || eaten[0x13] ? "; a driver takes them for flow control (XON/XOFF)" : "");
    if (!try_rule(of, NULL, eaten, text))
        g_free(text);
}
