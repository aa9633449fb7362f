/* SPDX-License-Identifier: MIT */
/* What a soak's two ends do, over whatever line: they send what the ledger notes, and note what arrives. */
#ifndef ZEUGMA_ENDS_H
#define ZEUGMA_ENDS_H

#include "node/node.h"
#include "soak/soak.h"

enum { DEVICE, HOST };

struct zgi_soak;

struct zgi_end {
    struct zgi_soak *soak;
    struct zg_node *node; /* NULL: that end is a real device */
    bool is_host;
    GQueue waiting; /* struct waiting: frames whose turn comes after the line was silent for the gap */
};

struct zgi_soak {
    const struct zg_plan *plan;
    const struct zg_soak_settings *settings;
    struct zg_soak_result *result;
    struct zg_ledger *ledger;
    struct zg_traffic_ids ids;
    struct zgi_end ends[2];
    uint64_t now_ns;                       /* since the start */
    uint64_t byte_ns;                      /* that a byte takes on the line */
    uint64_t answered_ns;                  /* when the last echo came back, */
    uint64_t silent_from_ns;               /* and the last one before a silence that was longer than what is late */
    GQueue replies;                        /* numbers of echoes that the device still owes */
    double due_ns[ZG_FLOWS];               /* when each flow sends next */
    struct zg_random random;               /* of the senders' faults */
    uint64_t to_repeat, to_swap, to_stray; /* frames until the next one */
    double spent_ns;                       /* that frames take of the line, since a flow's last turn */
    uint8_t *payload;
    uint8_t *expected;
    /* Takes a frame of the definition's own that a real device sent; NULL on the simulated line. */
    void (*take_own)(struct zgi_soak *soak, const struct zg_frame *frame, const uint8_t *payload, size_t length);
};

/* Checks that the definition can carry soak frames, and prepares all but the ends' nodes. */
bool zgi_soak_begin(struct zgi_soak *soak, const struct zg_plan *plan, const struct zg_soak_settings *settings,
                    GError **error);

/* Frees all but the result. */
void zgi_soak_clear(struct zgi_soak *soak);

/* What a node of either end calls; its data is the struct zgi_end. */
extern const struct zg_node_calls zgi_soak_node_calls;

/* Sends what is due of a flow, so that it fills `share` of the line; at most so many frames now. */
void zgi_soak_send_due(struct zgi_soak *soak, enum zg_flow flow, double share, unsigned most);

/* Sends the echoes that the device owes, and frames whose silence is over. */
void zgi_soak_send_replies(struct zgi_soak *soak);
void zgi_soak_send_waiting(struct zgi_end *end);

bool zgi_soak_is_idle(const struct zgi_soak *soak);

/* Candidates that a link failed; bytes that it took and knows the end of, and those still open. */
uint64_t zgi_candidates_failed(const struct zg_counters *counters);
uint64_t zgi_bytes_accounted(struct zg_node *node);

/* Adds a pair that must be equal. */
void zgi_soak_balance(struct zg_soak_result *result, const char *left_name, uint64_t left, const char *right_name,
                      uint64_t right);

#endif
