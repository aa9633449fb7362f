/* SPDX-License-Identifier: MIT */
/*
 * What happened when, in a soak: the counts of each second, and events with their times. A frame belongs to the second
 * in which it was due, anything else to that in which it arrived or happened. A second changes until all its frames
 * have arrived or are out of the ledger's window; then it is final.
 */
#ifndef ZEUGMA_JOURNAL_H
#define ZEUGMA_JOURNAL_H

#include <glib.h>

#include "soak/rates.h"

enum {
    ZG_ENTRY_CLASSES = ZG_CLASS_CUT_OFF + 1,           /* those that entries of the ledger end in */
    ZG_OTHER_CLASSES = ZG_CLASSES - ZG_CLASS_REPEATED, /* those of arrivals alone, from ZG_CLASS_REPEATED on */
    ZG_SECOND_NS = 1000000000
};

struct zg_second_flow {
    uint32_t sent, bytes; /* frames, and the bytes of their payloads */
    uint32_t classes[ZG_ENTRY_CLASSES];
    uint32_t slow; /* answers that took longer than the limit */
    /* From when a frame was due to its arrival, on a real link of echoes back to that of the answer: how many had a
     * latency in each bin of a spread, from this bin on, uint32_t; NULL: none. */
    uint32_t latency_first;
    GArray *latency;
};

struct zg_second {
    uint32_t at;
    uint32_t held_ms; /* in which this host itself was held up, and measured nothing */
    struct zg_second_flow flows[ZG_FLOWS];
    uint32_t others[2][ZG_OTHER_CLASSES]; /* arrivals at the device (0), at the host (1) */
    uint32_t damages[2];                  /* stretches with damage that ended there */
    uint64_t carried[2];                  /* bytes that the device (0), the host (1) sent */
    uint64_t came[2];                     /* bytes that arrived at the device (0), at the host (1); */
    uint64_t lump_bytes[2], lump_us[2]; /* summed over them: how many bytes came together with each, and how long after
                                           those before */
    GArray *picked[2];                  /* when about 6 of them did, chosen at random: us within the second, uint32_t */
    bool changed;                       /* since it was last taken */
};

enum zg_event_kind {
    ZG_EVENT_RESTART,  /* the device began anew */
    ZG_EVENT_OUTAGE,   /* nothing came for a while, or the link went away */
    ZG_EVENT_IDENTITY, /* a hello of another definition */
    ZG_EVENT_MARK,     /* the user's */
    ZG_EVENT_END,      /* of the run, and why */
    ZG_EVENTS
};

/* "restart", ... */
const char *zg_event_name(enum zg_event_kind kind);

/* An empty array of struct zg_event, which it clears. Free with g_array_unref(). */
GArray *zg_events_new(void);

struct zg_event {
    uint64_t at_ns; /* since second 0 began */
    enum zg_event_kind kind;
    char *text;
};

/* Bytes passed up to this place, the last of them then. */
struct zg_passed {
    uint32_t end;
    uint64_t last_ns;
};

/* What a link counted of bytes that it did not get, or not well. */
enum zg_flagged {
    ZG_FLAGGED_DROPPED,
    ZG_FLAGGED_OVERRUN,
    ZG_FLAGGED_FRAMING,
    ZG_FLAGGED_PARITY,
    ZG_FLAGGED_BREAK,
    ZG_FLAGS
};

enum { ZG_STRETCH_BYTES_MOST = 4096 /* kept; of more the first and the last half of so many */ };

/* A stretch with damage: from the end of an intact frame to that of the next one. */
struct zg_damage_found {
    bool at_host;            /* where it arrived: on the way back; otherwise out */
    uint64_t from_ns, to_ns; /* when these two frames arrived, since second 0 began */
    uint32_t first;  /* of the frames sent that way, from 0, the first after the former; unknown of a real device */
    uint32_t frames; /* sent between the two; 0: unknown */
    uint32_t rejected, accepted, unexpected; /* pieces that were rejected; frames that passed the check */
    uint32_t flagged[ZG_FLAGS];              /* by the link where it arrived */
    GBytes *sent, *arrived; /* the bytes, with those of the second frame, at most ZG_STRETCH_BYTES_MOST; NULL: not
                               known, or not kept */
    GArray *times;          /* of struct zg_passed: when the bytes arrived, since second 0 began; NULL: not known */
    uint64_t byte_ns;       /* from one byte to the next, if they arrive without a pause */
};

