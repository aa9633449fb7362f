/* SPDX-License-Identifier: MIT */
/* Boots a program on an emulated ATmega328P whose USART is a unix socket: run_avr ELF SOCKET BAUD. In real time, or
 * slower where the machine is, in the chip's own time. Ends when the socket's other side closes. */
#include <errno.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

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

static int serve(const char *path)
{
    struct sockaddr_un address = { .sun_family = AF_UNIX };
    int listener = socket(AF_UNIX, SOCK_STREAM, 0);

    (void)unlink(path);
    if (listener < 0 || strlen(path) >= sizeof address.sun_path)
        return -1;
    strcpy(address.sun_path, path);
    if (bind(listener, (const struct sockaddr *)&address, sizeof address) != 0 || listen(listener, 1) != 0)
        return -1;
    int channel = accept(listener, NULL, NULL);
    (void)close(listener);
    return channel;
}

/* Hands bytes over in both directions. False: the other side closed. */
static bool exchange(struct avr_chip *chip, int channel)
{
    struct pollfd readable = { channel, POLLIN, 0 };
    uint8_t bytes[256];

    if (waiting > 0 && send(channel, output, waiting, MSG_NOSIGNAL) != (ssize_t)waiting)
        return false;
    waiting = 0;
    if (avr_chip_queued(chip) > sizeof bytes || poll(&readable, 1, 0) <= 0)
        return true;
    long count = zg_channel_read(channel, bytes, sizeof bytes);
    for (long i = 0; i < count; i++)
        avr_chip_give(chip, bytes[i]);
    return count > 0;
}

static bool run(struct avr_chip *chip, int channel)
{
    uint64_t begin_ns = zg_channel_now_ns();

    for (uint64_t us = SLICE_US; exchange(chip, channel); us += SLICE_US) {
        if (!avr_chip_run(chip, us * (HZ / 1000000)))
            return false;
        uint64_t now_ns = zg_channel_now_ns() - begin_ns;
        if (us * 1000 > now_ns)
            zg_channel_wait(channel, false, us * 1000 - now_ns);
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
    int channel = chip ? serve(argv[2]) : -1;
    if (channel < 0) {
        perror(argv[2]);
        return 3;
    }
    bool ran = run(chip, channel);
    (void)fprintf(stderr, "%llu bytes were lost by the receiver, or read late\n",
                  (unsigned long long)avr_chip_overrun(chip));
    (void)close(channel);
    bool lossless = avr_chip_overrun(chip) == 0;
    avr_chip_free(chip);
    return ran && lossless ? 0 : 1;
}
