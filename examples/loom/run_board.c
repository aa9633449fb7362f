/* SPDX-License-Identifier: MIT */
/* The device on a board: the same device.c as on the simulated line. The include path selects the board. */
#include "board.h"
#include "device.h"

static struct device device;

ZG_BOARD_UART(loom_device, device.node)

int main(void)
{
    if (device_begin(&device, &zg_board_port, NULL) != 0)
        return 1;
    zg_board_begin(500000);
    for (;;)
        device_loop(&device);
}
