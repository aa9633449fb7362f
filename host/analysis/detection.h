/* SPDX-License-Identifier: MIT */
/* How many flipped bits a CRC sees for certain, and in how long a frame. */
#ifndef ZEUGMA_DETECTION_H
#define ZEUGMA_DETECTION_H

#include "definition/checks.h"

/* The most bits, the CRC's included, in which every pattern of `flips` (1 to 4) flipped bits is seen; `most` where that
 * is as many or more. 4 flips are looked for with time and memory that grow with the square of the answer.
 * Source: W. W. Peterson, D. T. Brown, "Cyclic Codes for Error Detection", Proceedings of the IRE 49, 1961: a pattern
 * goes unseen if and only if the polynomial divides it. */
uint64_t zg_crc_sees(const struct zg_crc_parameters *crc, unsigned flips, uint64_t most);

/* The longest burst, bits from the first that is flipped to the last, of which every pattern is seen at any length, the
 * CRC's own bits included where it is sent in its own order (reflected: least significant byte first). `line`: bits
 * stand in the order in which a serial line sends them, least significant first; else most significant first. */
unsigned zg_crc_burst(const struct zg_crc_parameters *crc, bool line);

#endif
