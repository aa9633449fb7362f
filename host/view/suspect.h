/* SPDX-License-Identifier: MIT */
/*
 * Tells what is wrong where what arrives does not look like the definition: silence, text alone, another definition at
 * the other end, bits or bytes in another order, another speed. Fed with all that passes from the device.
 */
#ifndef ZEUGMA_SUSPECT_H
#define ZEUGMA_SUSPECT_H

#include "codec/frame_reader.h"
#include "link/wire.h"

/* Opaque; free with zg_suspect_free(). The plan must outlive it. */
struct zg_suspect;

struct zg_suspect *zg_suspect_new(const struct zg_plan *plan);
void zg_suspect_free(struct zg_suspect *suspect);

void zg_suspect_bytes(struct zg_suspect *suspect, const struct zg_passage *passage);
void zg_suspect_stretch(struct zg_suspect *suspect, bool out, const struct zg_stretch *stretch);

/* What is wrong by now, in words, by the counters of what came from the device: bytes of a frame that is still arriving
 * are not judged. Each thing is told once, until frames have come again. NULL: nothing new. Free with
 * g_free(). `noise` is set where nothing is known but that it makes no sense and never did, so that another speed may
 * be tried. */
char *zg_suspect_judge(struct zg_suspect *suspect, const struct zg_counters *counters, uint64_t now_ns, bool *noise);

/* Listens at the usual speeds, one after the other, each for up to 0.4 s, until frames come; leaves a serial port at
 * the one at which they do, or sets it back. Returns that speed, 0: none, or this is no serial port. `step` is called
 * before each, and may end the search with false. */
unsigned long zg_suspect_find_baud(const struct zg_plan *plan, struct zg_wire *wire,
                                   bool (*step)(unsigned long baud, void *data), void *data, unsigned *frames,
                                   GError **error);

#endif
