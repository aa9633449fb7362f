/* SPDX-License-Identifier: MIT */
#include "stage.h"

#include <string.h>

#include "loom_frame.h"

enum { DEVICE_END, HOST_END, STEP_NS = 100000 };

static void note(struct stage *stage, struct heard *heard, uint32_t number)
{
    assert_true(heard->count < STAGE_MOST);
    heard->numbers[heard->count++] = number;
    if (stage->within)
        stage->within(stage);
}

uint32_t stage_last(const struct heard *heard)
{
    assert_true(heard->count > 0);
    return heard->numbers[heard->count - 1];
}

/* --- the device */

static void on_set_speed(void *context, const struct loom_set_speed *message, const struct zg_frame *frame)
{
    (void)frame;
    note(context, &((struct stage *)context)->speeds, message->picks_per_min);
}

static void on_jog(void *context, const struct loom_jog *message, const struct zg_frame *frame)
{
    (void)frame;
    note(context, &((struct stage *)context)->jogs, (uint8_t)message->step);
}

static void on_wind(void *context, const struct loom_wind *message, const struct zg_frame *frame)
{
    (void)frame;
    note(context, &((struct stage *)context)->winds, message->turn);
}

static void on_load_row(void *context, const struct loom_load_row *message, const struct zg_frame *frame)
{
    struct stage *stage = context;
    const struct loom_row_taken taken = { message->row, message->lifts_count };

    note(stage, &stage->rows, message->row);
    stage->row_ticket = frame->header.ticket;
    if (stage->answers)
        assert_int_equal(loom_device_send_row_taken(&stage->device, &taken, frame->header.ticket), 0);
}

static void on_written(void *context, uint8_t index)
{
    note(context, &((struct stage *)context)->written, index);
}

static void on_device_event(void *context, zg_header_number address, enum zg_link_event event)
{
    (void)address;
    note(context, &((struct stage *)context)->device_events, event);
}

static void on_stopped_settled(void *context, const struct loom_stopped *message, enum zg_settled how)
{
    (void)message;
    note(context, &((struct stage *)context)->stopped_ends, how);
}

static const struct loom_device_handlers device_handlers = { .set_speed = on_set_speed,
                                                             .jog = on_jog,
                                                             .wind = on_wind,
                                                             .load_row = on_load_row,
                                                             .variable_written = on_written,
                                                             .link_changed = on_device_event,
                                                             .stopped_settled = on_stopped_settled };

/* --- the host */

static void on_pick(void *context, const struct loom_pick *message, const struct zg_frame *frame)
{
    (void)frame;
    note(context, &((struct stage *)context)->picks, message->number);
}

static void on_stopped(void *context, const struct loom_stopped *message, const struct zg_frame *frame)
{
    (void)frame;
    note(context, &((struct stage *)context)->stops, message->pick);
}

static void on_row_taken(void *context, const struct loom_row_taken *message, const struct zg_frame *frame)
{
    (void)frame;
    note(context, &((struct stage *)context)->taken, message->row);
}

static void on_hello(void *context, const struct loom_hello *message, const struct zg_frame *frame)
{
    struct stage *stage = context;
    (void)frame;
    (void)message;
    stage->hello = *message;
    note(stage, &stage->matches, loom_host_hello(&stage->host)->match);
}

static void on_console(void *context, const struct loom_console *message, const struct zg_frame *frame)
{
    struct stage *stage = context;
    (void)frame;
    assert_true(stage->console_size + message->text_count <= STAGE_MOST);
    memcpy(stage->console + stage->console_size, message->text, message->text_count);
    stage->console_size += message->text_count;
}

static void on_tension(void *context, const struct loom_variable_target_tension *value, const struct zg_frame *frame)
{
    (void)frame;
    note(context, &((struct stage *)context)->tensions, (uint16_t)value->value);
}

static void on_host_event(void *context, zg_header_number address, enum zg_link_event event)
{
    (void)address;
    note(context, &((struct stage *)context)->host_events, event);
}

static void on_speed_settled(void *context, const struct loom_set_speed *message, enum zg_settled how)
{
    struct stage *stage = context;
    note(stage, &stage->speed_ends, how);
    if (how != ZG_DELIVERED)
        note(stage, &stage->failed_speeds, message->picks_per_min);
}

static void on_jog_settled(void *context, const struct loom_jog *message, enum zg_settled how)
{
    (void)message;
    note(context, &((struct stage *)context)->jog_ends, how);
}

static void on_wind_settled(void *context, const struct loom_wind *message, enum zg_settled how)
{
    (void)message;
    note(context, &((struct stage *)context)->wind_ends, how);
}

static void on_row_settled(void *context, const struct loom_load_row *message, enum zg_settled how)
{
    (void)message;
    note(context, &((struct stage *)context)->row_ends, how);
}

