/* SPDX-License-Identifier: MIT */
/* sim: a simulated device as a kind of LINK. */
#include "device/simulated_wire.h"

#include "device/simulated.h"

enum { STEP_NS = 1000000 };

struct simulation {
    struct zg_simulated *device;
    GByteArray *arrived; /* from the device */
};

static bool open_simulated(struct zg_wire *wire, GError **error)
{
    static const struct zg_simulated_settings plain;
    struct simulation *simulation = g_new0(struct simulation, 1);

    (void)error;
    simulation->device = zg_simulated_new(wire->settings.plan, &plain, 0);
    simulation->arrived = g_byte_array_new();
    wire->own = simulation;
    return true;
}

static void close_simulated(struct zg_wire *wire)
{
    struct simulation *simulation = wire->own;

    zg_simulated_free(simulation->device);
    g_byte_array_unref(simulation->arrived);
    g_free(simulation);
}

static bool read_simulated(struct zg_wire *wire, struct zg_passage *passage, GError **error)
{
    struct simulation *simulation = wire->own;

    (void)error;
    g_byte_array_set_size(simulation->arrived, 0);
    passage->at_ns = zg_wire_elapsed(wire);
    zg_simulated_run(simulation->device, passage->at_ns, simulation->arrived);
    passage->bytes = simulation->arrived->data;
    passage->count = simulation->arrived->len;
    return true;
}

static bool write_simulated(struct zg_wire *wire, const uint8_t *bytes, size_t count, GError **error)
{
    struct simulation *simulation = wire->own;

    (void)error;
    zg_simulated_give(simulation->device, zg_wire_elapsed(wire), bytes, count);
    return true;
}

static struct zg_channel_wanted simulated_wanted(const struct zg_wire *wire, uint64_t ns)
{
    return zg_wire_channel_wanted(wire, MIN(ns, STEP_NS));
}

const struct zg_wire_kind zg_simulated_wire = { .open = open_simulated,
                                                .close = close_simulated,
                                                .read = read_simulated,
                                                .write = write_simulated,
                                                .wanted = simulated_wanted,
                                                .cannot_serve = true };
