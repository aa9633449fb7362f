/* SPDX-License-Identifier: MIT */
/*
 * The ledger of a soak. Every frame sent has an entry, which ends in exactly one class; everything that arrived ends in
 * exactly one class as well. So the classes add up to what was sent, and to what was received. docs/soak.md defines
 * them.
 */
#ifndef ZEUGMA_LEDGER_H
#define ZEUGMA_LEDGER_H

#include "soak/traffic.h"

enum zg_class {
    ZG_CLASS_DELIVERED,    /* arrived once, intact, in order, in time */
    ZG_CLASS_LATE,         /* arrived intact, after the limit for one way; on the simulated line only */
    ZG_CLASS_OUT_OF_ORDER, /* arrived intact, after a later one of its flow */
    ZG_CLASS_LOST_OUT,     /* did not arrive, on the way from host to device */
    ZG_CLASS_LOST_BACK,    /* did not arrive, on the way from device to host */
    ZG_CLASS_LOST_EITHER,  /* it or its answer did not arrive; a restart erased the device's counters, which would show
                              which */
    ZG_CLASS_LOST_RESTART, /* sent about when the device restarted, and never answered */
    ZG_CLASS_LOST_OUTAGE,  /* sent while nothing came from a real device, and never answered */
    ZG_CLASS_UNANSWERED,   /* arrived, but the device sent no answer, usually for want of room */
    ZG_CLASS_CUT_OFF,      /* not answered, or not in a report yet, when the link ended or the device restarted */
    ZG_CLASS_REPEATED,     /* arrived again */
    ZG_CLASS_DETECTED,     /* a piece of what was damaged, which the receiver rejected */
    ZG_CLASS_ACCEPTED,     /* arrived damaged, but passed the check */
    ZG_CLASS_UNEXPECTED,   /* arrived intact, but was never sent in this soak */
    ZG_CLASSES
};

/* "delivered", ...; and the word for requirements and JSON: "lost_out". */
const char *zg_class_name(enum zg_class class_);
const char *zg_class_key(enum zg_class class_);

/* Whether entries, or arrivals, can end in a class. */
bool zg_class_is_of_entries(enum zg_class class_);
bool zg_class_is_of_arrivals(enum zg_class class_);

/* The counts. */
struct zg_ledger_sums {
    uint64_t sent[ZG_FLOWS];
    uint64_t entries[ZG_FLOWS][ZG_CLASSES];
    uint64_t arrivals[2][ZG_CLASSES]; /* at the device (0), at the host (1) */
};

/* Frames of a flow that are counted as lost, in whatever class, or were never answered. */
uint64_t zg_ledger_lost(const struct zg_ledger_sums *sums, enum zg_flow flow);

/* Opaque; free with zg_ledger_free(). Remembers the newest `window` frames of each flow; an older one that is still
 * missing is lost. What happens is noted in the journal too, which may be NULL. On a `real` link echoes are known there
 * and back only, and of the stream out only counts. */
struct zg_ledger;
struct zg_journal;

struct zg_ledger *zg_ledger_new(unsigned window, struct zg_journal *journal, bool real);

/* Tells someone about each frame: its class is this (count 1), or no longer (-1). */
void zg_ledger_watch(struct zg_ledger *ledger,
                     void (*fate)(void *data, enum zg_flow flow, uint32_t number, enum zg_class class_, int count),
                     void *data);
void zg_ledger_free(struct zg_ledger *ledger);

/* The number of the flow's first frame; without this 0. */
void zg_ledger_begin(struct zg_ledger *ledger, enum zg_flow flow, uint32_t number);

/* The number of the flow's next frame. */
uint32_t zg_ledger_next(const struct zg_ledger *ledger, enum zg_flow flow);

/* What the ledger knows about a frame that was sent. */
struct zg_ledger_entry {
    uint64_t sent_ns;  /* when it was sent; its lateness counts from here */
    uint64_t due_ns;   /* when the load would have had it sent; not later */
    uint32_t order;    /* its place in the flow as it was meant, by which it is found out of order */
    uint32_t position; /* among all frames that its end sent */
    uint32_t sequence; /* the header's; 0 without */
    uint32_t bytes;    /* of the payload */
    bool arrived;
    bool lost;       /* counted as such so far */
    uint8_t lost_in; /* LOST_RESTART: an end that restarted may have had it in its memory; LOST_OUTAGE; 0 */
};

/* Notes that the flow's next frame was sent. For an echo back, numbers are those of the requests and may skip. */
void zg_ledger_sent(struct zg_ledger *ledger, enum zg_flow flow, uint32_t number, const struct zg_ledger_entry *entry);

/* Sets the number of the flow's next frame, after some were sent out of order. */
void zg_ledger_skip_to(struct zg_ledger *ledger, enum zg_flow flow, uint32_t number);

/* The entry of a frame within the window, or NULL. */
const struct zg_ledger_entry *zg_ledger_find(const struct zg_ledger *ledger, enum zg_flow flow, uint32_t number);

/* Notes that frame `number` of a flow arrived intact; it must have an entry. Returns its class. */
enum zg_class zg_ledger_arrived(struct zg_ledger *ledger, enum zg_flow flow, uint32_t number, uint64_t now_ns,
                                uint64_t late_ns);

/* Frames sent before this time that have not arrived are lost, unless they arrive after all. */
void zg_ledger_settle(struct zg_ledger *ledger, uint64_t before_ns);

/* When the oldest frame was due that may still arrive; UINT64_MAX: there is none. */
uint64_t zg_ledger_oldest_due_ns(struct zg_ledger *ledger);

/* Adds entries that have ended, or takes them away, at a time; those that arrived count as arrivals as well. */
void zg_ledger_add(struct zg_ledger *ledger, uint64_t at_ns, enum zg_flow flow, enum zg_class class_, int64_t count);

/* Notes `count` arrivals that are no frame sent: DETECTED, ACCEPTED or UNEXPECTED, at the host or the device. Their
 * time is not noted. */
void zg_ledger_other(struct zg_ledger *ledger, bool at_host, enum zg_class class_, uint64_t count);

/* Closes all open entries as lost. */
void zg_ledger_close(struct zg_ledger *ledger);

/* The same if only answers are seen: of the echoes without one, `lost_out` did not reach the device, the answers of
 * `lost_back` of the others were lost on the way back, and those of the rest were never sent. As many of the former two
 * as were lost in outages may be these; of as many it stays unknown which way they were lost. */
void zg_ledger_close_echoes(struct zg_ledger *ledger, uint32_t lost_out, uint32_t lost_back);

/* Closes what is open of the stream out, of which the device has taken `taken` frames in all, and of the stream back,
 * of which it has sent `sent` in all; those of the stream out that are missing beyond `lost` end as `others`. Of those
 * lost, out and back, `in_outages` were lost in these. */
void zg_ledger_close_streams(struct zg_ledger *ledger, uint64_t taken, uint64_t lost, enum zg_class others,
                             uint64_t sent, const uint64_t in_outages[2]);

/* Frames of all flows sent at or after `from_ns` and so far that do not arrive any more were lost in a restart, or in
 * an outage. */
void zg_ledger_lost_in(struct zg_ledger *ledger, enum zg_class class_, uint64_t from_ns);

/* Closes open echoes: those sent at or after `from_ns` as `newer`; earlier ones, including those that fell out of the
 * window, as `older`. */
void zg_ledger_close_since(struct zg_ledger *ledger, uint64_t from_ns, enum zg_class newer, enum zg_class older);

const struct zg_ledger_sums *zg_ledger_sums(const struct zg_ledger *ledger);

#endif
