/* SPDX-License-Identifier: MIT */
/*
 * A soak: numbered traffic over a link, with every frame accounted for. Over the simulated line it runs in virtual
 * time, with the runtime's own link at both ends, and the same settings always give exactly the same result.
 */
#ifndef ZEUGMA_SOAK_H
#define ZEUGMA_SOAK_H

#include "link/address.h"
#include "soak/clusters.h"
#include "soak/faults.h"
#include "soak/journal.h"
#include "soak/own.h"
#include "soak/statistics.h"
#include "zeugma/counters.h"

#define ZG_SOAK_ERROR (g_quark_from_static_string("zg-soak-error"))

enum zg_soak_error {
    ZG_SOAK_ERROR_PLAN, /* the definition cannot carry soak frames */
    ZG_SOAK_ERROR_LINK  /* the link cannot be opened, or broke, or nobody answers */
};

/* What is sent on a real link. */
enum zg_soak_traffic {
    ZG_SOAK_ECHO = 1,
    ZG_SOAK_STREAM = 2,
    ZG_SOAK_LISTEN = 4,   /* nothing: others do */
    ZG_SOAK_LOOPBACK = 8, /* a stream that comes back by a wire from TX to RX */
    ZG_SOAK_OWN = 16      /* the definition's own messages */
};

struct zg_soak_requirement;

/* What a soak on the simulated line tells those who check it, frame by frame. */
struct zg_soak_watch {
    void *data;
    /* An end, the device (0) or the host (1), sends bytes from..to, counted over all that it sends, as a frame of this
     * flow and number; `extra` if it is none of the ledger's: repeated, stale or stray. */
    void (*frame)(void *data, unsigned end, enum zg_flow flow, uint32_t number, bool extra, uint64_t from, uint64_t to);
    /* Something, enum zg_touch or'd, happened to a byte of an end. */
    void (*touched)(void *data, unsigned end, uint64_t place, unsigned touches);
    /* A frame's class is this (count 1), or no longer (-1). */
    void (*fate)(void *data, enum zg_flow flow, uint32_t number, enum zg_class class_, int count);
};

struct zg_soak_settings {
    uint64_t duration_ns; /* virtual time in which frames are sent */
    uint64_t warm_up_ns;  /* on a real link: in which they are sent before, and not counted */
    uint64_t seed;
    struct zg_faults faults;
    const struct zg_fault_times *fault_times; /* more of them, at times; NULL: none. On sim: only */
    double load;                              /* share of each direction's capacity to use, above 0, up to 0.95 */
    uint64_t late_ns;      /* a frame that takes longer, one way, is late; only the simulated line shows that */
    uint64_t slow_ns;      /* an answer that takes longer, there and back, is slow */
    uint32_t clock_us;     /* what both ends' clocks show at the start */
    bool prove;            /* of a real link: damage known echoes first, see struct zg_soak_proof */
    unsigned part;         /* of a run that was interrupted and goes on: 1, 2, ...; 0: it begins */
    unsigned size;         /* of each payload, bytes; 0: of all sizes */
    uint64_t gap_ns;       /* besides what the load leaves, after each frame */
    uint64_t baud;         /* of the line; 0: the definition's */
    bool bits;             /* on sim:: the line is computed by the bit */
    uint32_t first_second; /* of this part, */
    uint32_t first_number[ZG_FLOWS];         /* and its frames' first numbers */
    struct zg_own *own;                      /* what is sent with ZG_SOAK_OWN */
    const struct zg_soak_requirement *until; /* the run ends once this is shown, or its contrary; NULL: none */
    unsigned stop_on; /* enum zg_class or ZG_STOP_ON_RESTART as bits: the run ends with the first of these */
    const struct zg_soak_watch *watch; /* on sim:; NULL: nobody checks */
    struct zg_journal *journal;        /* notes what happens when; NULL: nobody asks */
    /* of a real link */
    const struct zg_address *link; /* NULL: the simulated line */
    const char *capture;           /* a file for everything that passes; NULL: none */
    unsigned traffic;              /* enum zg_soak_traffic, or'd; 0: what the device has */
    unsigned way;                  /* of its streams: ZG_TRAFFIC_DEVICE_SENDS, ZG_TRAFFIC_HOST_SENDS */
    unsigned open;                 /* echoes that may await their answer; 0: 16, or 1 with half duplex */
    unsigned to;                   /* address of the device on a shared line; otherwise 0 */
};

