/* SPDX-License-Identifier: MIT */
/* What was read of a recording, kept, and written beside its wires. */
#ifndef ZEUGMA_WAVE_ANNOTATE_H
#define ZEUGMA_WAVE_ANNOTATE_H

#include "wave/survey.h"
#include "wave/wave.h"

/* Opaque; free with zg_notes_free(). */
struct zg_notes;

struct zg_notes *zg_notes_new(void);
void zg_notes_free(struct zg_notes *notes);

/* Keeps an event: a character with its errors, a frame by its message's name, what was skipped by its reason. */
void zg_notes_add(struct zg_notes *notes, const struct zg_survey_event *event);

/* Writes a value change dump (IEEE 1364): each signal, and beside it its characters, their errors and its frames.
 * False, with an error: it cannot be written, and no file is left. */
bool zg_notes_write(const struct zg_notes *notes, const struct zg_recording *recording, const char *path,
                    GError **error);

#endif