/* A second as the analysis of time needs it. Frames out and back that are known one way, and echoes of a real link,
 * which are known there and back only. */
enum zg_path { ZG_PATH_OUT, ZG_PATH_BACK, ZG_PATH_TRIP, ZG_PATHS };

struct zg_time_row {
    uint32_t sent[ZG_PATHS];
    uint32_t bad[ZG_PATHS]; /* of them not delivered, or cut off */
    bool held;              /* not measured */
    struct zg_rate_row rates;
};

/* Opaque; free with zg_journal_free(). If `keeps`, final seconds stay until they are taken. */
struct zg_journal;

struct zg_journal *zg_journal_new(bool keeps);
void zg_journal_free(struct zg_journal *journal);

/* --- written by a soak; a NULL journal notes nothing */

/* Frames with ZG_CLASSES as class are frames sent. A negative count takes back. */
void zg_journal_count(struct zg_journal *journal, uint64_t at_ns, enum zg_flow flow, enum zg_class class_, int count);
void zg_journal_sent(struct zg_journal *journal, uint64_t due_ns, enum zg_flow flow, size_t bytes);
void zg_journal_latency(struct zg_journal *journal, uint64_t due_ns, enum zg_flow flow, uint64_t latency_ns);
void zg_journal_slow(struct zg_journal *journal, uint64_t due_ns, enum zg_flow flow);
void zg_journal_damage(struct zg_journal *journal, uint64_t at_ns, bool at_host);
void zg_journal_other(struct zg_journal *journal, uint64_t at_ns, bool at_host, enum zg_class class_, uint32_t count);
/* Bytes that arrived, the last of them then, each so long after the one before; 0: at once, as far as this end can
 * tell. */
void zg_journal_came(struct zg_journal *journal, uint64_t last_ns, bool at_host, uint64_t count, uint64_t each_ns,
                     uint64_t byte_ns);
void zg_journal_carried(struct zg_journal *journal, uint64_t at_ns, bool by_host, uint64_t bytes);
void zg_journal_held(struct zg_journal *journal, uint64_t from_ns, uint64_t to_ns);
void zg_journal_event(struct zg_journal *journal, uint64_t at_ns, enum zg_event_kind kind, const char *format, ...)
    G_GNUC_PRINTF(4, 5);

/* When a byte of what arrived came, at this place of it. 0: unknown. */
uint64_t zg_damage_time_ns(const struct zg_damage_found *stretch, size_t place);

/* Keeps a stretch, whose bytes it takes over; frees them if nobody will take it. Times are as in the other calls. */
void zg_journal_stretch(struct zg_journal *journal, struct zg_damage_found *stretch);
bool zg_journal_keeps(const struct zg_journal *journal);

/* The user's mark, at a time since this part of the run began. */
void zg_journal_mark(struct zg_journal *journal, uint64_t since_begin_ns, const char *text);

/* The time at which second `first` begins; and whether echoes are known there and back only, as on a real link. */
void zg_journal_begin(struct zg_journal *journal, uint64_t zero_ns, uint32_t first, bool real);

/* All seconds before this time are final. */
void zg_journal_settle(struct zg_journal *journal, uint64_t before_ns);

/* All that there are are final. For the analysis of time those count that were over when the run ended, so many after
 * this part of it began. */
void zg_journal_close(struct zg_journal *journal, uint64_t ran_ns);

/* --- read by others */

/* Calls `take` for each second that changed since the last call, in order; final ones are forgotten then. */
typedef void (*zg_journal_taker)(const struct zg_second *second, void *data);
void zg_journal_take(struct zg_journal *journal, zg_journal_taker take, void *data);

/* The newest second that is not forgotten, or NULL. */
const struct zg_second *zg_journal_at(const struct zg_journal *journal, uint32_t at);

/* The stretches since the last call, of struct zg_damage_found. Free with g_array_unref(). */
GArray *zg_journal_take_stretches(struct zg_journal *journal);

/* Events so far, of struct zg_event; and final seconds, of struct zg_time_row, from the first on. */
const GArray *zg_journal_events(const struct zg_journal *journal);
const GArray *zg_journal_times(const struct zg_journal *journal);

/* A second's row for the analysis of time. */
struct zg_time_row zg_time_row_of(const struct zg_second *second, bool real);

#endif
