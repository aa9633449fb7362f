/* SPDX-License-Identifier: MIT */
/* How many flipped bits a CRC is certain to detect, and in frames of which length. */
#ifndef ZEUGMA_DETECTION_H
#define ZEUGMA_DETECTION_H

#include "definition/checks.h"

/* The most bits, with the CRC's own, in which every pattern of `flips` (1 to 4) flipped bits is detected; `most` if it
 * is that many or more. For 4 flips time and memory grow with the square of the answer. Source: W. W. Peterson, D. T.
 * Brown, "Cyclic Codes for Error Detection", Proceedings of the IRE 49, 1961: a pattern goes undetected if and only if
 * the polynomial divides it. */
uint64_t zg_crc_sees(const struct zg_crc_parameters *crc, unsigned flips, uint64_t most);

/* The longest burst, in bits from the first flipped one to the last, of which every pattern is detected in frames of
 * any length, including the CRC's own bits if it is sent in its natural order (reflected: least significant byte
 * first). `line`: bits count in the order of a serial line, least significant first; otherwise most significant first.
 */
unsigned zg_crc_burst(const struct zg_crc_parameters *crc, bool line);

#endif
