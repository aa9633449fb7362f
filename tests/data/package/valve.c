/* Packs a message, as any program would with the generated code. Status 0: it is as it should be. */
#include "valve_device.h"
#include "valve_host.h"

static uint32_t now_us(void *context)
{
    (void)context;
    return 0;
}

static const struct zg_port port = { .now_us = now_us };
static struct valve_device device;
static struct valve_host host;
static unsigned opened;

static void on_opened(void *context, const struct valve_opened *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    opened = message->percent;
}

static const struct valve_host_handlers handlers = { .opened = on_opened };

int main(void)
{
    const struct valve_opened message = { 42 };
    const uint8_t *bytes;

    (void)valve_device_init(&device, &port, NULL, NULL, NULL);
    (void)valve_host_init(&host, &port, NULL, &handlers, NULL);
    (void)valve_device_send_opened(&device, &message);
    const size_t count = valve_device_transmit_span(&device, &bytes);
    valve_host_receive(&host, bytes, count);
    return opened == 42 ? 0 : 1;
}
