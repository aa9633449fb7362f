/* SPDX-License-Identifier: MIT */
/* A pattern: text with the names of fields in braces. */
#ifndef ZEUGMA_PATTERN_H
#define ZEUGMA_PATTERN_H

#include "definition/read.h"

/* A literal, and the field behind it; NULL: none, it is the last. */
struct zg_pattern_part {
    char *literal;
    const struct zg_field *field;
    unsigned index; /* of the field */
};

struct zg_pattern {
    GArray *parts; /* struct zg_pattern_part, the last without a field */
};

/* Takes a message's pattern apart. NULL, with diagnostics: it is none, or does not hold each field once. Without a
 * reader there are no diagnostics. Free with zg_pattern_free(). */
struct zg_pattern *zg_pattern_parse(struct zgi_reader *reader, const struct zg_message *message);
void zg_pattern_free(struct zg_pattern *pattern);

const struct zg_pattern_part *zg_pattern_part(const struct zg_pattern *pattern, unsigned index);

#endif
