/* SPDX-License-Identifier: MIT */
/* The soak over the simulated line, and what happens to its two ends. */
#ifndef ZEUGMA_SOAK_SIM_H
#define ZEUGMA_SOAK_SIM_H

#include "soak/ends.h"

/* What happens to an end: it restarts, its loop stands still, its interrupts are masked. */
struct zgi_plight {
    struct zg_spells restarts, blackouts, masks;
    bool masked, stands_still; /* at present */
};

/* What a restart erased at an end. */
struct zgi_erased {
    uint64_t to_send, received; /* bytes in its rings */
    uint64_t frames;            /* that waited for the silence before them */
    uint64_t accounted;         /* bytes that its links had accounted for */
};

struct zgi_sim {
    struct zgi_soak soak;
    struct zg_sim_line *line;
    struct zgi_plight plights[2];
    struct zgi_erased erased[2];
    uint64_t change_ns;  /* when the faults change next */
    uint64_t happens_ns; /* when anything of all this happens next; not before */
};

/* Makes an end's node. */
void zgi_sim_boot(struct zgi_sim *sim, unsigned end);

/* Prepares what may happen to the ends. */
void zgi_sim_begin_plights(struct zgi_sim *sim);

/* Whether none of that can ever happen. */
bool zgi_sim_is_calm(const struct zgi_sim *sim);

/* Advances the line, with all that happens to the ends and changes until then. */
void zgi_sim_advance(struct zgi_sim *sim, uint64_t until_ns);

/* Bytes that an end has sent or will send from its transmit ring; the last `count` in there never leave. */
uint64_t zgi_sim_sent(struct zgi_end *end);
void zgi_sim_shorten(struct zgi_end *end, size_t count);

#endif
