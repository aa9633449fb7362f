/* SPDX-License-Identifier: MIT */
/* Measures duplex_avr.c: duplex ELF. Prints one JSON object: the cycles of interrupts, poll and send, and the shortest
 * byte time at which continuous traffic in both directions loses nothing. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "avr_chip.h"
#include "duplex_host.h"

enum { HZ = 16000000, BLOCKS = 600, WARM = 100, BLOCK_WIRE = 38, SLOW = 1000 };

struct duplex {
    struct avr_chip *chip;
    struct duplex_host host;
    uint32_t sent;   /* blocks, by the host */
    uint32_t taken;  /* by the chip, according to its last block */
    uint32_t blocks; /* of the chip */
};

static uint32_t now_us(void *context)
{
    const struct duplex *duplex = context;
    return (uint32_t)(avr_chip_now(duplex->chip) / (HZ / 1000000));
}

static void start_transmit(void *context)
{
    (void)context;
}

static const struct zg_port port = { .now_us = now_us, .start_transmit = start_transmit };

static void on_block(void *context, const struct duplex_block *block, const struct zg_frame *frame)
{
    struct duplex *duplex = context;
    (void)frame;
    duplex->taken = block->taken;
    duplex->blocks++;
}

static const struct duplex_host_handlers handlers = { on_block };

static void byte_sent(void *data, uint8_t byte)
{
    struct duplex *duplex = data;
    duplex_host_receive_isr(&duplex->host, byte, 0);
    duplex_host_poll(&duplex->host);
}

/* Keeps the line to the chip full. */
static void fill_line(struct duplex *duplex)
{
    struct duplex_block block = { .taken = duplex->sent };
    uint8_t byte;

    for (unsigned i = 0; i < sizeof block.data; i++)
        block.data[i] = (uint8_t)(rand() >> 8);
    while (duplex->sent < BLOCKS && avr_chip_queued(duplex->chip) < 100) {
        if (duplex_host_send_block(&duplex->host, &block) != 0)
            abort();
        duplex->sent++;
        while (duplex_host_transmit_isr(&duplex->host, &byte))
            avr_chip_give(duplex->chip, byte);
    }
}

/* A run, and what it shows. False: something was lost, or the chip did not fill its line. */
static bool run(struct duplex *duplex, const char *elf, uint32_t byte_cycles)
{
    const uint64_t begin = 200000;
    uint32_t before = 0;

    *duplex = (struct duplex){ .chip = NULL };
    duplex->chip = avr_chip_new(elf, HZ, byte_cycles, byte_sent, duplex);
    if (!duplex->chip || duplex_host_init(&duplex->host, &port, duplex, &handlers, duplex) != 0)
        exit(3);
    srand(1);
    if (!avr_chip_run(duplex->chip, begin))
        exit(3);
    for (uint64_t at = begin; duplex->sent < BLOCKS; at += 10 * byte_cycles) {
        fill_line(duplex);
        if (!avr_chip_run(duplex->chip, at))
            exit(3);
        if (duplex->sent == WARM) {
            avr_chip_reset_times(duplex->chip);
            before = duplex->blocks;
        }
    }
    uint32_t filled = duplex->blocks - before;
    avr_chip_run(duplex->chip, avr_chip_now(duplex->chip) + (uint64_t)10 * BLOCK_WIRE * byte_cycles);
    return duplex->taken == BLOCKS && duplex->host.link.counters.lost == 0 &&
           duplex->host.link.counters.frames_in == duplex->blocks && avr_chip_overrun(duplex->chip) == 0 &&
           filled + 4 >= BLOCKS - WARM;
}

static void print_times(const char *name, const struct avr_times *times)
{
    printf("\"%s\": {\"mean\": %.2f, \"most\": %u}, ", name,
           times->count > 0 ? (double)times->cycles / (double)times->count : 0.0, (unsigned)times->most);
}

int main(int argc, char **argv)
{
    static struct duplex duplex;
    uint32_t low = 60, high = SLOW;

    if (argc != 2)
        return 2;
    if (!run(&duplex, argv[1], SLOW)) {
        (void)fprintf(stderr, "%s: traffic is lost even at %d cycles a byte: taken %u of %u, sent %u, overrun %u\n",
                      argv[1], SLOW, (unsigned)duplex.taken, (unsigned)BLOCKS, (unsigned)duplex.blocks,
                      (unsigned)avr_chip_overrun(duplex.chip));
        return 1;
    }
    avr_chip_free(duplex.chip);
    while (high - low > 1) {
        uint32_t middle = (low + high) / 2;
        *(run(&duplex, argv[1], middle) ? &high : &low) = middle;
        avr_chip_free(duplex.chip);
    }
    if (!run(&duplex, argv[1], high))
        return 1;
    const struct zg_counters *host = &duplex.host.link.counters;
    double bytes_in = (double)host->bytes_out, bytes_out = (double)host->bytes_in;
    const struct avr_times *poll = avr_chip_stretch(duplex.chip, 1), *send = avr_chip_stretch(duplex.chip, 2);
    double share = (double)(BLOCKS - WARM) / BLOCKS;
    printf("{\"cycles_a_byte\": %u, \"baud\": %.0f, ", (unsigned)high, 10.0 * HZ / high);
    print_times("receive_interrupt", avr_chip_interrupt(duplex.chip, AVR_VECTOR_RECEIVE));
    print_times("transmit_interrupt", avr_chip_interrupt(duplex.chip, AVR_VECTOR_TRANSMIT));
    print_times("poll", poll);
    print_times("send", send);
    printf("\"poll_a_byte\": %.2f, \"send_a_byte\": %.2f, \"stack\": %u}\n", (double)poll->cycles / (bytes_in * share),
           (double)send->cycles / (bytes_out * share), avr_chip_stack(duplex.chip));
    avr_chip_free(duplex.chip);
    return 0;
}
