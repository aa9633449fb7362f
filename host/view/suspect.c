/* SPDX-License-Identifier: MIT */
#include "view/suspect.h"

#include <math.h>
#include <string.h>

#include "analysis/timing.h"
#include "definition/checks.h"
#include "plan/fingerprint.h"
#include "zeugma/hello.h"
#include "zeugma/text.h"

#define SECOND_NS UINT64_C(1000000000)

enum {
    SAMPLE = 2048, /* the newest bytes since the last frame that are examined */
    ENOUGH = 96,   /* bytes of these before anything is reported */
    ENOUGH_FRAMES = 2,
    ENOUGH_VALUES = 8,
    SILENT_S = 3,
    LISTEN_NS = 400000000,
    SETTLE_NS = 20000000
};

enum finding {
    SILENCE = 1,
    TEXT = 2,
    DEFINITION = 4,
    ORDER = 8,
    NOISE = 16,
    CHECK_ORDER = 32,
    VERSION = 64,
    VALUE_ORDER = 128,
    MISFIT = 256
};

struct zg_suspect {
    const struct zg_plan *plan;
    GByteArray *sample;
    uint64_t ended;     /* bytes that were no frame, by the counters at the last frame */
    bool restart;       /* a frame came: they count from now on */
    uint64_t heard_ns;  /* when bytes last came */
    bool heard, framed; /* something came; a frame came */
    unsigned swapped;   /* checks that would pass with their bytes in reverse order */
    unsigned failed;    /* since the last frame */
    unsigned misfits;   /* frames with a payload that no message with their id has */
    unsigned foreign;   /* frames of another version */
    unsigned strays,
        turned; /* values out of range; those of them that would be within it with their bytes in reverse order */
    const struct zg_step *stray; /* the field of the newest of them */
    enum zg_match match;
    unsigned reported; /* a sum of findings already reported */
};

struct zg_suspect *zg_suspect_new(const struct zg_plan *plan)
{
    struct zg_suspect *suspect = g_new0(struct zg_suspect, 1);

    suspect->plan = plan;
    suspect->sample = g_byte_array_new();
    return suspect;
}

void zg_suspect_free(struct zg_suspect *suspect)
{
    if (!suspect)
        return;
    g_byte_array_unref(suspect->sample);
    g_free(suspect);
}

void zg_suspect_bytes(struct zg_suspect *suspect, const struct zg_passage *passage)
{
    if (passage->out || passage->count == 0)
        return;
    suspect->heard = true;
    suspect->heard_ns = passage->at_ns;
    suspect->reported &= ~(unsigned)SILENCE;
    g_byte_array_append(suspect->sample, passage->bytes, (guint)passage->count);
    if (suspect->sample->len > SAMPLE)
        g_byte_array_remove_range(suspect->sample, 0, suspect->sample->len - SAMPLE);
}

static uint64_t swapped(uint64_t word, unsigned size)
{
    uint64_t result = 0;

    for (unsigned i = 0; i < size; i++)
        result = result << 8 | (word >> 8 * i & 0xFF);
    return result;
}

/* What a hello says about the definition at the other end. */
static void note_hello(struct zg_suspect *suspect, const struct zg_value *values)
{
    const struct zg_definition *definition = suspect->plan->definition;

    if (values[0].raw.u != definition->major)
        suspect->match = values[0].raw.u < definition->major ? ZG_MATCH_OLDER_MAJOR : ZG_MATCH_NEWER_MAJOR;
    else if (values[1].raw.u != definition->minor)
        suspect->match = values[1].raw.u < definition->minor ? ZG_MATCH_OLDER_MINOR : ZG_MATCH_NEWER_MINOR;
    else
        suspect->match = values[2].raw.u == zg_fingerprint(suspect->plan) ? ZG_MATCH_SAME : ZG_MATCH_OTHER_DEFINITION;
}

/* Looks for numbers of whole bytes that are out of range, perhaps because of their byte order. */
static void note_values(struct zg_suspect *suspect, const struct zg_stretch *stretch)
{
    const struct zg_block *block = &stretch->message->payload;

    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        const union zg_raw raw = stretch->values[i].raw;
        if (!zg_step_is_number(step) || step->bits < 16 || step->bits % 8 != 0 || step->type.kind == ZG_KIND_FLOAT ||
            !step->field->ranged || zg_step_permits(step, raw))
            continue;
        const uint64_t word = swapped(raw.u, step->bits / 8);
        const union zg_raw other =
            zg_step_is_signed(step) ? (union zg_raw){ .i = (int64_t)(word << (64 - step->bits)) >> (64 - step->bits) }
                                    : (union zg_raw){ .u = word };
        suspect->strays++;
        suspect->turned += zg_step_permits(step, other);
        suspect->stray = step;
    }
}

