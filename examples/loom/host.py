#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""The pattern PC on a serial port: host.py PORT BAUD SECONDS, with loom.py on the path (zeugma generate loom.yaml --target python).
Sets the tension, loads a row with each pick until its answer comes, and tells at the end what it saw."""
import random
import sys
import time

import serial  # Debian: python3-serial

import loom


class Pattern:
    def __init__(self, port):
        self.picks = self.answered = 0
        self.host = loom.Host(port.write, time.monotonic, random.randint(1, 65535))
        self.row = None
        self.host.on(loom.Pick, self.on_pick)
        self.host.on("console", lambda text: print("loom says:", text.decode(errors="replace").strip()))

    def on_pick(self, pick, frame):
        self.picks += 1
        if self.row is None:
            self.row = self.host.send(loom.LoadRow(row=self.answered & 0xFFFF, lift=0x5555), done=self.on_row)

    def on_row(self, delivery):
        self.row = None
        self.answered += delivery.settled == "delivered"


port = serial.Serial(sys.argv[1], int(sys.argv[2]), timeout=0.001)
pattern = Pattern(port)
until = time.monotonic() + float(sys.argv[3])
while time.monotonic() < until:
    pattern.host.feed(port.read(port.in_waiting or 1))
    pattern.host.poll()
counters = {**pattern.host.receiver.counters, **pattern.host.counters}
print("%d picks, %d frames lost, %d rows answered" % (pattern.picks, counters["lost"], pattern.answered))
sys.exit(0 if pattern.picks and not counters["lost"] else 1)
