/* SPDX-License-Identifier: MIT */
/* Stretches with damage: what lies between two intact arrivals, if something was rejected there, is missing, or passed
 * the check and was never sent so. A stretch counts once, whatever pieces a receiver made of it. */
#ifndef ZEUGMA_STRETCH_H
#define ZEUGMA_STRETCH_H

#include "soak/ends.h"

/* What arrives at an end. Counts into the soak's result and its ledger. */
struct zgi_stretch *zgi_stretch_new(struct zgi_end *end);
void zgi_stretch_free(struct zgi_stretch *stretch);

/* The other end has sent the frame with this position; the positions of a real device's frames are unknown. */
void zgi_stretch_sent(struct zgi_stretch *stretch, uint32_t position);

/* A frame arrived intact. It ends the stretch. */
void zgi_stretch_intact(struct zgi_stretch *stretch, uint32_t position);

/* A frame passed the check that was not sent so: damaged, or another sender's. Which of the two, the end of the stretch
 * decides. */
void zgi_stretch_unknown(struct zgi_stretch *stretch, const uint8_t *payload, size_t length);

/* From time to time: keeps the beginning of one that has become long. */
void zgi_stretch_keep(struct zgi_stretch *stretch);

/* No more arrives. `position` is that of the next frame that would have been sent. */
void zgi_stretch_close(struct zgi_stretch *stretch, uint32_t position);

#endif
