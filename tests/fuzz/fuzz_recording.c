/* SPDX-License-Identifier: MIT */
/* Any file as a recording: it is read or refused, and what was read can be measured, decoded, explained and written. */
#include <stdio.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <unistd.h>

#include "fuzz.h"
#include "wave/annotate.h"

static void take(void *data, const struct zg_survey_event *event)
{
    g_assert(event->from_ps <= event->to_ps || event->stretch);
    zg_notes_add(data, event);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static int file = -1;
    static char to[] = "/tmp/zeugma-fuzz-XXXXXX";
    char path[64];

    if (file < 0) {
        file = memfd_create("recording", 0);
        (void)close(mkstemp(to));
    }
    (void)snprintf(path, sizeof path, "/proc/self/fd/%d", file);
    g_assert(ftruncate(file, 0) == 0 && pwrite(file, data, size, 0) == (ssize_t)size);
    struct zg_recording *recording = zg_recording_read(path, &(struct zg_recording_settings){ .most = 3 }, NULL);
    if (!recording)
        return 0;
    const struct zg_survey_settings settings = { .plan = size % 2 ? fuzz_plan(0) : NULL };
    struct zg_notes *notes = zg_notes_new();
    struct zg_survey *survey = zg_survey_run(recording, &settings, take, notes);
    g_assert(zg_notes_write(notes, recording, to, NULL));
    struct zg_recording *again = zg_recording_read(to, &(struct zg_recording_settings){ .most = 3 }, NULL);
    g_assert(again && again->traces->len == recording->traces->len);
    for (guint i = 0; i < again->traces->len; i++) { /* the same changes */
        const struct zg_trace *old = recording->traces->pdata[i], *new = again->traces->pdata[i];
        g_assert(old->changes == new->changes);
    }
    zg_recording_free(again);
    (void)unlink(to);
    zg_survey_free(survey);
    zg_notes_free(notes);
    zg_recording_free(recording);
    return 0;
}
