/* SPDX-License-Identifier: MIT */
/*
 * What a scope shows of a line: levels over time, and what the bits, characters and frames in them are. Times are
 * seconds from where the drawing begins; levels are physical, high or low.
 */
#ifndef ZEUGMA_WAVE_H
#define ZEUGMA_WAVE_H

#include "definition/definition.h"
#include "wave/receive.h"

/* A wire. */
struct zg_wave_signal {
    char *name;
    bool high;     /* at the beginning */
    GArray *edges; /* of double: when the level changes, seconds */
};

enum zg_wave_part { ZG_WAVE_START, ZG_WAVE_DATA, ZG_WAVE_PARITY, ZG_WAVE_STOP, ZG_WAVE_IDLE };

/* A bit of a character. */
struct zg_wave_bit {
    enum zg_wave_part part;
    double from_s, to_s;
    bool high, one; /* its level, and its value */
};

struct zg_wave_character {
    double from_s, to_s;
    uint8_t byte;
    unsigned first_bit, bits; /* in `bits` */
    char *what;               /* what it is in the frame; "" if that is not known */
};

/* What the other end makes of a character, or of what looks like one. */
struct zg_wave_read {
    double at_s;
    uint8_t byte, errors; /* of enum zg_line_error */
};

/* A sample that it takes. */
struct zg_wave_sample {
    double at_s;
    bool high;
    bool middle; /* of the three around a bit's middle, whose majority counts */
    bool wrong;  /* of a bit that is read other than it was sent */
};

struct zg_wave {
    const struct zg_line *line;
    char *name; /* of the message, or NULL */
    double end_s, bit_s;
    double frame_from_s, frame_to_s;
    GPtrArray *signals;      /* struct zg_wave_signal; of an asynchronous line the last is what its receiver sees */
    GArray *bits;            /* struct zg_wave_bit */
    GArray *characters;      /* struct zg_wave_character */
    bool has_other;          /* the other end was computed: */
    double other_ppm;        /* how much faster its clock is */
    GArray *reads, *samples; /* struct zg_wave_read, struct zg_wave_sample */
};

/* Draws bytes, sent back to back. `name` of the message, or NULL; `explained` as of zg_explain_frame(), or NULL. Free
 * with zg_wave_free(). */
struct zg_wave *zg_wave_draw(const struct zg_line *line, const uint8_t *bytes, size_t count, const char *name,
                             const GPtrArray *explained);
void zg_wave_free(struct zg_wave *wave);

/* Draws a recorded wire around a character that was read. */
struct zg_wave *zg_wave_of_trace(const struct zg_line *line, const struct zg_trace *trace,
                                 const struct zg_receiving *receiving, const struct zg_received *received);

/* Adds what a receiver samples whose clock is faster by so many parts in a million, 16 ticks a bit, the first at the
 * beginning. Of an asynchronous line. */
void zg_wave_add_other(struct zg_wave *wave, double ppm);

static inline const struct zg_wave_signal *zg_wave_signal(const struct zg_wave *wave, guint index)
{
    return g_ptr_array_index(wave->signals, index);
}

static inline const struct zg_wave_character *zg_wave_character(const struct zg_wave *wave, guint index)
{
    return &g_array_index(wave->characters, struct zg_wave_character, index);
}

static inline const struct zg_wave_bit *zg_wave_bit(const struct zg_wave *wave, guint index)
{
    return &g_array_index(wave->bits, struct zg_wave_bit, index);
}

/* How many edges a signal has up to a moment, and its level then. */
guint zg_wave_edges_until(const struct zg_wave_signal *signal, double at_s);
bool zg_wave_level(const struct zg_wave_signal *signal, double at_s);

/* "start", "data", ... */
const char *zg_wave_part_name(enum zg_wave_part part);

/* Errors of enum zg_line_error by their bits, as words; NULL-terminated. */
extern const char *const zg_wave_errors[];

/* "framing", "parity, break"; "" for none. Free with g_free(). */
char *zg_wave_errors_text(uint8_t errors);

#endif
