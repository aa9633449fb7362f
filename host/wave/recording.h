/* SPDX-License-Identifier: MIT */
/* Recorded levels, from a value change dump (IEEE 1364) or a table of times and levels. */
#ifndef ZEUGMA_WAVE_RECORDING_H
#define ZEUGMA_WAVE_RECORDING_H

#include "wave/trace.h"

#define ZG_RECORDING_ERROR (g_quark_from_static_string("zg-recording-error"))

enum zg_recording_error {
    ZG_RECORDING_ERROR_FILE,  /* it cannot be read, or is no such file */
    ZG_RECORDING_ERROR_SIGNAL /* it is not clear which signals are meant: the message lists them */
};

struct zg_recording_settings {
    char **signals;     /* names, or full paths, or one bit of a vector, bus[3]; NULL: those that there are, if that is
                           clear */
    unsigned most;      /* signals that are taken without being named, at most */
    bool has_threshold; /* otherwise the middle of the range that is found, */
    double threshold;   /* of a table of voltages, */
    double hysteresis;  /* both in its unit; a tenth of the range */
};

struct zg_recording {
    GPtrArray *traces; /* struct zg_trace, as they were asked for */
    char *start;       /* when it was made, as the file has it; NULL: it does not say */
    int64_t end_ps;    /* of its last moment */
    int64_t sample_ps; /* the time between samples, or what times are told in; 0: it has only edges */
    bool complete;     /* it ends with a whole line */
};

/* NULL, with an error that says where. Free with zg_recording_free(). */
struct zg_recording *zg_recording_read(const char *path, const struct zg_recording_settings *settings, GError **error);
void zg_recording_free(struct zg_recording *recording);

#endif
