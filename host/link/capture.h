/* SPDX-License-Identifier: MIT */
/*
 * Captures: all bytes that passed on a link, in both directions, with their times. The file format is libpcap's
 * (nanoseconds, link type USER0); each record begins with the four bytes described in docs/capture.md.
 */
#ifndef ZEUGMA_CAPTURE_H
#define ZEUGMA_CAPTURE_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#define ZG_CAPTURE_ERROR (g_quark_from_static_string("zg-capture-error"))

enum zg_capture_kind {
    ZG_CAPTURE_IN,     /* bytes from the device */
    ZG_CAPTURE_OUT,    /* bytes to the device */
    ZG_CAPTURE_REMARK, /* UTF-8: something that happened, such as that the port disappeared */
    ZG_CAPTURE_DEVICE  /* UTF-8: the name of a device, one of several in this capture; these come first */
};

/* A record. `bytes` belong to the reader, until the next call. */
struct zg_record_read {
    enum zg_capture_kind kind;
    uint64_t at_ns;      /* since 1970 */
    uint8_t device;      /* its number, from 0; 0 where there is one alone */
    uint8_t line_errors; /* a sum of zg_line_error */
    const uint8_t *bytes;
    size_t count;
};

/* Opaque. */
struct zg_capture_writer;
struct zg_capture_reader;

/* Creates a file, or empties it. */
struct zg_capture_writer *zg_capture_create(const char *path, GError **error);

/* Adds bytes; long ones become several records. False: the file cannot take them, which is reported once. What was
 * written before stays readable. */
bool zg_capture_add(struct zg_capture_writer *writer, enum zg_capture_kind kind, uint8_t device, uint64_t at_ns,
                    uint8_t line_errors, const uint8_t *bytes, size_t count, GError **error);

/* Passes buffered data on to the system: if the program is killed, only later data is missing. */
bool zg_capture_flush(struct zg_capture_writer *writer, GError **error);
bool zg_capture_close(struct zg_capture_writer *writer, GError **error);

struct zg_capture_reader *zg_capture_open(const char *path, GError **error);
void zg_capture_reader_free(struct zg_capture_reader *reader);

/* The next record; false: there is none. A file that is cut or damaged is read as far as possible; `*damage` (NULL
 * before) is then set once to a description. Free it with g_free(). */
bool zg_capture_read(struct zg_capture_reader *reader, struct zg_record_read *record, char **damage);

#endif