static void on_write_settled(void *context, const struct loom_variable_write *message, enum zg_settled how)
{
    (void)message;
    note(context, &((struct stage *)context)->write_ends, how);
}

static void on_read_settled(void *context, const struct loom_variable_read *message, enum zg_settled how)
{
    (void)message;
    note(context, &((struct stage *)context)->read_ends, how);
}

static const struct loom_host_handlers host_handlers = { .pick = on_pick,
                                                         .stopped = on_stopped,
                                                         .row_taken = on_row_taken,
                                                         .hello = on_hello,
                                                         .console = on_console,
                                                         .variable_target_tension = on_tension,
                                                         .link_changed = on_host_event,
                                                         .set_speed_settled = on_speed_settled,
                                                         .jog_settled = on_jog_settled,
                                                         .wind_settled = on_wind_settled,
                                                         .load_row_settled = on_row_settled,
                                                         .variable_write_settled = on_write_settled,
                                                         .variable_read_settled = on_read_settled };

/* --- both */

void stage_restart_device(struct stage *stage)
{
    memset(&stage->device, 0xA5, sizeof stage->device);
    assert_int_equal(loom_device_init(&stage->device, &zg_sim_port, zg_sim_context(stage->line, DEVICE_END),
                                      &device_handlers, stage),
                     0);
    zg_sim_attach(stage->line, DEVICE_END, &stage->device.link);
}

void stage_restart_host(struct stage *stage)
{
    memset(&stage->host, 0xA5, sizeof stage->host);
    assert_int_equal(
        loom_host_init(&stage->host, &zg_sim_port, zg_sim_context(stage->line, HOST_END), &host_handlers, stage), 0);
    zg_sim_attach(stage->line, HOST_END, &stage->host.link);
}

void stage_begin(struct stage *stage, const struct zg_sim_faults *faults, uint64_t seed, uint32_t clock_us)
{
    static const struct zg_sim_faults none;
    const struct zg_sim_faults *used = faults ? faults : &none;
    const struct zg_sim_settings settings = {
        .baud = 500000, .half_bits = 20, .faults = { *used, *used }, .seed = seed, .clock_us = clock_us
    };

    memset(stage, 0, sizeof *stage);
    stage->answers = true;
    stage->line = zg_sim_line_new(&settings);
    stage_restart_device(stage);
    stage_restart_host(stage);
}

void stage_end(struct stage *stage)
{
    zg_sim_line_free(stage->line);
}

void stage_run(struct stage *stage, unsigned ms)
{
    for (uint64_t until = stage->now_ns + UINT64_C(1000000) * ms; stage->now_ns < until;) {
        stage->now_ns += STEP_NS;
        zg_sim_advance(stage->line, stage->now_ns);
        if (stage->cut) {
            stage->device.link.receive.tail = stage->device.link.receive.head;
            stage->host.link.receive.tail = stage->host.link.receive.head;
        }
        if (stage->act)
            stage->act(stage);
        if (!stage->device_off)
            loom_device_poll(&stage->device);
        if (!stage->host_off)
            loom_host_poll(&stage->host);
    }
}

/* --- frames that no end makes */

static size_t frame_into(struct zg_ring *ring, const uint8_t *content, size_t size)
{
    struct zg_encoder encoder;
    uint8_t tail[LOOM_CHECK_SIZE];
    size_t wire = 0;

    zg_check_store(&loom_check, zg_check_value(&loom_check, content, size), tail);
    zg_encoder_begin(&encoder, &zg_cobs, ring);
    zg_encoder_put(&encoder, &zg_cobs, content, size);
    zg_encoder_put(&encoder, &zg_cobs, tail, sizeof tail);
    assert_int_equal(zg_encoder_end(&encoder, &zg_cobs, &wire), 0);
    return wire;
}

void stage_send_raw(struct stage *stage, zg_header_number id, const uint8_t *payload, size_t length)
{
    struct zg_link *link = &stage->host.link;
    const struct zg_header header = { .id = id, .sequence = link->sequence++ };
    uint8_t content[LOOM_HEADER_SIZE + LOOM_MAX_PAYLOAD];

    loom_write_header(&header, content);
    memcpy(content + LOOM_HEADER_SIZE, payload, length);
    link->counters.bytes_out += (uint32_t)frame_into(&link->transmit, content, LOOM_HEADER_SIZE + length);
    link->counters.frames_out++;
    link->port->start_transmit(link->port_context);
}

void stage_pass_to_host(struct stage *stage, const uint8_t *content, size_t size)
{
    struct zg_ring ring;
    uint8_t bytes[32], byte;

    assert_int_equal(zg_ring_init(&ring, bytes, sizeof bytes), 0);
    (void)frame_into(&ring, content, size);
    while (zg_ring_get(&ring, &byte))
        loom_host_receive_isr(&stage->host, byte, 0);
}
