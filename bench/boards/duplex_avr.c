/* SPDX-License-Identifier: MIT */
/* The chip's side of continuous traffic: sends whenever there is room, and says in each block how many it has received.
 * GPIOR0 shows which call is measured: 1 poll, 2 send, 0 neither. */
#include "board.h"
#include "duplex_device.h"

static struct duplex_device device;
static struct duplex_block block;

ZG_BOARD_UART(duplex_device, device)

static void on_block(void *context, const struct duplex_block *message, const struct zg_frame *frame)
{
    (void)context;
    (void)message;
    (void)frame;
    block.taken++;
}

int main(void)
{
    static const struct duplex_device_handlers handlers = { on_block };

    for (uint8_t i = 0; i < sizeof block.data; i++)
        block.data[i] = (uint8_t)(i * 37 + 1);
    if (duplex_device_init(&device, &zg_board_port, 0, &handlers, 0) != 0)
        return 1;
    zg_board_begin(500000);
    for (;;) {
        GPIOR0 = 1;
        duplex_device_poll(&device);
        GPIOR0 = 2;
        (void)duplex_device_send_block(&device, &block);
        GPIOR0 = 0;
    }
}
