/* SPDX-License-Identifier: MIT */
#include "device/simulated.h"

#include "device/program.h"
#include "sim/bits.h"
#include "sim/packets.h"
#include "zeugma/clock.h"

#define PS_PER_NS UINT64_C(1000)

enum {
    BOOT_NS = 200000000,   /* from a reset to the first frame */
    HELD_UP_NS = 250000000 /* held up for longer, the device does not catch up: its line stood still in that time */
};

/* One way between UARTs of different speeds. */
struct way {
    struct zg_bits bits;
    GByteArray *read; /* where what is read goes */
    uint64_t free_ps, each_ps, place;
};

struct zg_simulated {
    const struct zg_plan *plan;
    struct zg_simulated_settings settings;
    struct zg_node *node; /* NULL: it is booting */
    struct zg_random random;
    struct zg_damage out, in;
    uint64_t host_baud; /* if it differs from the device's; otherwise 0 */
    struct way out_line, in_line;
    uint64_t now_ns;
    uint64_t boots_ns; /* when it is ready again */
    uint64_t free_ns;  /* until when the last byte sent occupies the line */
    uint64_t in_ns;    /* the same for the last byte received */
    struct zg_spells restarts, blackouts, masks;
    struct zg_sim_uart uart;                     /* what it receives passes through it while it is in a plight */
    GByteArray *incoming;                        /* on the line, not received yet */
    GByteArray *outgoing;                        /* sent, not passed on yet */
    struct zg_packets *out_packets, *in_packets; /* on their way, where the link keeps packets apart */
    uint64_t byte_ns;
    struct zgi_program program;
    struct zg_simulated_totals before; /* of earlier runs */
};

/* --- the port */

static uint32_t now_us(void *context)
{
    return (uint32_t)(((const struct zg_simulated *)context)->now_ns / 1000);
}

static void start_transmit(void *context)
{
    (void)context; /* transmit() checks by itself */
}

static uint16_t boot_number(void *context)
{
    return (uint16_t)zg_random_next(&((struct zg_simulated *)context)->random);
}

/* A radio: takes a packet when the one before it has left. */
static bool send_packet(void *context, const uint8_t *bytes, size_t size)
{
    struct zg_simulated *device = context;

    if (!device->out_packets || device->free_ns > device->now_ns)
        return false;
    zg_packets_send(device->out_packets, &device->out, device->now_ns * PS_PER_NS, device->byte_ns * PS_PER_NS, bytes,
                    size);
    device->free_ns = device->now_ns + size * device->byte_ns;
    return true;
}

static const struct zg_port port = {
    .now_us = now_us, .start_transmit = start_transmit, .boot_number = boot_number, .send_packet = send_packet
};

/* --- bytes */

static void hear(void *data, const struct zg_heard *heard)
{
    struct way *way = data;

    if (heard->is_read)
        g_byte_array_append(way->read, &heard->byte, 1);
}

/* A byte as the UART at the other end reads it: unchanged, if its speed is the same. */
static void pass(struct zg_simulated *device, struct way *way, uint8_t byte, GByteArray *read)
{
    const uint64_t start_ps = MAX(way->free_ps, device->now_ns * PS_PER_NS);

    if (device->host_baud == 0) {
        g_byte_array_append(read, &byte, 1);
        return;
    }
    way->read = read;
    way->free_ps = start_ps + way->each_ps;
    zg_bits_send(&way->bits, &byte, 1, start_ps, way->each_ps, way->place++);
    zg_bits_settle(&way->bits, way->free_ps);
}

static void pass_idle(struct zg_simulated *device, struct way *way, GByteArray *read)
{
    way->read = read;
    if (device->host_baud != 0 && device->now_ns * PS_PER_NS > way->free_ps)
        zg_bits_settle(&way->bits, device->now_ns * PS_PER_NS);
}

/* Begins anew, with rates in baud; 0: it is not needed. */
static void set_way(struct way *way, const struct zg_line *line, double sent, double read)
{
    const struct zg_bits_settings settings = { .format = zg_line_format(line),
                                               .sent_bit_ps = 1e12 / sent,
                                               .read_bit_ps = 1e12 / read,
                                               .samples = 16,
                                               .medium = { .idle_low = line->idle_low } };

    zg_bits_clear(&way->bits);
    *way = (struct way){ .free_ps = way->free_ps };
    way->each_ps = (uint64_t)(zg_uart_half_bits(&settings.format) * settings.sent_bit_ps / 2) + 1;
    zg_bits_init(&way->bits, &settings, 1, 0, hear, way);
}

