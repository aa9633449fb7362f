/* SPDX-License-Identifier: MIT */
/*
 * Says what is wrong if what arrives does not match the definition: silence, only text, another definition at the other
 * end, another order of bits or bytes, another speed. Feed it everything that comes from the device.
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

/* What is wrong so far, in words. The counters, of what came from the device, show which bytes belong to a frame that
 * is still arriving; these are not judged. Each finding is reported once, until frames have come again. NULL: nothing
 * new. Free with g_free(). `noise` is set if nothing is known except that the bytes make no sense and never did, so
 * that another speed may be tried. */
char *zg_suspect_judge(struct zg_suspect *suspect, const struct zg_counters *counters, uint64_t now_ns, bool *noise);

/* Listens at the usual speeds, and at those up to 15 % beside the present one, each for up to 0.4 s, until frames
 * come. Leaves a serial port at the speed at which they come, or sets it back. Returns that speed; 0: none, or this is
 * no serial port. `step` is called before each speed, and may end the search by returning false. */
unsigned long zg_suspect_find_baud(const struct zg_plan *plan, struct zg_wire *wire,
                                   bool (*step)(unsigned long baud, void *data), void *data, unsigned *frames,
                                   GError **error);

/* What came of that, in words; `found` is 0 if nothing did. Free with g_free(). */
char *zg_suspect_baud_text(unsigned long before, unsigned long found, unsigned frames);

#endif
