/* SPDX-License-Identifier: MIT */
/* What looks for causes. Each answers what it explains in the case's stretches, and adds its findings. */
#ifndef ZEUGMA_CAUSES_H
#define ZEUGMA_CAUSES_H

#include "diagnosis/case.h"

/* events.c: what was noted when it happened, or counted. */
void zgi_look_for_restarts(struct zgi_case *of);
void zgi_look_for_overruns(struct zgi_case *of);
void zgi_look_for_cuts(struct zgi_case *of);
void zgi_look_for_senders(struct zgi_case *of);
void zgi_look_for_lumps(struct zgi_case *of);

/* accepted.c: damaged frames that passed, by the receiver run over the bytes that arrived. */
void zgi_look_for_accepted(struct zgi_case *of);

/* driver.c: a rule that all bytes follow. */
void zgi_look_for_driver(struct zgi_case *of);

/* levels.c: the line's levels sampled at another rate, or with slow edges. */
void zgi_look_for_levels(struct zgi_case *of);

/* times.c: when bits came inverted. */
void zgi_look_for_times(struct zgi_case *of);

/* bytes.c: bytes one by one. */
void zgi_look_for_bytes(struct zgi_case *of);

/* dependence.c: which bits and lengths are hit more often than their share. */
void zgi_look_for_data(struct zgi_case *of);
void zgi_look_for_limit(struct zgi_case *of);
/* After what explains bits and bytes that are hit by themselves. */
void zgi_look_for_length(struct zgi_case *of);

#endif