void zg_simulated_set_host_baud(struct zg_simulated *device, uint64_t baud)
{
    const struct zg_line *line = &device->plan->definition->line;
    const uint64_t own = device->settings.baud > 0 ? device->settings.baud : line->baud;
    const bool same =
        line->is_clocked || baud == 0 || (baud * 50 >= own * 49 && baud * 50 <= own * 51); /* a UART tolerates 2 % */

    if (same || device->host_baud == baud) {
        device->host_baud = same ? 0 : baud;
        return;
    }
    device->host_baud = baud;
    set_way(&device->out_line, line, (double)own, (double)baud);
    set_way(&device->in_line, line, (double)baud, (double)own);
}

static void transmit(struct zg_simulated *device)
{
    GByteArray *left = device->outgoing;
    uint8_t byte, damaged[ZG_DAMAGE_MOST];

    while (device->free_ns + device->byte_ns <= device->now_ns &&
           zg_link_transmit_isr(zg_node_link(device->node), &byte)) {
        const unsigned rest = zg_damage_byte(&device->out, device->now_ns, byte, damaged);
        for (unsigned i = 0; i < rest; i++)
            pass(device, &device->out_line, damaged[i], left);
        device->free_ns += device->byte_ns;
        if (device->settings.busy)
            zgi_program_send(&device->program);
    }
    pass_idle(device, &device->out_line, left);
}

/* What is put into an empty ring from now on starts now. */
static void begin_sending(struct zg_simulated *device)
{
    if (device->node && zg_ring_used(&zg_node_link(device->node)->transmit) == 0)
        device->free_ns = MAX(device->free_ns, device->now_ns);
}

/* Whether its loop stands still, or its interrupts are masked, at this moment. What has waited in its ring, or in its
 * UART, comes first afterwards. */
static bool is_in_plight(struct zg_simulated *device)
{
    const bool still = zg_spells_on(&device->blackouts, device->now_ns),
               masked = zg_spells_on(&device->masks, device->now_ns);

    if (device->node && device->uart.masked != masked)
        zg_sim_uart_mask(&device->uart, zg_node_link(device->node), masked);
    if (device->node && !still && !masked && zg_ring_used(&zg_node_link(device->node)->receive) > 0)
        zg_node_poll(device->node);
    return still || masked;
}

/* Receives the bytes that have come by `now_ns`, at the line's speed, however fast the link delivered them, and each at
 * its own time. What leaves until then leaves first. */
static void receive(struct zg_simulated *device, uint64_t now_ns)
{
    uint8_t damaged[ZG_DAMAGE_MOST];
    guint due = 0;

    for (; due < device->incoming->len && device->in_ns + device->byte_ns <= now_ns; due++) {
        const unsigned rest = zg_damage_byte(&device->in, device->now_ns, device->incoming->data[due], damaged);
        device->in_ns += device->byte_ns;
        device->now_ns = MAX(device->now_ns, device->in_ns);
        const bool in_plight = is_in_plight(device);
        if (device->node && !device->uart.masked)
            transmit(device);
        begin_sending(device);
        for (unsigned k = 0; k < rest && device->node; k++)
            if (in_plight || device->uart.flag)
                zg_sim_uart_take(&device->uart, zg_node_link(device->node), damaged[k], 0);
            else
                zg_node_receive(device->node, &damaged[k], 1);
    }
    if (due > 0)
        g_byte_array_remove_range(device->incoming, 0, due);
}

/* Receives the packets that have come by now. What comes while its loop stands still waits. */
static void receive_packets(struct zg_simulated *device)
{
    const uint8_t *packet;
    uint64_t at_ps;
    size_t size;

    while (!is_in_plight(device) &&
           (packet = zg_packets_take(device->in_packets, device->now_ns * PS_PER_NS, &at_ps, &size)) != NULL)
        if (device->node)
            zg_node_receive(device->node, packet, size);
}

void zg_simulated_give(struct zg_simulated *device, uint64_t now_ns, const uint8_t *bytes, size_t count)
{
    if (device->in_packets) { /* one after the other */
        device->in_ns = MAX(device->in_ns, now_ns);
        zg_packets_send(device->in_packets, &device->in, device->in_ns * PS_PER_NS, device->byte_ns * PS_PER_NS, bytes,
                        count);
        device->in_ns += count * device->byte_ns;
        return;
    }
    receive(device, now_ns);        /* what came before */
    if (device->incoming->len == 0) /* the line was idle */
        device->in_ns = MAX(device->in_ns, now_ns);
    for (size_t i = 0; i < count; i++)
        pass(device, &device->in_line, bytes[i], device->incoming);
}

static void boot(struct zg_simulated *device)
{
    const struct zg_plan *plan = device->plan;

    device->free_ns = device->now_ns;
    device->uart =
        (struct zg_sim_uart){ .depth = device->settings.fifo > 0 ? device->settings.fifo : ZG_SIM_UART_DEPTH };
    device->node = zg_node_new(plan, ZG_SIDE_DEVICE, (size_t)4 * plan->max_frame, &port, device, &zgi_program_calls,
                               &device->program);
    if (device->settings.address != 0)
        (void)zg_node_set_address(device->node, device->settings.address);
    zgi_program_begin(&device->program, device->node);
}

