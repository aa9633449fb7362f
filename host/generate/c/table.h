/* SPDX-License-Identifier: MIT */
/* A CRC's look-up table as C. */
#ifndef ZEUGMA_C_TABLE_H
#define ZEUGMA_C_TABLE_H

#include "definition/checks.h"

/* 256 entries, and a function that uses nothing else. Free with g_free(). */
char *zg_crc_table_as_c(const struct zg_crc_parameters *crc);

#endif
