/* SPDX-License-Identifier: MIT */
/* Runs a program on an emulated ATmega328P whose USART is a unix socket: run_avr ELF SOCKET BAUD. In real time, or
 * slower on a slow machine; the chip has its own time. Ends when the socket's other side closes. */
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "avr_chip.h"
#include "posix/channel.h"

enum { HZ = 16000000, SLICE_US = 200 };

static uint8_t output[4096];
static size_t waiting;

static void keep(void *data, uint8_t byte)
{
    (void)data;
    if (waiting < sizeof output)
        output[waiting++] = byte;
}

/* Passes bytes on in both directions. False: the other side closed. */
static bool exchange(struct avr_chip *chip, struct zg_channel *channel)
{
    uint8_t bytes[256];

    while (waiting > 0 && zg_channel_is_open(channel)) {
        long sent = zg_channel_write(channel, output, waiting);
        if (sent < 0)
            return false;
        waiting -= (size_t)sent;
        memmove(output, output + sent, waiting);
    }
    if (avr_chip_queued(chip) > sizeof bytes)
        return true;
    long count = zg_channel_read(channel, bytes, sizeof bytes);
    for (long i = 0; i < count; i++)
        avr_chip_give(chip, bytes[i]);
    return zg_channel_is_open(channel);
}

static bool run(struct avr_chip *chip, struct zg_channel *channel)
{
    while (!zg_channel_is_open(channel))
        zg_channel_wait(channel, false, -1, UINT64_MAX);
    uint64_t begin_ns = zg_channel_now_ns();

    for (uint64_t us = SLICE_US; exchange(chip, channel); us += SLICE_US) {
        if (!avr_chip_run(chip, us * (HZ / 1000000)))
            return false;
        uint64_t now_ns = zg_channel_now_ns() - begin_ns;
        if (us * 1000 > now_ns)
            zg_channel_wait(channel, false, -1, us * 1000 - now_ns);
        else /* never faster than real time: lost time is not made up for */
            begin_ns += now_ns - us * 1000;
    }
    return true;
}

int main(int argc, char **argv)
{
    if (argc != 4 || atoi(argv[3]) <= 0) {
        (void)fprintf(stderr, "usage: run_avr ELF SOCKET BAUD\n");
        return 2;
    }
    struct avr_chip *chip = avr_chip_new(argv[1], HZ, (uint32_t)(10 * (HZ / (double)atoi(argv[3])) + 0.5), keep, NULL);
    struct zg_channel channel;
    int error = chip ? zg_channel_listen_unix(&channel, argv[2]) : -ENOEXEC;
    if (error) {
        (void)fprintf(stderr, "%s: %s\n", argv[2], strerror(-error));
        return 3;
    }
    bool ran = run(chip, &channel);
    (void)fprintf(stderr, "%llu bytes were lost by the receiver, or read late\n",
                  (unsigned long long)avr_chip_overrun(chip));
    zg_channel_close(&channel);
    bool lossless = avr_chip_overrun(chip) == 0;
    avr_chip_free(chip);
    return ran && lossless ? 0 : 1;
}