/* Adds what a word stands for to the bits of `stop_on`: a class of the ledger, "lost" or "restart". */
bool zg_soak_stop_on(const char *word, unsigned *stop_on, GError **error);

/* What a value of stopped_on, less one, is: "lost on the way out", ... */
const char *zg_soak_stop_name(int what);

/* The defaults: 10 s, seed 1, no faults, half load, late after 100 ms, slow after 200 ms. */
struct zg_soak_settings zg_soak_defaults(void);

/* The seed of all that is random in this part of the run, except the payloads. */
uint64_t zg_soak_chance(const struct zg_soak_settings *settings);

/* What stands against computing the line by the bit, or by the byte if that is asked; NULL: nothing. Free with
 * g_free(). */
char *zg_soak_line_unfit(const struct zg_plan *plan, const struct zg_soak_settings *settings);

/* The usual limit for late frames: 100 ms, or the time of eight of the longest frames with the silence between them.
 * That for slow answers is twice as long. */
uint64_t zg_soak_usual_late_ns(const struct zg_plan *plan);

/* Two independent counts that must be equal. */
struct zg_soak_balance {
    const char *left_name;
    uint64_t left;
    const char *right_name;
    uint64_t right;
};

enum { ZG_STOP_ON_RESTART = ZG_CLASSES /* besides the classes */ };

enum { ZG_SOAK_BALANCES = 7, ZG_SOAK_RESTARTS = 16 };

/* What came of damaging known echoes at this end of a real link, before the soak itself. */
struct zg_soak_proof {
    uint64_t sent;     /* echoes */
    uint64_t hit;      /* of them, when they left */
    uint64_t seen;     /* of those hit: not delivered, according to the ledger */
    uint64_t harmless; /* delivered, and hit only where it does no harm */
    uint64_t missed;   /* delivered, although harm was done to them: the ledger is wrong */
    uint64_t hit_back; /* bytes that were hit when they arrived */
    uint64_t damages;  /* stretches with damage that the ledger found then */
    bool holds;        /* none was missed, and there were enough */
};

struct zg_soak_result {
    uint64_t ran_ns;  /* virtual time in which frames were sent */
    uint64_t poll_ns; /* virtual time between two turns of each end's loop */
    bool stopped;     /* before the planned end: by the caller, or */
    bool reached;     /* because what it was to go on until is shown, or its contrary; or */
    int stopped_on;   /* the enum zg_class at which it was to stop, or ZG_STOP_ON_RESTART, plus one; 0: none came */
    bool any_time;    /* it has no planned end: the run was stopped, goes on a stored one, or ends by what it shows */
    bool echo;        /* false: the header has no id, so there is only stream traffic */
    struct zg_ledger_sums sums;
    struct zg_cluster clusters[ZG_RATES]; /* how errors of the rates cluster; all 0 without a journal */
    uint32_t clustered_s;                 /* private: seconds in which they were found */
    uint64_t injected;                    /* extra frames from the faults repeat and stray */
    struct zg_counters counters[2];       /* of the device's link (0) and the host's (1) */
    struct zg_sim_totals line[2];         /* of what the device sent (0), the host (1) */
    uint64_t overrun[2];         /* on sim: bytes that the UART of the device (0), the host (1) had no room for */
    struct zg_spread round_trip; /* of echoes that came back intact, from when they were sent */
    struct zg_spread from_due;   /* the same from when they were due by the load, if a full link held them back */
    uint64_t slow;               /* answers that took longer than the limit */
    uint64_t held_ns;            /* how late the newest echo was sent: by so much the link lagged behind the load */
    uint64_t damages[2];         /* stretches with damage that arrived at the device (0), at the host (1) */
    struct zg_soak_balance balances[ZG_SOAK_BALANCES];
    unsigned balances_count;
    bool adds_up; /* all balances hold */
    /* of a real link */
    bool real;
    struct zg_soak_proof proof;    /* all 0: it was not asked for */
    unsigned traffic;              /* that there was, enum zg_soak_traffic */
    bool streams[2];               /* the device's (0), the host's (1) */
    uint64_t guessed;              /* frames lost whose number came round: known by the sender's usual rate only */
    uint64_t refused;              /* frames of the device's stream that were due while its ring was full */
    uint64_t own_echoes;           /* frames of this end that came back to it; they are among the unexpected ones */
    uint64_t own;                  /* frames of the definition's own messages that arrived */
    uint64_t written, device_took; /* bytes out: written by this end, and received according to the device */
    uint64_t device_sent, read;    /* bytes back: sent according to the device, and read by this end */
    bool device_counted; /* the device reported its counters at the end, and it is known from when they count */
    unsigned restarts;   /* of the device; and the times of the first of them, since the start */
    uint64_t restarted_ns[ZG_SOAK_RESTARTS];
    bool restart_said[ZG_SOAK_RESTARTS]; /* by a hello; otherwise only its counters showed it */
    uint32_t fingerprint;                /* that the device reported; 0: none */
    bool same_definition;                /* it is that of this definition */
    uint16_t boots[ZG_SOAK_RESTARTS];    /* the first boot numbers that its hellos gave; 0: no more */
    char device[128];                    /* the name that it gave, with what is invisible escaped; "": none */
    char ended[240];                     /* what ended the soak early, and when; "": nothing did */
};

