#!/usr/bin/env python3
"""The picture of docs/line.md: frames lost on the line by the bit against how far the device's clock is off, and the limits
that `zeugma timing` says. Usage: line_picture.py ZEUGMA DEFINITION PICTURE.svg"""
import json
import subprocess
import sys

zeugma, definition, picture = sys.argv[1:]
WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 860, 400, 70, 24, 76, 52
LOW, HIGH, STEPS = -70000, 60000, 131


def run(*arguments):
    return json.loads(subprocess.run([zeugma, *arguments, "--json"], capture_output=True, text=True).stdout)


def margin(reader, ppm):
    """Bits left to a reader, if the host's rate is off by so much."""
    told = run("timing", definition, "--clock", "16MHz", "--other", "%.3f" % ppm)
    return told["clocks"][0][reader]["margin_bits"]


def limit(reader, far):
    """The device's clock at which the margin ends, in ppm: that of a host off by the inverse."""
    good, bad = 0.0, far
    while abs(bad - good) > 5:
        middle = (good + bad) / 2
        if margin(reader, (1 / (1 + middle * 1e-6) - 1) * 1e6) >= 0:
            good = middle
        else:
            bad = middle
    return good


def x_of(ppm):
    return LEFT + (ppm - LOW) / (HIGH - LOW) * (WIDTH - LEFT - RIGHT)


def y_of(share):
    return HEIGHT - BOTTOM - share * (HEIGHT - TOP - BOTTOM)


points = run("soak", definition, "sim:", "--line", "bits", "--load", "0.9", "--for", "2s",
             "--sweep", "ppm=%d..%d/%d" % (LOW, HIGH, STEPS))["points"]
out = ['<svg xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" font-family="sans-serif" font-size="12">' % (WIDTH, HEIGHT),
       '<rect width="100%" height="100%" fill="#fff"/>',
       '<text x="%d" y="22" font-size="15" fill="#1a1a1a">Frames lost, against how far the device\'s clock is off</text>' % LEFT,
       '<text x="%d" y="40" fill="#777">8N1 at 500000 baud, load 0.9, 2 s a point; bars: where zeugma timing says that the end reads</text>' % LEFT]
ways = [("lost_back", "host_reads", "#1f5fa8", "the host reads the device"),
        ("lost_out", "device_reads", "#b3541e", "the device reads the host")]
for row, (rate, reader, colour, name) in enumerate(ways):
    low, high = limit(reader, LOW), limit(reader, HIGH)
    print("%s: %+.3f %% to %+.3f %%" % (name, low / 1e4, high / 1e4))
    bar = TOP + 26 + 14 * row
    out.append('<line x1="%.1f" x2="%.1f" y1="%d" y2="%d" stroke="%s" stroke-width="5"/>' % (x_of(low), x_of(high), bar, bar, colour))
    for ppm in (low, high):
        out.append('<line x1="%.1f" x2="%.1f" y1="%d" y2="%d" stroke="%s" stroke-dasharray="4 3"/>'
                   % (x_of(ppm), x_of(ppm), TOP, HEIGHT - BOTTOM, colour))
    for point in points:
        rates = point["rates"][rate]
        if rates["of"]:
            out.append('<circle cx="%.1f" cy="%.1f" r="%.1f" fill="%s"/>'
                       % (x_of(point["ppm"]), y_of(rates["count"] / rates["of"]), 3.2 - row, colour))
    out.append('<circle cx="%d" cy="%d" r="4" fill="%s"/><text x="%d" y="%d" fill="#1a1a1a">%s</text>'
               % (WIDTH - 430 + 210 * row, TOP - 8, colour, WIDTH - 420 + 210 * row, TOP - 4, name))
    worst = max((p["rates"][rate]["count"] for p in points if low < p["ppm"] < high), default=0)
    print("  within them %d lost at most" % worst)
for percent in range(-7, 7):
    x = x_of(percent * 1e4)
    out.append('<line x1="%.1f" x2="%.1f" y1="%d" y2="%d" stroke="#999"/><text x="%.1f" y="%d" text-anchor="middle" '
               'fill="#444">%+d %%</text>' % (x, x, HEIGHT - BOTTOM, HEIGHT - BOTTOM + 5, x, HEIGHT - BOTTOM + 19, percent))
for share in (0, 0.5, 1):
    out.append('<line x1="%d" x2="%d" y1="%.1f" y2="%.1f" stroke="#ddd"/><text x="%d" y="%.1f" text-anchor="end" '
               'fill="#444">%d %%</text>' % (LEFT, WIDTH - RIGHT, y_of(share), y_of(share), LEFT - 8, y_of(share) + 4, 100 * share))
out.append('<text x="%d" y="%d" text-anchor="middle" fill="#444">the device\'s clock</text></svg>' % ((LEFT + WIDTH - RIGHT) / 2, HEIGHT - 12))
with open(picture, "w", encoding="utf-8") as file:
    file.write("\n".join(out) + "\n")
