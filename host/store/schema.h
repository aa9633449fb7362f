/* SPDX-License-Identifier: MIT */
/* What a store and those who read it share. */
#ifndef ZEUGMA_SCHEMA_H
#define ZEUGMA_SCHEMA_H

#include <sqlite3.h>

#include "soak/journal.h"
#include "store/store.h"

enum { ZGI_STORE_APPLICATION = 0x5A47534F /* "ZGSO", the file's application_id */, ZGI_STORE_VERSION = 2 };

/* The statements that make the tables. */
extern const char zgi_store_schema[];

/* The columns of `second` for classes, in the order of enum zg_class: their keys, separated by commas. */
char *zgi_store_class_columns(void);

/* "out" or "back"; "echo", "stream" or "any". */
const char *zgi_store_way(enum zg_flow flow);
const char *zgi_store_flow(enum zg_flow flow);

/* Opens a file of this kind; `flags` are SQLite's. NULL with an error. */
sqlite3 *zgi_store_open(const char *file, int flags, GError **error);

/* Prepares a statement of our own, which cannot be wrong; on other trouble NULL. */
sqlite3_stmt *zgi_store_prepare(sqlite3 *database, const char *sql);

/* The same about a run, which is its first parameter. */
sqlite3_stmt *zgi_store_about(sqlite3 *database, const char *sql, int64_t run);

/* Numbers as stored, ascending: unsigned LEB128, each given as the distance to the one before. */
GByteArray *zgi_numbers_pack(const GArray *numbers);
bool zgi_numbers_unpack(const uint8_t *bytes, size_t length, GArray *numbers);

/* How many had a latency in this bin of a spread. */
struct zgi_latency_count {
    uint32_t bin, count;
};

/* Latencies as stored: pairs of bin and count, unsigned LEB128, bins ascending and each given as the distance to the
 * one before. Packed are counts of bins from `first` on, uint32_t; what is unpacked are struct zgi_latency_count. */
GByteArray *zgi_latency_pack(uint32_t first, const GArray *counts);
bool zgi_latency_unpack(const uint8_t *bytes, size_t length, GArray *counts);

#endif
