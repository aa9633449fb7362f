/* SPDX-License-Identifier: MIT */
/* The parts of a soak of a real link. */
#ifndef ZEUGMA_LIVE_H
#define ZEUGMA_LIVE_H

#include "link/wire.h"
#include "soak/ends.h"
#include "zeugma/traffic.h"

#define ZGI_LIVE_SECOND_NS UINT64_C(1000000000)

enum {
    ZGI_LIVE_STEP_NS = 1000000,
    ZGI_LIVE_HELD_UP_NS = 20000000, /* this program: a turn of its loop took longer than that */
    ZGI_LIVE_ASK_TIMES = 6          /* for an answer, a second apart */
};

/* The counters that the device reported, and this end's own counts at the moments when the device sent those they are
 * compared with. Its counters come in several frames, and it may send other frames in between. */
struct zgi_reading {
    uint32_t device[ZG_COUNTERS];
    uint64_t written;    /* bytes written by this end's line; compared with the device's bytes_in */
    uint64_t read;       /* bytes read; compared with its bytes_out */
    uint32_t frames_out; /* of this end's link; compared with its frames_in */
    uint32_t frames_in;  /* compared with its frames_out, as it is */
    uint32_t missed;     /* according to sequence numbers, less copies */
};

struct zgi_live {
    struct zgi_soak soak;
    struct zg_wire *wire;
    uint64_t free_ns; /* when the line can take the next byte */
    struct zg_damage out, back;
    struct zg_packets *out_packets, *back_packets; /* where the link keeps them apart */
    bool damaging;                                 /* otherwise bytes pass unchanged */
    GByteArray *to_write;
    struct zgi_reading readings[2], *reading; /* at the start and at the end; the one in progress */
    unsigned known;                           /* counters reported so far */
    uint64_t asked;                           /* requests and hellos sent */
    uint32_t oldest;                          /* the oldest echo that may still be open */
    const struct zg_plan_message *request, *reply;
    const struct zg_plan_message *hello; /* NULL: the definition has none */
    const struct zg_plan_message *traffic_request, *traffic_report, *traffic_damage;
    uint32_t report[ZG_TRAFFIC_COUNTS]; /* the newest of the device's stream */
    unsigned reports;                   /* of this run */
    uint64_t report_due_ns;             /* when it is asked for the next */
    uint64_t stream_arrived;            /* frames of the stream back before this run */
    uint16_t boot;                      /* the device's boot number; 0: no hello arrived yet */
    bool restarted;                     /* it changed since this was last checked */
    uint64_t begin_ns, heard_ns;        /* when echoes began; when bytes last came */
    uint64_t last_answer_ns;            /* of the run before a restart */
    uint64_t outage_ns;                 /* a silence that is one */
    uint64_t read_ns, silent_ns; /* when the wire was last read; for how long it was, and nothing came, until then */
    uint32_t outage_until;       /* of the stream out, frames numbered before this were sent in an outage, or earlier */
    uint64_t followed_ns;        /* the time of the last restart */
    GError *error;
};

/* --- bytes */

/* The port of this end's node, whose context is the struct zgi_live. */
extern const struct zg_port zgi_live_port;

struct zg_link *zgi_live_link(struct zgi_live *live);

/* Lets time and bytes pass until `until_ns`, or until `*known` is `wanted`. */
void zgi_live_pump(struct zgi_live *live, uint64_t until_ns, const unsigned *known, unsigned wanted);

/* --- the device's counters */

/* Takes an answer to a request for counters. */
void zgi_live_note_counters(struct zgi_live *live, const struct zg_frame *frame, const uint8_t *payload, size_t length,
                            const struct zg_value *values);

/* Reads all of them, on an undamaged line. An answer that came only after the device was asked again may be to either
 * request; then the answers still under way are let pass, and it starts again. False: it does not answer. */
bool zgi_live_read_counters(struct zgi_live *live, struct zgi_reading *reading);

/* --- the streams */

/* The share of a direction's capacity that each flow uses. */
double zgi_live_share(const struct zgi_live *live);

/* Takes a report of the device. */
void zgi_live_note_report(struct zgi_live *live, const struct zg_value *values);

/* Takes what it says of damage; notes the stretch in the journal. */
void zgi_live_note_damage(struct zgi_live *live, const struct zg_value *values);

/* Sends a request to the device's end of the streams. False: not now. */
bool zgi_live_ask_traffic(struct zgi_live *live, uint32_t count, unsigned way);

/* Begins the streams, with a seed that the device does not know from an earlier run; stops them, and reads what came of
 * them once nothing is under way. False: the device does not answer. */
bool zgi_live_begin_streams(struct zgi_live *live);
bool zgi_live_end_streams(struct zgi_live *live);

/* Closes the streams' entries as the device's newest report says. Frames out that it does not speak of end as `others`;
 * after a restart it is somewhat old. */
void zgi_live_close_streams(struct zgi_live *live, enum zg_class others);

/* --- the end */

/* Notes that the device restarted; whether it said so, or only its counters show it. */
void zgi_live_note_restart(struct zgi_live *live, bool said);

/* Closes the ledger by what the device counted, if that is known, and sees whether all adds up. */
void zgi_live_end(struct zgi_live *live);

#endif
