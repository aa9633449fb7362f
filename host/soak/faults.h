/* SPDX-License-Identifier: MIT */
/* The faults that a soak's simulated line, senders and receivers make, as written: "ber=1e-5,drop=1e-6
 * back:latency=2ms", or a file that says when. */
#ifndef ZEUGMA_FAULTS_H
#define ZEUGMA_FAULTS_H

#include <glib.h>
#include <stdbool.h>

#include "definition/diagnostics.h"
#include "sim/line.h"

#define ZG_FAULTS_ERROR (g_quark_from_static_string("zg-faults-error"))

/* In what one end sends, and at the end that receives it. */
struct zg_way_faults {
    struct zg_sim_faults line;
    /* shares of the sender's frames */
    double repeat; /* the frame leaves twice */
    double swap;   /* the frame is sent after the next one of its flow */
    double stray;  /* a frame unknown to the soak follows it, as from another sender */
    double stale;  /* an older frame follows it once more, under its old number */
    uint64_t cap;  /* a frame's bytes beyond so many never leave; 0: all do */
    /* of the receiver */
    double behind;            /* share of frames whose payload is damaged after its check */
    double restart;           /* it begins anew, so many times a second */
    struct zg_spell blackout; /* its loop stands still; */
    struct zg_spell mask;     /* or its interrupts are masked: all of the same length */
    uint64_t fifo;            /* depth of its UART's buffer; 0: the usual one */
};

struct zg_faults {
    struct zg_way_faults way[2]; /* back, from the device (0); out, from the host (1) */
};

/* Whether both ways have the same. */
bool zg_faults_are_even(const struct zg_faults *faults);

/* Where faults are made: at this end of a real link those that happen to bytes; at a simulated device also those that
 * happen to a device; on the simulated line all. */
enum zg_faults_place { ZG_FAULTS_HERE = 2, ZG_FAULTS_AT_DEVICE = 4, ZG_FAULTS_ON_SIM = 8 };

/* Whether all that there are can be made there. */
bool zg_faults_possible(const struct zg_faults *faults, enum zg_faults_place place);

/* The names of those that only a stream of bytes has, where the link keeps packets apart, or only packets, where it
 * does not. NULL: there are none. Free with g_free(). */
char *zg_faults_unfit(const struct zg_faults *faults, bool packets);

/* The names of those that there are and that act on bits, which the line by the byte does not have. NULL: there are
 * none. Free with g_free(). */
char *zg_faults_of_bits(const struct zg_faults *faults);

/* The names of those that can be made there, or cannot, for messages. Free with g_free(). */
char *zg_faults_names(enum zg_faults_place place, bool possible);

/* Those of one way as they are written, without those that are not there. Free with g_free(). */
char *zg_faults_text(const struct zg_way_faults *faults);

/* Reads a list of NAME=VALUE, separated by commas or blanks, into `faults`; all of it or, with an error, none. Values
 * of several parts have slashes between them; what is only there or not has no value. After "out:" or "back:" they are
 * of that way, up to the next such word; faults of the receiver are the device's unless "back:" says the host's. */
bool zg_faults_parse(const char *text, struct zg_faults *faults, GError **error);

/* Sets one by its name; false if there is none such, or it has not one part that is a number or a time. What the value
 * means is up to the fault: a share, times a second, nanoseconds. */
bool zg_faults_set(struct zg_faults *faults, const char *name, double value, GError **error);

/* Whether the value of a fault is one time. */
bool zg_faults_is_time(const char *name);

/* --- faults with times */

/* Opaque; free with zg_fault_times_free(). */
struct zg_fault_times;

/* Reads a list in YAML: each item a mapping with `from`, `to`, `way` (all may be left out) and faults by name. NULL,
 * with diagnostics, if it is not one. */
struct zg_fault_times *zg_fault_times_read(const char *text, size_t length, struct zg_diagnostics *diagnostics);
void zg_fault_times_free(struct zg_fault_times *times);

/* Adds those of a moment to `faults`; later items go before earlier ones. */
void zg_fault_times_at(const struct zg_fault_times *times, uint64_t now_ns, struct zg_faults *faults);

/* Whether any of them acts on bits. */
bool zg_fault_times_need_bits(const struct zg_fault_times *times);

/* When they change next after a moment; UINT64_MAX: never. */
uint64_t zg_fault_times_next_ns(const struct zg_fault_times *times, uint64_t now_ns);

#endif
