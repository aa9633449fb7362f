/* SPDX-License-Identifier: MIT */
/* file: a capture of what passed once. */
#include <string.h>

#include "link/wire_kind.h"

struct replay {
    struct zg_capture_reader *reader;
    struct zg_record_read record;
    bool has_record;
    int device; /* whose records are read; -1: all */
    uint64_t last_ns;
};

/* Makes the next record current, whosever it is. False: the capture has ended. */
static bool next_record(struct zg_wire *wire)
{
    struct replay *replay = wire->own;
    g_autofree char *damage = NULL;

    replay->has_record = zg_capture_read(replay->reader, &replay->record, &damage);
    if (damage)
        zg_wire_notice(wire, "%s", damage);
    return replay->has_record;
}

/* Reads the names with which a capture of several devices begins, and looks for this one's. */
static bool find_device(struct zg_wire *wire, GError **error)
{
    struct replay *replay = wire->own;
    const struct zg_wire_place *place = &wire->settings.place;
    const char *wanted = place->names ? place->names[place->number] : wire->settings.plan->definition->protocol;
    g_autoptr(GString) names = g_string_new(NULL);

    replay->device = -1;
    while (next_record(wire) && replay->record.kind == ZG_CAPTURE_DEVICE) {
        g_autofree char *name = g_utf8_make_valid((const char *)replay->record.bytes, (gssize)replay->record.count);
        if (strcmp(name, wanted) == 0)
            replay->device = replay->record.device;
        g_string_append_printf(names, "%s%s", names->len > 0 ? ", " : "", name);
    }
    if (replay->has_record)
        wire->common->first_ns = MIN(wire->common->first_ns, replay->record.at_ns);
    if (names->len == 0 || replay->device >= 0)
        return true;
    g_set_error(error, ZG_WIRE_ERROR, ZG_WIRE_ERROR_USE,
                "%s has the devices %s; none of them is %s; expected the definition of one of them", wire->address.path,
                names->str, wanted);
    return false;
}

static bool open_replay(struct zg_wire *wire, GError **error)
{
    struct replay *replay = g_new0(struct replay, 1);

    wire->own = replay;
    replay->reader = zg_capture_open(wire->address.path, error);
    return replay->reader && find_device(wire, error);
}

static void close_replay(struct zg_wire *wire)
{
    struct replay *replay = wire->own;

    zg_capture_reader_free(replay->reader);
    g_free(replay);
}

/* The current record's time since the earliest of all captures. */
static uint64_t time_of(const struct zg_wire *wire)
{
    const uint64_t at_ns = ((const struct replay *)wire->own)->record.at_ns;

    return at_ns - MIN(at_ns, wire->common->first_ns); /* the time of day may have been set back meanwhile */
}

/* Whether the time of the current record has come. */
static bool is_time(const struct zg_wire *wire)
{
    return !wire->address.own_time || time_of(wire) <= zg_wire_elapsed(wire);
}

/* Makes the device's next record current. False: the capture has ended. */
static bool have_record(struct zg_wire *wire)
{
    const struct replay *replay = wire->own;

    while (!replay->has_record || (replay->device >= 0 && replay->record.device != replay->device))
        if (!next_record(wire)) {
            wire->ended = true;
            return false;
        }
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
    replay->last_ns = MAX(replay->last_ns, time_of(wire));
    passage->at_ns = replay->last_ns;
    if (record->kind >= ZG_CAPTURE_REMARK) {
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

static struct zg_channel_wanted replay_wanted(const struct zg_wire *wire, uint64_t ns)
{
    const struct replay *replay = wire->own;
    const bool waits = replay->has_record && !is_time(wire);

    return zg_wire_channel_wanted(wire, waits ? MIN(ns, time_of(wire) - zg_wire_elapsed(wire)) : 0);
}

static uint64_t event_ns(const struct zg_wire *wire)
{
    return ((const struct replay *)wire->own)->last_ns;
}

const struct zg_wire_kind zg_wire_replay = { .open = open_replay,
                                             .close = close_replay,
                                             .read = read_replay,
                                             .write = write_replay,
                                             .wanted = replay_wanted,
                                             .event_ns = event_ns,
                                             .is_replay = true,
                                             .cannot_serve = true };