void zg_suspect_stretch(struct zg_suspect *suspect, bool out, const struct zg_stretch *stretch)
{
    if (out)
        return;
    if (stretch->kind == ZG_STRETCH_SKIPPED) {
        suspect->failed++;
        suspect->swapped += stretch->checked && !suspect->plan->check.form && suspect->plan->check.size > 1 &&
                            stretch->found != stretch->expected &&
                            swapped(stretch->found, suspect->plan->check.size) == stretch->expected;
        return;
    }
    if (stretch->kind == ZG_STRETCH_CONSOLE)
        return;
    if (stretch->kind == ZG_STRETCH_UNDELIVERED && strcmp(stretch->why, "other version") == 0) {
        suspect->foreign++;
    } else {
        suspect->framed = true;
        suspect->restart = true;
        suspect->failed = suspect->swapped = 0;
        g_byte_array_set_size(suspect->sample, 0);
        suspect->reported &= ~(unsigned)(TEXT | ORDER | NOISE | CHECK_ORDER);
    }
    suspect->misfits += stretch->kind == ZG_STRETCH_UNDELIVERED && strcmp(stretch->why, "bad payload") == 0;
    if (stretch->kind != ZG_STRETCH_FRAME)
        return;
    note_values(suspect, stretch);
    if (stretch->message->message->service && strcmp(stretch->message->message->name, "hello") == 0)
        note_hello(suspect, stretch->values);
}

/* --- what a sample would be */

static void ignore(const struct zg_stretch *stretch, void *data)
{
    (void)stretch;
    (void)data;
}

/* How many frames are in some bytes, if they make up at least half of them. */
static unsigned frames_in(const struct zg_plan *plan, const uint8_t *bytes, size_t count)
{
    struct zg_frame_reader *stream = zg_frame_reader_new(plan, ignore, NULL);

    zg_frame_reader_feed(stream, bytes, count);
    const struct zg_counters *counters = zg_frame_reader_counters(stream);
    const unsigned frames = 2 * (uint64_t)counters->bytes_of_frames >= count ? counters->frames_in : 0;
    zg_frame_reader_free(stream);
    return frames;
}

static const char *other_order(const struct zg_suspect *suspect)
{
    static const char *const words[] = { NULL,
                                         "the bits of each byte come in the opposite order, most significant first",
                                         "the line is inverted: every bit comes as its opposite",
                                         "the line is inverted, and the bits of each byte come in the opposite order" };
    uint8_t turned[SAMPLE];

    for (unsigned way = 1; way < G_N_ELEMENTS(words); way++) {
        for (guint i = 0; i < suspect->sample->len; i++) {
            uint8_t byte = suspect->sample->data[i];
            byte = (way & 1U) != 0 ? (uint8_t)zg_bits_reversed(byte, 8) : byte;
            turned[i] = (way & 2U) != 0 ? (uint8_t)~byte : byte;
        }
        if (frames_in(suspect->plan, turned, suspect->sample->len) >= ENOUGH_FRAMES)
            return words[way];
    }
    return NULL;
}

/* The bits of a byte that are set, modulo 2. */
static unsigned parity_of(uint8_t byte)
{
    unsigned odd = 0;

    for (; byte != 0; byte >>= 1)
        odd ^= byte & 1U;
    return odd;
}

/* What bit 7 is, if the bytes make frames without it; NULL: they do not. */
static const char *seventh_bit(const struct zg_suspect *suspect)
{
    const GByteArray *sample = suspect->sample;
    uint8_t stripped[SAMPLE];
    guint odd = 0;

    for (guint i = 0; i < sample->len; i++) {
        stripped[i] = sample->data[i] & 0x7F;
        odd += parity_of(sample->data[i]);
    }
    if (frames_in(suspect->plan, stripped, sample->len) < ENOUGH_FRAMES)
        return NULL;
    return 100 * odd <= sample->len        ? "even parity: the line is 7E1"
           : 100 * odd >= 99 * sample->len ? "odd parity: the line is 7O1"
                                           : "no data: the line has 7 data bits";
}

/* Whether nearly all of it is text; a character may be cut at either end. */
static bool is_text(const GByteArray *sample)
{
    size_t text = 0;

    for (size_t at = 0; at < sample->len;) {
        size_t run = zg_text_run(sample->data + at, sample->len - at, NULL);
        text += run;
        at += run + 1;
    }
    return text * 20 >= (size_t)sample->len * 19;
}

/* --- judging */

static bool is_new(struct zg_suspect *suspect, enum finding finding)
{
    if ((suspect->reported & (unsigned)finding) != 0)
        return false;
    suspect->reported |= (unsigned)finding;
    return true;
}

