/* SPDX-License-Identifier: MIT */
/* How likely it is that chance alone brings so much or more: natural logarithms of upper tails. */
#ifndef ZEUGMA_CHANCE_H
#define ZEUGMA_CHANCE_H

#include <stdint.h>

/* Of n trials that each succeed with `share`, k or more do. */
double zgi_chance_binomial(uint64_t n, double share, uint64_t k);

/* Chi-square with an even number of degrees of freedom is x or more. */
double zgi_chance_chi_square(double x, unsigned degrees);

/* A normal variable is z or more standard deviations above its mean. */
double zgi_chance_normal(double z);

#endif
