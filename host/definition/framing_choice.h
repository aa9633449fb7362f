/* SPDX-License-Identifier: MIT */
/* How a definition separates one frame from the next. */
#ifndef ZEUGMA_FRAMING_CHOICE_H
#define ZEUGMA_FRAMING_CHOICE_H

#include <stdbool.h>
#include <stdint.h>

#include "definition/diagnostics.h"
#include "definition/mark.h"
#include "zeugma/framing.h"

enum zg_framing_kind {
    ZG_FRAMING_COBS,
    ZG_FRAMING_SLIP,
    ZG_FRAMING_HDLC,
    ZG_FRAMING_LENGTH,
    ZG_FRAMING_MARKS,
    ZG_FRAMING_FIXED,
    ZG_FRAMING_GAP,
    ZG_FRAMING_PACKET, /* the link keeps frames apart */
    ZG_FRAMINGS
};

/* The most further end marks of a framing. */
enum { ZG_ALSO_MOST = 4, ZG_IGNORED_MOST = 8 };

/* What keeps marks out of the content. */
enum zg_marking { ZG_MARKING_PLAIN, ZG_MARKING_ESCAPED, ZG_MARKING_DOUBLED };

/* Whether contents are sent as hex digits, of which case. */
enum zg_coding_choice { ZG_CODING_NONE, ZG_CODING_LOWER, ZG_CODING_UPPER };

/* Whether a byte is two characters on the line, and which half of it goes first. */
enum zg_halves_choice { ZG_HALVES_NONE, ZG_HALVES_LOW_FIRST, ZG_HALVES_HIGH_FIRST };

/* What the kind does not have is 0. */
struct zg_framing_choice {
    enum zg_framing_kind kind;
    enum zg_coding_choice coding;
    enum zg_halves_choice halves;          /* from the line's data bits and order */
    bool lead;                             /* of cobs and slip: a delimiter before each frame as well */
    bool escape_control;                   /* of hdlc */
    struct zg_mark start;                  /* of marks; the sync of length and fixed */
    struct zg_mark end;                    /* of marks; if the sides differ, the device's */
    struct zg_mark host_end;               /* the host's */
    struct zg_mark also_end[ZG_ALSO_MOST]; /* more end marks that a receiver takes */
    unsigned also_ends;
    uint8_t ignored[ZG_IGNORED_MOST]; /* of plain marks: bytes that a receiver drops wherever they stand */
    unsigned ignores;
    enum zg_marking marking; /* of marks */
    uint8_t escape;          /* the escape, or the byte that is doubled */
    uint8_t escape_xor;      /* image = byte XOR escape_xor */
    uint64_t size;           /* of fixed: header to check, bytes */
    uint64_t gap_ns;         /* of gap: the silence that ends a frame, as a time */
    uint64_t gap_millichars; /* or in thousandths of a character's time */
    struct zg_place place;
};

/* "cobs", "slip", ..., NULL-terminated. */
extern const char *const zg_framing_names[ZG_FRAMINGS + 1];

/* The framing with its options, as text: "length behind A5 5A". Free with g_free(). */
char *zg_framing_text(const struct zg_framing_choice *framing);

/* Whether every frame begins with bytes of its own, so that text between frames can be told apart. */
bool zg_framing_opens(const struct zg_framing_choice *framing);

/* Whether device and host end their frames with different marks. */
bool zg_framing_is_sided(const struct zg_framing_choice *framing);

/* All end marks: the device's, the host's if it is another, and those that are taken as well. Returns how many there
 * are, at most ZG_ALSO_MOST + 2. */
unsigned zg_framing_ends(const struct zg_framing_choice *framing, const struct zg_mark **ends);

#endif
