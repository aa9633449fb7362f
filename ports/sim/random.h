/* SPDX-License-Identifier: MIT */
/*
 * Pseudo-random numbers from one seed, the same on every machine: SplitMix64 (G. Steele, D. Lea, C. Flood, "Fast
 * splittable pseudorandom number generators", OOPSLA 2014). The state is the caller's.
 */
#ifndef ZEUGMA_SIM_RANDOM_H
#define ZEUGMA_SIM_RANDOM_H

#include <stdbool.h>
#include <stdint.h>

struct zg_random {
    uint64_t state;
};

/* A generator for one purpose of one seed; different `purpose` numbers give unrelated sequences. */
struct zg_random zg_random_seeded(uint64_t seed, uint64_t purpose);

/* 64 random bits. */
uint64_t zg_random_next(struct zg_random *random);

/* A number from 0 to bound - 1; bound is at least 1. */
uint64_t zg_random_below(struct zg_random *random, uint64_t bound);

/* A number from 0 to below 1, with 53 bits. */
double zg_random_unit(struct zg_random *random);

/* True once in `n` calls on average; n is at least 1. */
bool zg_random_one_in(struct zg_random *random, uint64_t n);

/* How many trials succeed before the next failure, if each fails with `probability`; UINT64_MAX if that is 0. */
uint64_t zg_random_skip(struct zg_random *random, double probability);

#endif