/* Called about ten times a second with the share of the run that is done and with what was measured: of the result only
 * the sums and what is counted on the way. False stops the run, and what was measured so far counts. */
typedef bool (*zg_soak_progress)(double done, const struct zg_soak_result *so_far, void *data);

/* Runs a soak over the simulated line. `progress` may be NULL. NULL, with an error, if the definition cannot carry soak
 * frames; otherwise free with g_free(). */
struct zg_soak_result *zg_soak_run(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                                   zg_soak_progress progress, void *data, GError **error);

/* The same over a real link, in real time: with echoes, which the device's service answers. Its counters are read at
 * the start and at the end. Of the faults, those of bytes are made at this end. If the link breaks or the device falls
 * silent, the soak ends early: what was measured counts, and `ended` says why. Fails if nobody answers at the start. */
struct zg_soak_result *zg_soak_run_live(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                                        zg_soak_progress progress, void *data, GError **error);

/* The same with the definition's own messages, settings->own: messages with an answer are accounted for singly, as
 * echoes out; those without are only counted, as a stream out; what the device sends is told by the numbers in its
 * headers, as a stream back. Sizes, load and faults are not used. */
struct zg_soak_result *zg_soak_run_own(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                                       zg_soak_progress progress, void *data, GError **error);

/* The time that a frame of the middle size takes on the line, with the silence before it. */
double zg_soak_frame_ns(const struct zg_plan *plan, const struct zg_soak_settings *settings);

/* The shortest possible round trip of an echo on a line that keeps its rate: the time of the bytes alone. */
uint64_t zg_soak_least_trip_ns(const struct zg_plan *plan);

/* A rate with its two-sided 95 % bounds. */
struct zg_soak_rate {
    const char *key; /* "lost", "lost_out", ... */
    const char *of;  /* what the trials are */
    enum zg_soak_link on;
    uint64_t errors;
    uint64_t trials;
    double low, high;           /* as if trials were independent */
    struct zg_cluster cluster;  /* whether they are */
    double wide_low, wide_high; /* with that */
};

/* A rate of a result by its index; false after the last one. */
bool zg_soak_rate_at(const struct zg_soak_result *result, unsigned index, struct zg_soak_rate *rate);

/* A requirement, `lost <= 1e-6` or `lost = 0`, and whether a result shows that it is met. */
struct zg_soak_requirement {
    const char *key;
    enum zg_soak_link on; /* where its rate is known */
    double limit;
    bool none;         /* "= 0": none is seen, and there was something to see it in */
    double confidence; /* of the claim, one-sided; as parsed 0.95 */
};

enum zg_soak_verdict {
    ZG_SOAK_MET,      /* shown to be within the limit */
    ZG_SOAK_FAILED,   /* shown to be above it */
    ZG_SOAK_NOT_SHOWN /* neither: a longer soak may tell */
};

bool zg_soak_requirement_parse(const char *text, struct zg_soak_requirement *requirement, GError **error);
/* The rate has the bounds of the one-sided claims. A result that came at no planned end (any_time) is judged by bounds
 * that hold at all times: over the whole run the verdict is wrong with at most 1 - confidence. */
enum zg_soak_verdict zg_soak_judge(const struct zg_soak_result *result, const struct zg_soak_requirement *requirement,
                                   struct zg_soak_rate *rate);

/* How long a soak takes in which `frames` are counted for a requirement, if the line carries the load. */
double zg_soak_time_for_ns(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                           const struct zg_soak_requirement *requirement, uint64_t frames);

#endif
