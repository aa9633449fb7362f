/* SPDX-License-Identifier: MIT */
/* The rates of a soak: what is counted, and out of what. */
#ifndef ZEUGMA_RATES_H
#define ZEUGMA_RATES_H

#include "soak/ledger.h"

enum { ZG_RATES = 13 };

enum zg_soak_link {
    ZG_SOAK_ON_ANY,
    ZG_SOAK_ON_REAL, /* cannot occur on the simulated line, where no device restarts or runs out of room */
    ZG_SOAK_ON_SIM   /* cannot be seen on a real one */
};

/* Of a rate by its index: "lost", "lost_out", ...; what its trials are, with a device or without; where it can be seen.
 */
const char *zg_rate_key(unsigned index);
const char *zg_rate_of(unsigned index, bool has_device);
enum zg_soak_link zg_rate_on(unsigned index);

/* What there was in a time. */
struct zg_rate_source {
    struct zg_ledger_sums sums;
    uint64_t damages[2];    /* stretches with damage that arrived at the device (0), at the host (1) */
    uint64_t slow, answers; /* of the answers, those that took longer than the limit */
    bool real, has_device;  /* a real link; one on which not all that is known of the host is known of the device */
};

/* Counts it, errors and trials. What cannot be told is no trial: frames that the end cut off. */
void zg_rate_count(unsigned index, const struct zg_rate_source *source, uint64_t *errors, uint64_t *trials);

/* The errors and trials of each rate in a second. */
struct zg_rate_row {
    uint32_t errors[ZG_RATES], trials[ZG_RATES];
};

/* How many frames are sent for each trial, with half of the load each way. */
unsigned zg_rate_frames(unsigned index, bool real);

/* The frames sent out, or back. */
uint64_t zg_rate_sent(const struct zg_ledger_sums *sums, bool back);

#endif
