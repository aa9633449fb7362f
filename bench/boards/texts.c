/* SPDX-License-Identifier: MIT */
/* A program that writes and reads a message in text. */
#include "three.h"

static struct three_sample sample;
static uint8_t payload[64];
static size_t size;
volatile int failed;

int main(void)
{
    failed = three_sample_pack(&sample, payload, sizeof payload, &size);
    failed = three_sample_unpack(&sample, payload, size, NULL);
    return failed;
}
