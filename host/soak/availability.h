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

/* What each second was, of all paths the worst. */
enum zg_second_state {
    ZG_SECOND_EMPTY,
    ZG_SECOND_GOOD,
    ZG_SECOND_ERRORED,
    ZG_SECOND_SEVERE,
    ZG_SECOND_UNAVAILABLE,
    ZG_SECOND_NOT_MEASURED,
    ZG_SECOND_STATES
};

/* One for each row. Free with g_free(). */
uint8_t *zg_second_states(const GArray *rows);

/* The seconds in which most was lost, the worst first. Returns how many. */
enum { ZG_WORST_MOST = 5 };
struct zg_worst_second {
    uint32_t at;
    uint64_t lost;
};
guint zg_worst_seconds(const GArray *rows, struct zg_worst_second worst[ZG_WORST_MOST]);

/* Seconds in which the host itself was held up. */
uint64_t zg_seconds_held(const GArray *rows);

#endif
