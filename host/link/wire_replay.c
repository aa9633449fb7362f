/* SPDX-License-Identifier: MIT */
/* file: a capture of what passed once. */
#include <string.h>

#include "link/wire_kind.h"

struct replay {
    struct zg_capture_reader *reader;
    struct zg_record_read record;
    bool has_record, has_begun;
    uint64_t first_ns, last_ns;
};

static bool open_replay(struct zg_wire *wire, GError **error)
{
    struct replay *replay = g_new0(struct replay, 1);

    wire->own = replay;
    replay->reader = zg_capture_open(wire->address.path, error);
    return replay->reader != NULL;
}

static void close_replay(struct zg_wire *wire)
{
    struct replay *replay = wire->own;

    zg_capture_reader_free(replay->reader);
    g_free(replay);
}

/* Whether the time of the current record has come. */
static bool is_time(const struct zg_wire *wire)
{
    const struct replay *replay = wire->own;
    return !wire->address.own_time || replay->record.at_ns - replay->first_ns <= zg_wire_elapsed(wire);
}

/* Makes the next record current. False: the capture has ended. */
static bool have_record(struct zg_wire *wire)
{
    struct replay *replay = wire->own;
    g_autofree char *damage = NULL;

    if (replay->has_record)
        return true;
    replay->has_record = zg_capture_read(replay->reader, &replay->record, &damage);
    if (damage)
        zg_wire_notice(wire, "%s", damage);
    if (!replay->has_record) {
        wire->ended = true;
        return false;
    }
    if (!replay->has_begun)
        replay->first_ns = replay->record.at_ns;
    replay->has_begun = true;
    return true;
}

static bool read_replay(struct zg_wire *wire, struct zg_passage *passage, GError **error)
{
    struct replay *replay = wire->own;
    const struct zg_record_read *record = &replay->record;

    (void)error;
    if (!have_record(wire) || !is_time(wire))
        return true;
    replay->has_record = false;
    if (record->at_ns > replay->first_ns + replay->last_ns) /* the time of day may have been set back meanwhile */
        replay->last_ns = record->at_ns - replay->first_ns;
    passage->at_ns = replay->last_ns;
    if (record->kind == ZG_CAPTURE_REMARK) {
        g_autofree char *remark = g_utf8_make_valid((const char *)record->bytes, (gssize)record->count);
        zg_wire_notice(wire, "capture: %s", remark);
        return true;
    }
    passage->out = record->kind == ZG_CAPTURE_OUT;
    passage->bytes = record->bytes;
    passage->count = record->count;
    return true;
}

static bool write_replay(struct zg_wire *wire, const uint8_t *bytes, size_t count, GError **error)
{
    (void)bytes;
    (void)count;
    return zg_wire_trouble(error, "%s: a capture can only be read", wire->address.text);
}

static void wait_replay(struct zg_wire *wire, int extra, uint64_t ns)
{
    const struct replay *replay = wire->own;

    if (replay->has_record && !is_time(wire))
        zg_wire_channel_wait(wire, extra, MIN(ns, replay->record.at_ns - replay->first_ns - zg_wire_elapsed(wire)));
}

static uint64_t event_ns(const struct zg_wire *wire)
{
    return ((const struct replay *)wire->own)->last_ns;
}

const struct zg_wire_kind zg_wire_replay = { .open = open_replay,
                                             .close = close_replay,
                                             .read = read_replay,
                                             .write = write_replay,
                                             .wait = wait_replay,
                                             .event_ns = event_ns,
                                             .is_replay = true,
                                             .cannot_serve = true };
