/* SPDX-License-Identifier: MIT */
/*
 * Raw integers to physical values and back, for the accessors of generated code:
 *
 *     physical = (raw * factor + shift) / divisor
 * with integers that `double` holds exactly, so that the one division gives the `double` nearest to the exact value.
 * Linked only if an accessor is used. Any context; constant time.
 */
#ifndef ZEUGMA_SCALE_H
#define ZEUGMA_SCALE_H

#ifdef __cplusplus
extern "C" {
#endif

struct zg_scale {
    double factor; /* not 0 */
    double shift;
    double divisor; /* positive */
    double low;     /* physical limits of what may be sent, both inclusive */
    double high;
};

/* The physical value of a raw one. */
double zg_scale_physical(const struct zg_scale *scale, double raw);

/* The whole number nearest to a physical value's raw value, ties away from zero, by exact comparison; beyond 2^53 (2^23
 * where `double` has 32 bits), where every `double` is whole, within rounding. Returns 0; or ZG_ERANGE if `physical` is
 * outside the limits or not a number, and `*raw` is unchanged. */
int zg_scale_raw(const struct zg_scale *scale, double physical, double *raw);

#ifdef __cplusplus
}
#endif

#endif