/* The first words of a text. */
static char *quoted(const GByteArray *sample)
{
    g_autofree char *text = g_utf8_make_valid((const char *)sample->data, (gssize)MIN(sample->len, 60));

    for (char *c = text; *c; c++)
        if ((unsigned char)*c < 0x20)
            *c = ' ';
    return g_strdup(g_strstrip(text));
}

/* What bytes probably are that contain no frames. */
static char *judge_bytes(struct zg_suspect *suspect, uint64_t ended, bool *noise)
{
    const char *protocol = suspect->plan->definition->protocol, *seventh = seventh_bit(suspect);

    if (seventh)
        return is_new(suspect, ORDER)
                   ? g_strdup_printf("bit 7 of each byte is %s; without it frames of %s arrive", seventh, protocol)
                   : NULL;
    if (suspect->swapped >= ENOUGH_FRAMES && 2 * suspect->swapped >= suspect->failed) { /* then the speed is right */
        if (!is_new(suspect, CHECK_ORDER))
            return NULL;
        return g_strdup_printf(
            "%u checks would pass with their bytes in reverse order: give the check an `order:` of its own",
            suspect->swapped);
    }
    if (is_text(suspect->sample)) {
        if ((suspect->plan->definition->console == ZG_CONSOLE_INTERLEAVED && suspect->framed) || !is_new(suspect, TEXT))
            return NULL;
        g_autofree char *text = quoted(suspect->sample);
        return g_strdup_printf("only text arrives, no frame of %s: \"%s\"; is it the boot loader, or other firmware?",
                               protocol, text);
    }
    const char *order = other_order(suspect);
    if (order && is_new(suspect, ORDER))
        return g_strdup_printf("%s; once that is corrected, frames of %s arrive", order, protocol);
    if (order || !is_new(suspect, NOISE))
        return NULL;
    *noise = !suspect->framed; /* a speed that was right once is kept */
    return g_strdup_printf("%" G_GUINT64_FORMAT " bytes arrived, but no frame of %s among them", ended, protocol);
}

char *zg_suspect_judge(struct zg_suspect *suspect, const struct zg_counters *counters, uint64_t now_ns, bool *noise)
{
    const uint64_t ended = (uint64_t)counters->bytes_failed + counters->bytes_noise + counters->bytes_console +
                           counters->bytes_idle; /* at a wrong speed many bytes look like delimiters */

    *noise = false;
    if (suspect->restart)
        suspect->ended = ended;
    suspect->restart = false;
    if (suspect->match > ZG_MATCH_SAME && is_new(suspect, DEFINITION))
        return g_strdup(zg_match_text(suspect->match));
    if (suspect->foreign >= ENOUGH_FRAMES && suspect->match <= ZG_MATCH_SAME && is_new(suspect, VERSION))
        return g_strdup_printf("frames of another major version than %u arrive: one of the ends is outdated",
                               suspect->plan->definition->major);
    if (suspect->strays >= ENOUGH_VALUES && 10 * suspect->turned >= 9 * suspect->strays && is_new(suspect, VALUE_ORDER))
        return g_strdup_printf(
            "values of %s are out of range, but within it with their bytes in reverse order: is the byte_order right?",
            suspect->stray->name);
    if (now_ns - suspect->heard_ns >= SILENT_S * SECOND_NS && is_new(suspect, SILENCE))
        return suspect->heard ? g_strdup_printf("nothing has arrived for %d s", SILENT_S)
                              : g_strdup_printf("nothing has arrived in %d s: is the device powered and running, is "
                                                "this its port, and are its transmit and receive lines crossed?",
                                                SILENT_S);
    if (suspect->misfits >= ENOUGH_FRAMES && suspect->match <= ZG_MATCH_SAME && is_new(suspect, MISFIT))
        return g_strdup("frames pass their check, but their payloads are no messages of this definition: the device "
                        "was built from another one; zeugma compare shows what differs");
    /* after starting in the middle of a frame, only that one fails if all is well */
    if (ended - suspect->ended < MAX((unsigned)ENOUGH, suspect->plan->max_frame + ENOUGH / 6) || suspect->foreign > 0)
        return NULL;
    return judge_bytes(suspect, ended - suspect->ended, noise);
}

/* --- other speeds */

/* Listens at one speed, until ENOUGH_FRAMES frames have come. */
static bool listen(const struct zg_plan *plan, struct zg_wire *wire, unsigned *frames, GError **error)
{
    g_autoptr(GByteArray) heard = g_byte_array_new();
    const uint64_t begin_ns = zg_wire_now_ns(wire);
    struct zg_passage passage;

    *frames = 0;
    for (uint64_t now_ns = begin_ns; now_ns - begin_ns < LISTEN_NS; now_ns = zg_wire_now_ns(wire)) {
        if (!zg_wire_read(wire, &passage, error))
            return false;
        if (passage.count > 0 && now_ns - begin_ns > SETTLE_NS) /* the first bytes were read at the speed before */
            g_byte_array_append(heard, passage.bytes, (guint)passage.count);
        else
            zg_wire_wait(wire, -1, 5000000);
    }
    *frames = frames_in(plan, heard->data, heard->len);
    return true;
}

