/* SPDX-License-Identifier: MIT */
/*
 * Frames that silence on the line tells apart: the content as it is. Who has no times, as in a file, has one frame. The
 * decoder's memory is the largest content; zg_decoder_pause() ends a frame.
 */
#ifndef ZEUGMA_GAP_H
#define ZEUGMA_GAP_H

#include "zeugma/framing.h"

#ifdef __cplusplus
extern "C" {
#endif

extern const struct zg_framing zg_gap;

#ifdef __cplusplus
}
#endif

#endif
