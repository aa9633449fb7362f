/* SPDX-License-Identifier: MIT */
/* A drawn wave in formats that other programs read. Free texts with g_free(). */
#ifndef ZEUGMA_WAVE_WRITE_H
#define ZEUGMA_WAVE_WRITE_H

#include "codec/json.h"
#include "wave/wave.h"

/* A value change dump (IEEE 1364), with the characters' values and the frame as further variables. The time scale is
 * the longest that is a ten-thousandth of a bit or less. */
char *zg_wave_vcd(const struct zg_wave *wave);

/* `seconds,level`, or a column for each signal: its levels at the beginning and at each edge. */
char *zg_wave_csv(const struct zg_wave *wave);

/* Members of the object that is open: signals with their edges, characters with their bits, what the other end reads.
 */
void zg_wave_to_json(const struct zg_wave *wave, struct zg_json *json);

/* "errors": the words of enum zg_line_error's bits, as a list. */
void zg_wave_errors_to_json(uint8_t errors, struct zg_json *json);

#endif
