/* SPDX-License-Identifier: MIT */
/* A dosing pump: strokes at the rate of its set-point, and shows that in registers. */
#include "device.h"

#include <string.h>

#include "zeugma/clock.h"

static const uint32_t period_us = 100000;

static bool is_for_all(const struct zg_frame *frame)
{
    return frame->header.destination == 0;
}

static void refuse(struct device *device, uint8_t id, dosing_fault why)
{
    device->answer = ANSWER_REFUSED;
    device->refused = id;
    device->why = why;
    device->refusals++;
}

/* Answers with these registers, or with why not. */
static bool has(struct device *device, uint8_t id, uint16_t first, uint16_t count)
{
    if (count > 0 && first < REGISTERS && count <= REGISTERS - first) {
        device->first = first;
        device->count = count;
        return true;
    }
    refuse(device, id, DOSING_FAULT_NO_REGISTER);
    return false;
}

static bool set(struct device *device, uint16_t number, uint16_t value)
{
    if (number == LIMIT || (number == SETPOINT && value <= device->registers[LIMIT])) {
        device->registers[number] = value;
        device->writes++;
        return true;
    }
    return false;
}

static void on_read(void *context, const struct dosing_read_registers *message, const struct zg_frame *frame)
{
    struct device *device = context;

    if (is_for_all(frame) || !has(device, DOSING_READ_REGISTERS_ID, message->first, message->count))
        return;
    device->answer = ANSWER_REGISTERS;
    device->reads++;
}

static void on_write(void *context, const struct dosing_write_register *message, const struct zg_frame *frame)
{
    struct device *device = context;

    if (!has(device, DOSING_WRITE_REGISTER_ID, message->number, 1))
        return;
    if (set(device, message->number, message->value))
        device->answer = ANSWER_WRITTEN;
    else
        refuse(device, DOSING_WRITE_REGISTER_ID, DOSING_FAULT_BAD_VALUE);
    if (is_for_all(frame))
        device->answer = ANSWER_NONE;
}

static void on_write_all(void *context, const struct dosing_write_registers *message, const struct zg_frame *frame)
{
    struct device *device = context;
    bool taken = message->count == message->values_count;

    if (!has(device, DOSING_WRITE_REGISTERS_ID, message->first, message->count))
        return;
    for (uint16_t i = 0; taken && i < message->count; i++)
        taken = set(device, (uint16_t)(message->first + i), message->values[i]);
    if (taken)
        device->answer = ANSWER_ALL_WRITTEN;
    else
        refuse(device, DOSING_WRITE_REGISTERS_ID, DOSING_FAULT_BAD_VALUE);
    if (is_for_all(frame))
        device->answer = ANSWER_NONE;
}

static const struct dosing_device_handlers handlers = { .read_registers = on_read,
                                                        .write_register = on_write,
                                                        .write_registers = on_write_all };

int device_begin(struct device *device, uint8_t address, const struct zg_port *port, void *port_context)
{
    memset(device, 0, sizeof *device);
    device->port = port;
    device->port_context = port_context;
    device->registers[SETPOINT] = 40;
    device->registers[LIMIT] = 120;
    device->strokes_us = port->now_us(port_context);
    const int error = dosing_device_init(&device->node, port, port_context, &handlers, device);
    dosing_device_set_address(&device->node, address);
    return error;
}

static int send_registers(struct device *device)
{
    struct dosing_registers answer = { .values_count = (uint8_t)device->count };

    memcpy(answer.values, device->registers + device->first, device->count * sizeof answer.values[0]);
    return dosing_device_send_registers(&device->node, &answer);
}

static int send_refusal(struct device *device)
{
    const struct dosing_read_refused read = { device->why };
    const struct dosing_write_refused write = { device->why };
    const struct dosing_all_refused all = { device->why };

    return device->refused == DOSING_READ_REGISTERS_ID   ? dosing_device_send_read_refused(&device->node, &read)
           : device->refused == DOSING_WRITE_REGISTER_ID ? dosing_device_send_write_refused(&device->node, &write)
                                                         : dosing_device_send_all_refused(&device->node, &all);
}

/* Sends the answer that is due as soon as the line allows. */
static void answer(struct device *device)
{
    const struct dosing_written written = { device->first, device->registers[device->first % REGISTERS] };
    const struct dosing_all_written all = { device->first, device->count };
    int error = 0;

    switch (device->answer) {
    case ANSWER_REGISTERS: error = send_registers(device); break;
    case ANSWER_WRITTEN: error = dosing_device_send_written(&device->node, &written); break;
    case ANSWER_ALL_WRITTEN: error = dosing_device_send_all_written(&device->node, &all); break;
    case ANSWER_REFUSED: error = send_refusal(device); break;
    default: break;
    }
    if (!error)
        device->answer = ANSWER_NONE;
}

void device_loop(struct device *device)
{
    const uint32_t now = device->port->now_us(device->port_context);

    dosing_device_poll(&device->node);
    answer(device);
    if (zg_clock_since(now, device->strokes_us) < period_us)
        return;
    device->strokes_us += period_us;
    device->registers[RATE] = device->registers[SETPOINT];
    device->registers[STROKES] = (uint16_t)(device->registers[STROKES] + (device->registers[RATE] + 9) / 10);
    device->registers[PRESSURE] = (uint16_t)(2000 + 3 * device->registers[RATE]);
}
