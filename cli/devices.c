/* SPDX-License-Identifier: MIT */
#include "devices.h"

int cli_devices_load(struct cli_devices *devices, const struct cli_verb *verb, unsigned count, char *const *arguments)
{
    const struct zg_plan *plans[CLI_DEVICES_MOST];

    *devices = (struct cli_devices){ .verb = verb, .count = count };
    for (unsigned i = 0; i < count; i++) {
        const int status = cli_load(verb, arguments[2 * i], false, &devices->loaded[i]);
        if (status != CLI_YES)
            return status;
        plans[i] = devices->loaded[i].plan;
        devices->links[i] = arguments[2 * i + 1];
    }
    devices->names = count > 1 ? zg_viewed_names(plans, count) : NULL;
    for (unsigned i = 0; i < count; i++)
        devices->viewed[i] =
            (struct zg_viewed){ devices->names ? devices->names[i] : NULL, plans[i], zg_selection_new(plans[i]) };
    return CLI_YES;
}

void cli_devices_clear(struct cli_devices *devices)
{
    for (unsigned i = 0; i < devices->count; i++) {
        zg_selection_free(devices->viewed[i].selection);
        cli_definition_clear(&devices->loaded[i]);
    }
    g_strfreev(devices->names);
}

int cli_devices_open(struct cli_devices *devices, const char *capture, void (*notice)(const char *text, void *data),
                     void *const *data)
{
    int status = CLI_YES;

    for (unsigned i = 0; i < devices->count && status == CLI_YES; i++) {
        struct zg_wire_settings settings = { .plan = devices->viewed[i].plan,
                                             .place = { (const char *const *)devices->names, i,
                                                        i > 0 ? devices->wires[0] : NULL },
                                             .capture = capture,
                                             .notice = notice,
                                             .data = data ? data[i] : NULL };
        status = cli_open(devices->verb, devices->links[i], &settings, &devices->wires[i]);
    }
    return status;
}

int cli_devices_close(struct cli_devices *devices, int status)
{
    for (unsigned i = 0; i < devices->count; i++)
        status = cli_close(devices->verb, devices->wires[i], status);
    return status;
}
