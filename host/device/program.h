/* SPDX-License-Identifier: MIT */
/*
 * Private to a simulated device: what its program does with its node. It sends its messages when they are due, answers
 * requests, keeps variables and prints on the console.
 */
#ifndef ZEUGMA_DEVICE_PROGRAM_H
#define ZEUGMA_DEVICE_PROGRAM_H

#include "node/node.h"

struct zgi_program {
    const struct zg_plan *plan;
    uint64_t seed;
    bool busy; /* sends as much as the line carries */
    struct zg_node *node;
    const uint64_t *now_ns; /* the owner's clock */
    uint64_t begun_ns;      /* when this run began */
    uint64_t print_ns;      /* when it next prints a line */
    uint64_t answers;       /* to requests */
    zg_header_number host;  /* the address that messages go to */
    bool restart;           /* asked for on the console; the owner restarts the device */
    GQueue outbox;          /* answers without tickets that wait for the line */
    GArray *dues;           /* struct due */
    GArray *variables;      /* struct variable */
    GString *text;          /* for the console, not sent yet */
    GString *typed;         /* the line that is being typed on the console */
};

/* For zg_node_new(), with the program as data. */
extern const struct zg_node_calls zgi_program_calls;

void zgi_program_init(struct zgi_program *program, const struct zg_plan *plan, uint64_t seed, bool busy,
                      const uint64_t *now_ns);
void zgi_program_clear(struct zgi_program *program);

/* Starts afresh after a reset, on a new node. */
void zgi_program_begin(struct zgi_program *program, struct zg_node *node);

/* Does what is due: messages and console text. */
void zgi_program_run(struct zgi_program *program);

/* The messages alone. */
void zgi_program_send(struct zgi_program *program);

#endif
