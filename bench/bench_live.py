#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""What watching a live link costs, and how soon a byte is shown: bench_live.py ZEUGMA DEFINITION. On pseudo-terminals."""
import os
import pty
import resource
import signal
import statistics
import subprocess
import sys
import tempfile
import time

zeugma, definition = sys.argv[1:3]
PICK = '{"number": 5, "tension": 12.34, "state": "weaving", "locked": true, "drive_temp": 20, "sag": 1.5}'


def cost(folder, baud, options):
    """Seconds of processor that a watch takes in each second, with a device that sends all it can."""
    path = os.path.join(folder, "device")
    device = subprocess.Popen([zeugma, "sim", definition, "--on", "pty:" + path, "--busy", "--baud", str(baud)], stderr=subprocess.PIPE,
                              stdout=subprocess.DEVNULL)
    device.stderr.readline()  # it is ready
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    out = subprocess.run([zeugma, "watch", definition, "serial:%s?baud=%d" % (path, baud), "--for", "4s", *options], check=True,
                         stdout=subprocess.PIPE, stderr=subprocess.DEVNULL).stdout
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    device.send_signal(signal.SIGINT)
    device.wait()
    return (after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime) / 4, out.count(b"pick") / 4


def latencies():
    """Milliseconds from a frame's last byte on a pseudo-terminal to its line on the output."""
    frame = bytes.fromhex(subprocess.check_output([zeugma, "encode", definition, "pick", PICK]).decode())
    master, slave = pty.openpty()
    watch = subprocess.Popen([zeugma, "watch", definition, "serial:" + os.ttyname(slave)], stdout=subprocess.PIPE, bufsize=0)
    time.sleep(0.5)
    times = []
    for _ in range(200):
        begin = time.monotonic()
        os.write(master, frame)
        os.read(watch.stdout.fileno(), 65536)
        times.append(1000 * (time.monotonic() - begin))
        time.sleep(0.005)
    watch.terminate()
    watch.wait()
    return sorted(times)


def wake_ups():
    """Milliseconds that the system itself is late, of as many."""
    late = []
    for _ in range(200):
        begin = time.monotonic()
        time.sleep(0.005)
        late.append(1000 * (time.monotonic() - begin) - 5)
    return sorted(late)


with tempfile.TemporaryDirectory() as folder:
    for options in (["--json"], []):
        share, frames = cost(folder, 3000000, options)
        print("watching 3 Mbaud %-8s%4.0f %% of one core, %.0f frames a second" % (" ".join(options), 100 * share, frames))
times, late = latencies(), wake_ups()
print("from a byte to its line: median %.2f ms, 95 %% under %.2f ms, most %.2f ms of %d" %
      (statistics.median(times), times[len(times) * 95 // 100], times[-1], len(times)))
print("    this machine wakes a sleeper %.2f ms late, 95 %% under %.2f ms, at most %.2f ms" %
      (statistics.median(late), late[len(late) * 95 // 100], late[-1]))