struct search {
    const struct zg_plan *plan;
    struct zg_wire *wire;
    bool (*step)(unsigned long baud, void *data);
    void *data;
    unsigned *frames;
};

/* Whether frames come at a speed. False: no more are to be tried. */
static bool try_baud(const struct search *search, unsigned long baud, bool *comes, GError **error)
{
    *comes = false;
    if (!search->step(baud, search->data))
        return false;
    if (!zg_wire_set_baud(search->wire, baud))
        return true; /* which this port cannot make */
    if (!listen(search->plan, search->wire, search->frames, error))
        return false;
    *comes = *search->frames >= ENOUGH_FRAMES;
    return true;
}

/* A sender is read at a speed near its own, seen from the wrong one: looks how far beyond that it is still read, and so
 * where its own lies. Stays there. */
static unsigned long narrow_down(const struct search *search, unsigned long wrong, unsigned long reads, GError **error)
{
    const struct zg_character character = zg_timing_character(&search->plan->definition->line, 16);
    const unsigned frames = *search->frames;
    const bool is_slow = reads < wrong;
    double slowest, fastest;

    zg_timing_limits(&character, &slowest, &fastest);
    double near = (double)reads, far = near * (is_slow ? 1 - (fastest - slowest) : 1 + (fastest - slowest));
    for (unsigned i = 0; i < 4; i++) {
        bool comes;
        const double middle = (near + far) / 2;
        if (!try_baud(search, (unsigned long)middle, &comes, error))
            break;
        *(comes ? &near : &far) = middle;
    }
    const double own = (near + far) / 2 * (is_slow ? 1 + fastest : 1 + slowest);
    (void)zg_wire_set_baud(search->wire, (unsigned long)own);
    *search->frames = frames;
    return (unsigned long)own;
}

unsigned long zg_suspect_find_baud(const struct zg_plan *plan, struct zg_wire *wire,
                                   bool (*step)(unsigned long baud, void *data), void *data, unsigned *frames,
                                   GError **error)
{
    /* the most usual, those near the present one, of which a receiver takes half the step, then the others */
    static const struct {
        unsigned long baud;
        int off_percent;
    } tries[] = { { 115200, 0 },  { 9600, 0 },    { 57600, 0 },  { 0, 5 },      { 0, -5 },      { 0, 10 },
                  { 0, -10 },     { 0, 15 },      { 0, -15 },    { 38400, 0 },  { 19200, 0 },   { 230400, 0 },
                  { 460800, 0 },  { 921600, 0 },  { 500000, 0 }, { 250000, 0 }, { 1000000, 0 }, { 2000000, 0 },
                  { 3000000, 0 }, { 1500000, 0 }, { 76800, 0 },  { 4800, 0 },   { 2400, 0 },    { 1200, 0 } };
    const unsigned long now = zg_wire_baud(wire);
    struct search search = { plan, wire, step, data, frames };
    bool comes = false;

    *frames = 0;
    for (size_t i = 0; now > 0 && i < G_N_ELEMENTS(tries); i++) {
        const unsigned long baud =
            tries[i].baud > 0 ? tries[i].baud : now * (unsigned long)(100 + tries[i].off_percent) / 100;
        if (baud == now)
            continue;
        if (!try_baud(&search, baud, &comes, error))
            break;
        if (comes)
            return tries[i].baud > 0 ? baud : narrow_down(&search, now, baud, error);
    }
    if (now > 0 && !*error)
        (void)zg_wire_set_baud(wire, now);
    return 0;
}

char *zg_suspect_baud_text(unsigned long before, unsigned long found, unsigned frames)
{
    const double off = (double)found / (double)before - 1;

    if (found == 0)
        return g_strdup_printf("no other speed gives frames, of the usual ones and those near %lu baud, at which it "
                               "continues. Is it another definition, or a bad line?",
                               before);
    if (fabs(off) < 0.2)
        return g_strdup_printf(
            "at %lu baud frames arrive (%u in 0.4 s), but not at %lu: the device's clock makes a rate "
            "that is about %.0f %% too %s; zeugma timing DEF --clock HZ shows what a clock makes. "
            "Continuing at that speed",
            found, frames, before, 100 * fabs(off), off > 0 ? "fast" : "slow");
    return g_strdup_printf("at %lu baud frames arrive (%u in 0.4 s), but not at %lu: continuing at that speed; give "
                           "?baud=%lu, or correct line.baud",
                           found, frames, before, found);
}
