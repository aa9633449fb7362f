/* SPDX-License-Identifier: MIT */
/* What the two ends of a soak do, over any line: they send what the ledger notes, and note what arrives. */
#ifndef ZEUGMA_ENDS_H
#define ZEUGMA_ENDS_H

#include "node/node.h"
#include "soak/counts.h"
#include "soak/payload.h"
#include "soak/soak.h"
#include "soak/tape.h"

enum { DEVICE, HOST };

enum { ZGI_SOAK_WINDOW = 65536 /* frames of each flow that the ledger remembers */ };

struct zgi_soak;

struct zgi_end {
    struct zgi_soak *soak;
    struct zg_node *node; /* NULL: this end is a real device */
    bool is_host;
    GQueue waiting; /* struct waiting: frames to be sent once the line was silent for the gap */
    struct zg_strikes repeats, swaps, strays, stales; /* of what it sends */
    struct zg_strikes behinds;                        /* of what it delivers */
    uint32_t position;                                /* of the next frame that it sends */
    struct zgi_tape *went, *came;                     /* bytes that left it, that arrived at it; NULL: nobody asks */
    uint64_t *ends;              /* of its frames, in bytes that left it, by position; NULL: not known */
    struct zgi_stretch *stretch; /* what has arrived at it since the last intact frame */
};

/* Counts of both ends, device (0) and host (1). */
struct zgi_counted {
    uint64_t carried[2], failed[2];
};

struct zgi_soak {
    const struct zg_plan *plan;
    const struct zg_soak_settings *settings;
    struct zg_soak_result *result;
    struct zg_faults faults;      /* in force now */
    uint64_t erased[2];           /* bytes that had arrived at ends, and were not judged yet, when they restarted */
    struct zg_counters before[2]; /* of the links that ends had before they restarted */
    struct zg_ledger *ledger;
    struct zg_journal *journal; /* may be NULL */
    struct zg_traffic_ids ids;
    struct zgi_end ends[2];
    uint64_t now_ns;         /* since the start */
    uint64_t byte_ns;        /* of a byte on the line */
    uint64_t answered_ns;    /* when the last echo came back */
    uint64_t silent_from_ns; /* when the last one came before a silence longer than the limit for slow answers */
    uint32_t answers;        /* sent so far */
    uint32_t newest;         /* place of a real device's newest frame; */
    bool placed;             /* false: it is not known yet, or anew after a restart */
    GArray *replies;         /* numbers of echoes that the device has still to answer, uint32_t, */
    guint replied;           /* after so many that it has */
    double due_ns[ZG_FLOWS]; /* when each flow sends next */
    double spent_ns;         /* time that frames took on the line since a flow's last turn */
    uint64_t stream_seed;    /* of the streams; on a real link another in each run */
    uint32_t stream_first[ZG_FLOWS]; /* numbers of the first frame since then; on the line it is 0 */
    struct zgi_listening *listening; /* NULL: this end sends */
    bool streams_back;               /* a real device sends a stream; */
    bool awaits_stream;              /* until it says so, it may still send that of an earlier run */
    bool after_outage;               /* none of it has come since; */
    uint64_t lost_in_outages[2];     /* of the streams out and back of a real link */
    struct zgi_counted noted;        /* in the journal so far */
    uint64_t note_due_ns;            /* when the journal is brought up to date next */
    struct zgi_payloads *payloads;
    /* Bytes that an end has sent or will send from its transmit ring; only on the simulated line. */
    uint64_t (*sent)(struct zgi_end *end);
    /* The last `count` bytes in an end's transmit ring never leave; only on the simulated line. */
    void (*shorten)(struct zgi_end *end, size_t count);
    /* Takes what arrives: zgi_take() and the others of arrivals.h. */
    int (*take)(struct zgi_end *end, const struct zg_frame *frame, const uint8_t *payload, size_t length);
    /* Takes a frame of the definition's own messages that a real device sent; NULL on the simulated line. */
    void (*take_own)(struct zgi_soak *soak, const struct zg_frame *frame, const uint8_t *payload, size_t length);
};

