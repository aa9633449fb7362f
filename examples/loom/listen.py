#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""Prints what the loom's head tells: listen.py PORT, with loom.py on the path (zeugma generate loom.yaml --target python)."""
import sys

import serial  # Debian: python3-serial

import loom

port = serial.Serial(sys.argv[1], 500000, timeout=0.1)
receiver = loom.Receiver()
print("listening on", port.name, flush=True)
while True:
    for frame in receiver.feed(port.read(port.in_waiting or 1)):
        print(frame.header["sequence"], frame.message, flush=True)
