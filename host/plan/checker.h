/* SPDX-License-Identifier: MIT */
/* A check that a definition chose, as the runtime computes it. */
#ifndef ZEUGMA_CHECKER_H
#define ZEUGMA_CHECKER_H

#include "definition/check_choice.h"
#include "plan/fast_crc.h"
#include "zeugma/check.h"

/* Must not be moved or copied: check points into it. */
struct zg_checker {
    struct zg_check check;
    struct zg_check_form form;
    struct zg_crc crc;
    zg_check_word *table;
    struct zg_fast_crc *fast; /* if it is a CRC */
};

/* Prepares a sound choice, covering everything after the first `skip` bytes. Free with zg_checker_clear(). */
void zg_checker_init(struct zg_checker *checker, const struct zg_check_choice *choice, unsigned skip);

/* The check covers the end mark as well. */
void zg_checker_close(struct zg_checker *checker, const struct zg_mark *end);

void zg_checker_clear(struct zg_checker *checker);

/* The check value of some bytes. */
uint64_t zg_check_choice_value(const struct zg_check_choice *choice, const uint8_t *bytes, size_t count);

#endif