/* Checks that the definition can carry soak frames, and prepares everything except the nodes. */
bool zgi_soak_begin(struct zgi_soak *soak, const struct zg_plan *plan, const struct zg_soak_settings *settings,
                    GError **error);

/* Other faults from now on. */
void zgi_soak_change_faults(struct zgi_soak *soak, const struct zg_faults *faults);

/* Counters of an end's links, with those before it restarted. */
struct zg_counters zgi_soak_counters(const struct zgi_soak *soak, unsigned end);

/* Frees everything except the result. */
void zgi_soak_clear(struct zgi_soak *soak);

/* What a node of either end calls, with the struct zgi_end as data. */
extern const struct zg_node_calls zgi_soak_node_calls;

/* Bytes that must fit into a transmit ring before anything is sent. */
size_t zgi_soak_room(const struct zgi_soak *soak);

/* Whether a flow sends next by now. */
static inline bool zgi_soak_is_due(const struct zgi_soak *soak, enum zg_flow flow)
{
    return soak->due_ns[flow] <= (double)soak->now_ns;
}

/* Sends what is due of a flow, so that it uses `share` of the line; at most `most` frames now. */
void zgi_soak_send_due(struct zgi_soak *soak, enum zg_flow flow, double share, unsigned most);

/* Whether the device has echoes still to answer. */
static inline bool zgi_soak_has_replies(const struct zgi_soak *soak)
{
    return soak->replied < soak->replies->len;
}

/* Sends the echoes that the device has still to answer, and frames whose silence is over. */
void zgi_soak_send_replies(struct zgi_soak *soak);
void zgi_soak_forget_replies(struct zgi_soak *soak);
void zgi_soak_send_waiting(struct zgi_end *end);

bool zgi_soak_is_idle(const struct zgi_soak *soak);

/* Bytes arrived at an end, the last of them then, each so long after the one before; 0: all together. */
void zgi_note_came(struct zgi_end *end, const uint8_t *bytes, size_t count, uint64_t last_ns, uint64_t each_ns);

/* Ten times a second: notes in the journal what happened until now, counts frames as lost that have not come in time,
 * and sees whether the soak is to end. False: it is not time for that. */
bool zgi_soak_note(struct zgi_soak *soak, const struct zg_sim_totals *line[2]);
bool zgi_soak_goes_on(struct zg_soak_result *result);

/* The run is over: its seconds are final, and show how errors cluster. The journal may be NULL. */
void zgi_soak_close_journal(struct zg_journal *journal, struct zg_soak_result *result);

/* The parts of this that need no ends: whether it is time, and when it is next; the ledger's, where `failed` candidates
 * have arrived so far. */
bool zgi_soak_is_time(uint64_t now_ns, uint64_t *due_ns);
void zgi_soak_settle(struct zg_ledger *ledger, const struct zg_soak_settings *settings, struct zg_soak_result *result,
                     uint64_t now_ns, uint64_t patience_ns, uint64_t failed);

/* An end restarted, in a run that began at `begin_ns`; whether it said so. */
void zgi_note_restart(struct zg_soak_result *result, struct zg_journal *journal, uint64_t begin_ns, uint64_t now_ns,
                      bool said, const char *text);

/* What was sent with this entry came back, or was answered; the journal has it with this flow. */
void zgi_note_trip(struct zg_soak_result *result, const struct zg_soak_settings *settings, enum zg_flow flow,
                   const struct zg_ledger_entry *entry, uint64_t now_ns);

/* What stretches in progress may need later is kept. The end of the soak ends them. */
void zgi_soak_keep_stretches(struct zgi_soak *soak);
void zgi_soak_close_stretches(struct zgi_soak *soak);

/* The ledger's own balance: the entries, by this name, and the sum of their classes. Returns how many entries there
 * are. */
uint64_t zgi_soak_balance_entries(struct zg_soak_result *result, const char *name);

/* Adds two counts that must be equal. */
void zgi_soak_balance(struct zg_soak_result *result, const char *left_name, uint64_t left, const char *right_name,
                      uint64_t right);

#endif