static void shut_down(struct zg_simulated *device)
{
    device->before = zg_simulated_totals(device);
    zg_node_free(device->node);
    device->node = NULL;
}

void zg_simulated_restart(struct zg_simulated *device)
{
    device->boots_ns = device->now_ns + BOOT_NS;
}

static void run(struct zg_simulated *device, uint64_t now_ns)
{
    const uint64_t again_ns = device->settings.restart_ns;

    receive(device, now_ns);
    device->now_ns = now_ns;
    if (device->in_packets)
        receive_packets(device);
    device->free_ns = MAX(device->free_ns, now_ns - MIN(now_ns, (uint64_t)HELD_UP_NS));
    begin_sending(device);
    if (zg_spells_on(&device->restarts, now_ns))
        zg_simulated_restart(device);
    if (device->node && (device->program.restart || (again_ns > 0 && now_ns - device->program.begun_ns >= again_ns)))
        zg_simulated_restart(device);
    if (device->boots_ns > 0 && device->node) {
        shut_down(device);
        device->before.restarts++;
    }
    if (now_ns < device->boots_ns)
        return;
    device->boots_ns = 0;
    if (!device->node)
        boot(device);
    if (!is_in_plight(device)) {
        zg_node_poll(device->node);
        zgi_program_run(&device->program);
    }
    if (!device->uart.masked && !device->out_packets)
        transmit(device);
}

/* Appends a packet that has arrived at the other end. */
static void pass_packet(struct zg_simulated *device, GByteArray *left)
{
    uint64_t at_ps;
    size_t size;
    const uint8_t *packet = zg_packets_take(device->out_packets, device->now_ns * PS_PER_NS, &at_ps, &size);

    if (packet)
        g_byte_array_append(left, packet, (guint)size);
}

void zg_simulated_run(struct zg_simulated *device, uint64_t now_ns, GByteArray *left)
{
    run(device, now_ns);
    if (device->out_packets)
        pass_packet(device, left);
    g_byte_array_append(left, device->outgoing->data, device->outgoing->len);
    g_byte_array_set_size(device->outgoing, 0);
}

struct zg_simulated_totals zg_simulated_totals(const struct zg_simulated *device)
{
    struct zg_simulated_totals totals = device->before;

    if (device->node) {
        const struct zg_counters *counters = &zg_node_link(device->node)->counters;
        totals.frames_out += counters->frames_out;
        totals.frames_in += counters->frames_in;
        totals.bytes_out += counters->bytes_out;
        totals.bytes_in += counters->bytes_in;
    }
    return totals;
}

struct zg_simulated *zg_simulated_new(const struct zg_plan *plan, const struct zg_simulated_settings *settings,
                                      uint64_t now_ns)
{
    struct zg_simulated *device = g_new0(struct zg_simulated, 1);
    const struct zg_line *line = &plan->definition->line;
    const uint64_t baud = settings->baud > 0 ? settings->baud : line->baud;

    device->plan = plan;
    device->settings = *settings;
    device->now_ns = now_ns;
    device->byte_ns = zg_line_byte_ns(line) * line->baud / baud;
    device->random = zg_random_seeded(settings->seed ^ (uint64_t)g_get_real_time(), 0);
    device->out = zg_damage_seeded(&settings->out, settings->seed, 1);
    device->in = zg_damage_seeded(&settings->in, settings->seed, 2);
    device->out.data_bits = device->in.data_bits = zg_line_data_bits(line);
    if (plan->packets) {
        device->out_packets = zg_packets_new(&settings->out, settings->seed, 1, &device->out);
        device->in_packets = zg_packets_new(&settings->in, settings->seed, 2, &device->in);
    }
    device->restarts = zg_spells_seeded(settings->seed, 3, 0, &settings->restarts, true, now_ns);
    device->blackouts = zg_spells_seeded(settings->seed, 3, 1, &settings->blackouts, true, now_ns);
    device->masks = zg_spells_seeded(settings->seed, 3, 2, &settings->masks, true, now_ns);
    device->incoming = g_byte_array_new();
    device->outgoing = g_byte_array_new();
    zgi_program_init(&device->program, plan, settings->seed, settings->busy, &device->now_ns);
    boot(device);
    return device;
}

void zg_simulated_free(struct zg_simulated *device)
{
    if (!device)
        return;
    g_byte_array_unref(device->incoming);
    g_byte_array_unref(device->outgoing);
    zg_packets_free(device->out_packets);
    zg_packets_free(device->in_packets);
    zg_bits_clear(&device->out_line.bits);
    zg_bits_clear(&device->in_line.bits);
    zgi_program_clear(&device->program);
    zg_node_free(device->node);
    g_free(device);
}
