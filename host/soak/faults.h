/* SPDX-License-Identifier: MIT */
/* The faults that a soak's simulated line and senders make, as written: "ber=1e-5,drop=1e-6 back:latency=2ms". */
#ifndef ZEUGMA_FAULTS_H
#define ZEUGMA_FAULTS_H

#include <glib.h>
#include <stdbool.h>

#include "sim/line.h"

#define ZG_FAULTS_ERROR (g_quark_from_static_string("zg-faults-error"))

/* In what one end sends. */
struct zg_way_faults {
    struct zg_sim_faults line; /* ber, drop, double, insert, latency */
    /* shares of its frames */
    double repeat; /* the frame leaves twice */
    double swap;   /* the frame is sent after the next one of its flow */
    double stray;  /* a frame unknown to the soak follows it, as from another sender */
};

struct zg_faults {
    struct zg_way_faults way[2]; /* back, from the device (0); out, from the host (1) */
};

/* Whether both ways have the same. */
bool zg_faults_are_even(const struct zg_faults *faults);

/* Whether there are some that only a simulated line can make: all but those of bytes. */
bool zg_faults_need_sim(const struct zg_faults *faults);

/* Reads a list of NAME=VALUE, separated by commas or blanks, into `faults`; all of it or, with an error, none. Rates
 * are from 0 to 1. After "out:" or "back:" they are of that way, up to the next such word. */
bool zg_faults_parse(const char *text, struct zg_faults *faults, GError **error);

#endif
