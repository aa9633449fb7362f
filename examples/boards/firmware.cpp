/* SPDX-License-Identifier: MIT */
/* Firmware in C++: an object owns the node, and the handlers' context leads back to it. */
#include <cstdint>
#include <cstdio>

#include "gauge_device.h"
#include "uart.h"
#include "zeugma/clock.h"

namespace
{

class Gauge
{
  public:
    Gauge()
    {
        static const gauge_device_handlers handlers = make_handlers();

        static_cast<void>(gauge_device_init(&node, &port, this, &handlers, this));
        node.variables.interval.value = 100;
        next_us = uart_now_us(nullptr);
    }

    void run_once()
    {
        gauge_device_poll(&node);
        if (!zg_clock_reached(uart_now_us(nullptr), next_us))
            return;
        next_us += node.variables.interval.value * UINT32_C(1000);
        reading.number++;
        reading.pressure = 1013;
        static_cast<void>(gauge_device_send_reading(&node, &reading));
    }

    void on_received()
    {
        gauge_device_receive_isr(&node, uart_read(), 0);
    }

    void on_can_send()
    {
        std::uint8_t byte;

        if (gauge_device_transmit_isr(&node, &byte))
            uart_write(byte);
        else
            uart_interrupts.can_send = nullptr;
    }

  private:
    static const zg_port port;

    /* Handlers that are not set do nothing. */
    static gauge_device_handlers make_handlers()
    {
        gauge_device_handlers handlers = {};

        handlers.lamp = [](void *context, const gauge_lamp *message, const zg_frame *) {
            static_cast<Gauge *>(context)->switch_lamp(message->on);
        };
        return handlers;
    }

    void switch_lamp(bool on)
    {
        is_lit = on;
        std::printf("the lamp is %s\n", is_lit ? "on" : "off");
        static_cast<void>(std::fflush(stdout));
    }

    gauge_device node;
    gauge_reading reading = {};
    std::uint32_t next_us;
    bool is_lit = false;
};

Gauge *gauge;

const zg_port Gauge::port = { uart_now_us, [](void *) { uart_interrupts.can_send = [] { gauge->on_can_send(); }; },
                              nullptr, nullptr, uart_boot_number, nullptr };

} // namespace

int main(int argc, char **argv)
{
    uart_begin(argc > 1 ? argv[1] : "gauge.tty");
    static Gauge instance;
    gauge = &instance;
    uart_interrupts.received = [] { gauge->on_received(); };
    for (;;) {
        gauge->run_once();
        uart_wait();
    }
}
