# SPDX-License-Identifier: MIT
"""How long `zeugma plot` takes for a capture of 10 million values: bench_plot.py ZEUGMA [RUNS]."""
import json
import os
import struct
import subprocess
import sys
import tempfile
import time

zeugma, runs = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else 5
FRAMES, CONTENTS, START = 2_500_000, 256, 1_700_000_000 * 10**9
DEFINITION = """zeugma: 1
protocol: kiln
version: 1.0
line: { baud: 3000000 }
frame: { framing: cobs, header: [id: u8], check: crc16/modbus, max_payload: 20 }
messages: { state: { id: 1, from: device, fields: { power: i16, heat: { type: i16, scale: 0.1 }, draught: f32, step: u8 } } }
"""

with tempfile.TemporaryDirectory() as folder:
    definition, capture, picture = (os.path.join(folder, name) for name in ("kiln.yaml", "kiln.pcap", "kiln.png"))
    with open(definition, "w", encoding="utf-8") as file:
        file.write(DEFINITION)
    frames = b"".join(bytes.fromhex(subprocess.check_output([zeugma, "encode", definition, "state", json.dumps(
        {"power": i * 50 - 6000, "heat": i * 3.1, "draught": i / 7, "step": i})], text=True)) for i in range(CONTENTS))
    with open(capture, "wb") as file:  # docs/capture.md
        file.write(struct.pack("<IHHiIII", 0xA1B23C4D, 2, 4, 0, 0, 65535, 147))
        for block in range(FRAMES // CONTENTS):
            at = START + block * len(frames) * 3333
            file.write(struct.pack("<IIII", at // 10**9, at % 10**9, len(frames) + 4, len(frames) + 4) + b"\1\0\0\0" + frames)
    seconds = []
    for _ in range(runs):
        begin = time.monotonic()
        said = subprocess.check_output([zeugma, "plot", definition, "file:" + capture, "power", "heat", "draught", "step", "-o", picture], text=True)
        seconds.append(time.monotonic() - begin)
    print(f"{said.split()[1]} values: {min(seconds):.2f} to {max(seconds):.2f} s")
