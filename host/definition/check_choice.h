/* SPDX-License-Identifier: MIT */
/* A check as a definition, or a command line, chooses it. */
#ifndef ZEUGMA_CHECK_CHOICE_H
#define ZEUGMA_CHECK_CHOICE_H

#include "definition/checks.h"
#include "definition/diagnostics.h"
#include "definition/mark.h"

/* What the check covers: header and payload, the payload only, also sync and start bytes, or everything from behind
 * the start mark to the end mark. */
enum zg_covers { ZG_COVERS_CONTENT, ZG_COVERS_PAYLOAD, ZG_COVERS_ALL, ZG_COVERS_AFTER_START };

/* How it is written: as bytes, or as digits. */
enum zg_check_as { ZG_CHECK_AS_BYTES, ZG_CHECK_AS_HEX, ZG_CHECK_AS_DECIMAL };

/* A check as a definition chooses it. */
struct zg_check_choice {
    enum zg_check_kind kind;
    struct zg_crc_parameters crc; /* of the other kinds only the width is set */
    const struct zg_sum *sum;     /* of a sum */
    enum zg_covers covers;
    bool big_endian; /* sent most significant byte first */
    enum zg_check_as as;
    bool lower;           /* hexadecimal digits in lower case */
    struct zg_mark after; /* in front of it, never covered */
    bool after_end;       /* it stands behind the end mark */
    char *name;           /* as written; NULL: given by parameters; owned */
    struct zg_place place;
};

/* The names of all checks, NULL-terminated. Free with g_ptr_array_unref(). */
GPtrArray *zg_check_names(void);

/* Reads a check as it is written after `check:` in a definition: a name, or `{ crc: 16, poly: 0x1021 }`. False, with
 * diagnostics, if it is none. Free its name with g_free() in either case. */
bool zg_check_parse(const char *text, struct zg_check_choice *choice, struct zg_diagnostics *diagnostics);

#endif
