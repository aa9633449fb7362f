/* SPDX-License-Identifier: MIT */
/* The port test on a board. The include path selects the board. */
#include "board.h"
#include "device.h"

static struct device device;

ZG_BOARD_UART(port_test_device, device.node)

int main(void)
{
    if (device_begin(&device, &zg_board_port, NULL) != 0)
        return 1;
    zg_board_begin(500000);
    for (;;)
        device_loop(&device);
}
