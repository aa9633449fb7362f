/* SPDX-License-Identifier: MIT */
/* The faults that a soak's simulated line and senders make, as written: "ber=1e-5,drop=1e-6,latency=2ms". */
#ifndef ZEUGMA_FAULTS_H
#define ZEUGMA_FAULTS_H

#include <glib.h>
#include <stdbool.h>

#include "sim/line.h"

#define ZG_FAULTS_ERROR (g_quark_from_static_string("zg-faults-error"))

struct zg_faults {
    struct zg_sim_faults line; /* ber, drop, double, latency: in each direction */
    /* of either sender, as shares of its frames */
    double repeat; /* the frame leaves twice */
    double swap;   /* the frame is sent after the next one of its flow */
    double stray;  /* a frame unknown to the soak follows it, as from another sender */
};

/* Reads a list of NAME=VALUE into `faults`; all of it or, with an error, none. Rates are from 0 to 1. */
bool zg_faults_parse(const char *text, struct zg_faults *faults, GError **error);

#endif
