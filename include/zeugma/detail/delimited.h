/* SPDX-License-Identifier: MIT */
/* Private: what framings share whose frames end at a delimiter (runtime/stuffing.h). */
#ifndef ZEUGMA_DETAIL_DELIMITED_H
#define ZEUGMA_DETAIL_DELIMITED_H

#include "zeugma/framing.h"

#ifdef __cplusplus
extern "C" {
#endif

void zgi_delimited_reset(const struct zg_framing *framing, struct zg_decoder *decoder);
void zgi_delimited_reject(const struct zg_framing *framing, struct zg_decoder *decoder);
enum zg_framing_event zgi_delimited_pause(const struct zg_framing *framing, struct zg_decoder *decoder);

#ifdef __cplusplus
}
#endif

#endif
