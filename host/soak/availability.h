/* SPDX-License-Identifier: MIT */
/*
 * When a link was good, after ITU-T G.826 (12/2002), with frames for blocks. A second is errored if a frame due in it
 * was not delivered whole; severely errored if 30 % of its frames were not, and at least two. A path is unavailable
 * from the first of ten severely errored seconds in a row until the first of ten in a row that are not. Where it
 * carries under ten frames a second, as many seconds as carry ten are taken for one. Seconds without frames keep the
 * state; those in which the host itself was held up, and the last one if it is not whole, are left out.
 */
#ifndef ZEUGMA_AVAILABILITY_H
#define ZEUGMA_AVAILABILITY_H

#include "soak/journal.h"

struct zg_availability {
    uint32_t interval_s;      /* what "second" stands for below; 0: no frames */
    uint64_t seconds;         /* judged: with frames, or between such */
    uint64_t available;       /* of them */
    uint64_t errored, severe; /* of the available ones */
    uint64_t frames, bad;     /* of the available seconds that are not severely errored */
    uint64_t outages;         /* times of unavailability */
    uint64_t longest;         /* of them, in seconds */
};

/* One path, from rows of struct zg_time_row. */
struct zg_availability zg_availability_of(const GArray *rows, enum zg_path path);

/* All paths together: unavailable while any is; only `seconds`, `available`, `outages` and `longest` are set, and are
 * seconds of the clock. */
struct zg_availability zg_availability_of_all(const GArray *rows);

/* Seconds in which the host itself was held up. */
uint64_t zg_seconds_held(const GArray *rows);

#endif
