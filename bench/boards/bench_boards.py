#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""Exact figures of the runtime on real instruction sets: bench_boards.py BUILD_FOLDER.

Sizes of each part, built for each target; cycles on the emulated ATmega328P; instructions on the emulated Cortex-M3.
Prints tables and writes BUILD_FOLDER/bench-boards.json. The figures are the same each time.
"""
import json
import os
import pathlib
import subprocess
import sys
import tempfile

HERE = pathlib.Path(__file__).resolve().parent
PROJECT = HERE.parent.parent
PARTS = {name: number for number, name in enumerate(("none", "ring", "check", "framing", "message", "link"))}
KINDS = ("zg_cobs", "zg_slip", "zg_hdlc", "length", "fixed", "marks", "zg_gap")
PICOLIBC = "--specs=picolibc.specs -march=rv32imac -mabi=ilp32"
TARGETS = {
    "AVR -Os": ("avr", "avr-gcc -mmcu=atmega328p -fshort-enums -mrelax -Os"),
    "Cortex-M0+ -Os": ("arm-none-eabi", "arm-none-eabi-gcc -mcpu=cortex-m0plus -mthumb --specs=nano.specs -Os"),
    "Cortex-M3 -Os": ("arm-none-eabi", "arm-none-eabi-gcc -mcpu=cortex-m3 -mthumb --specs=nano.specs -Os"),
    "Cortex-M3 -O2": ("arm-none-eabi", "arm-none-eabi-gcc -mcpu=cortex-m3 -mthumb --specs=nano.specs -O2"),
    "RV32 -Os": ("riscv64-unknown-elf", f"riscv64-unknown-elf-gcc {PICOLIBC} -Os"),
}
COUNTERS = 31 * 4
BUFFERS = 64 + 64 + 37  # two rings and a frame with its code byte, bytes


def run(command, **options):
    done = subprocess.run(command, capture_output=True, text=True, check=False, **options)
    if done.returncode != 0:
        sys.exit(f"{' '.join(map(str, command))}\n{done.stdout}{done.stderr}")
    return done.stdout


def sections(tools, elf):
    """Bytes of flash (code, constants, initial values) and of RAM."""
    text, data, bss = map(int, run([f"{tools}-size", elf]).splitlines()[1].split()[:3])
    return text + data, data + bss


def object_size(tools, elf, name):
    """Bytes of RAM of one object; 0: there is none."""
    symbols = [line.split() for line in run([f"{tools}-nm", "-S", elf]).splitlines()]
    return next((int(symbol[1], 16) for symbol in symbols if symbol[-1] == name and len(symbol) == 4), 0)


def part_size(target, code, part, *options):
    """A program's flash, and the RAM of the node in it, bytes."""
    tools, compiler = TARGETS[target]
    with tempfile.TemporaryDirectory() as folder:
        elf = os.path.join(folder, "part.elf")
        generated = [code / "duplex.c", code / "duplex_device.c"] if part in ("message", "link") else []
        run([*compiler.split(), "-flto", "-std=c11", "-ffunction-sections", "-fdata-sections", "-Wl,--gc-sections",
             "-nostartfiles", "-Wl,-e,main", "-Wl,-u,main", f"-DPART={PARTS[part]}", *options,
             f"-I{PROJECT}/include", f"-I{code}", HERE / "part.c", *generated,
             *sorted((PROJECT / "runtime").glob("*.c")), "-o", elf])
        return sections(tools, elf)[0], object_size(tools, elf, "device")


def sizes(target, code):
    base, _ = part_size(target, code, "none")

    def part(name, *options):
        return part_size(target, code, name, *options)[0] - base

    flash, node = part_size(target, code, "link")
    row = {"ring": part("ring")}
    for table in (0, 4, 8):
        row[f"crc16 table {table}"] = part("check", f"-DZG_CRC_TABLE={table}")
    for kind in KINDS:
        row[kind.replace("zg_", "")] = part("framing", f"-DKIND={kind}")
    row["link, with ring, COBS, CRC-16"] = flash - base - part("message")
    row["its RAM besides buffers and counters"] = node - BUFFERS - COUNTERS
    return row


SERVICES = """zeugma: 1
protocol: duplex
version: 1.0
frame: {{ framing: cobs, header: [version: u3, id: u5, sequence: u8], check: crc16/ibm-3740, max_payload: 40 }}
{services}
messages:
  block: {{ id: 1, from: {sender}, {delivery} fields: {{ data: "bytes[32]" }} }}
  note: {{ id: 2, from: both, fields: {{ data: "bytes[4]" }} }}
"""


def service_size(build, target, services, sender, acknowledged):
    """Flash and RAM of a device whose `block` goes one way or both, with these services."""
    tools, compiler = TARGETS[target]
    with tempfile.TemporaryDirectory() as folder:
        definition, elf = os.path.join(folder, "duplex.yaml"), os.path.join(folder, "device.elf")
        text = SERVICES.format(services=f"services: [{services}]" if services else "", sender=sender,
                               delivery="delivery: acknowledged, window: 4," if acknowledged else "")
        pathlib.Path(definition).write_text(text, encoding="utf-8")
        run([build / "bin/zeugma", "generate", definition, "-o", folder])
        run([*compiler.split(), "-flto", "-std=c11", "-ffunction-sections", "-fdata-sections", "-Wl,--gc-sections",
             "-nostartfiles", "-Wl,-e,main", "-Wl,-u,main", f"-DTAKES={int(sender != 'device')}",
             f"-DSENDS={int(sender != 'host')}", f"-DTICKETS={int(acknowledged)}", f"-I{PROJECT}/include", f"-I{folder}",
             HERE / "services.c", f"{folder}/duplex.c", f"{folder}/duplex_device.c",
             *sorted((PROJECT / "runtime").glob("*.c")), "-o", elf])
        return sections(tools, elf)


def service_sizes(build, target):
    """What each service adds to a device that has the ones before it: flash and RAM, bytes."""
    row = {}
    for name, sender in (("taking", "host"), ("sending", "device"), ("both", "both")):
        plain = service_size(build, target, "", sender, False)
        hello = service_size(build, target, "hello", sender, False)
        delivery = service_size(build, target, "hello, delivery", sender, True)
        if name == "both":
            row["hello"] = [hello[i] - plain[i] for i in (0, 1)]
        row[f"delivery, {name}, window 4"] = [delivery[i] - hello[i] for i in (0, 1)]
    before, so_far = service_size(build, target, "", "both", False), []
    for name in ("echo", "counters", "traffic"):
        so_far.append(name)
        size = service_size(build, target, ", ".join(so_far), "both", False)
        row[name], before = [size[i] - before[i] for i in (0, 1)], size
    return row


THREE = """zeugma: 1
protocol: three
version: 1.0
frame: { framing: { kind: marks, end: "\\r\\n" }, header: [], check: none, max_payload: 40 }
messages:
  sample:
    from: both
    layout: { pattern: "{load},{level},{speed}" }
    fields: { load: { type: i16, scale: 0.01 }, level: { type: i16, scale: 0.1 }, speed: { type: i16, scale: 0.001 } }
"""


def text_sizes(build, target):
    """Flash of the runtime's files for texts, whole, and of a pattern of three scaled integers, written and read."""
    tools, compiler = TARGETS[target]
    options = [*compiler.split(), "-std=c11", "-ffunction-sections", "-fdata-sections", f"-I{PROJECT}/include"]
    row = {}
    with tempfile.TemporaryDirectory() as folder:
        for name, bits in (("spell", 32), ("spell_json", 32), ("spell_float", 64)):
            run([*options, f"-DZG_SPELL_BITS={bits}", "-c", PROJECT / f"runtime/{name}.c", "-o", f"{folder}/{name}.o"])
            row[f"all of {name}.c"] = sections(tools, f"{folder}/{name}.o")[0]
        pathlib.Path(f"{folder}/three.yaml").write_text(THREE, encoding="utf-8")
        run([build / "bin/zeugma", "generate", f"{folder}/three.yaml", "-o", folder])
        flash = []
        for functions in (f"{folder}/three.c", HERE / "texts_empty.c"):
            run([*options, functions, "-Wl,--gc-sections", "-nostartfiles", "-Wl,-e,main", "-Wl,-u,main", f"-I{folder}",
                 HERE / "texts.c", *sorted((PROJECT / "runtime").glob("*.c")), "-o", f"{folder}/three.elf"])
            flash.append(sections(tools, f"{folder}/three.elf")[0])
        row["a pattern of three scaled integers"] = flash[0] - flash[1]
    return row


def board(port, elf, *arguments):
    run([PROJECT / "tools/build-board.sh", port, elf, *arguments])


def measure_avr(build, folder, *options):
    """Cycles on the ATmega328P at 16 MHz."""
    code = build / "bench/boards/duplex"
    elf = os.path.join(folder, "avr.elf")
    board("avr", elf, *options, f"-I{code}", HERE / "duplex_avr.c", code / "duplex.c", code / "duplex_device.c")
    if "-DZG_AVR_OWN_REGISTERS" in options:
        run([PROJECT / "ports/avr/check_registers.sh", elf])
    lines = run([build / "bench/boards/bench_duplex", elf]).splitlines()
    return {**json.loads(lines[-1]), "flash": sections("avr", elf)[0]}


def measure_m3(build, folder, *options):
    """Instructions on the Cortex-M3."""
    code = build / "bench/boards/duplex"
    elf = os.path.join(folder, "m3.elf")
    board("cortex_m3", elf, *options, f"-I{code}", HERE / "duplex_m3.c", code / "duplex.c", code / "duplex_device.c")
    emulator = subprocess.Popen(["qemu-system-arm", "-M", "mps2-an385", "-kernel", elf, "-display", "none", "-monitor",
                                 "none", "-icount", "shift=0", "-serial", "stdio"], stdout=subprocess.PIPE,
                                stderr=subprocess.DEVNULL, stdin=subprocess.DEVNULL, text=True)
    line = emulator.stdout.readline()
    emulator.kill()
    emulator.wait()
    return json.loads(line)


def table(title, rows, columns):
    width = max(len(name) for name in rows) + 2
    print(f"\n{title}\n{'':{width}}" + "".join(f"{name:>16}" for name in columns))
    for name, values in rows.items():
        print(f"{name:{width}}" + "".join(f"{value:>16}" for value in values))


AVR_BUILDS = {"-Os": ["-Os"], "-Os -flto": ["-Os", "-flto"], "-O2 -flto": ["-O2", "-flto"],
              "the same, interrupts by hand": ["-O2", "-flto", "-DZG_AVR_FAST_UART"],
              "the same, with own registers": ["-O2", "-flto", "-DZG_AVR_FAST_UART", "-DZG_AVR_OWN_REGISTERS",
                                               *(f"-ffixed-r{i}" for i in range(2, 6))]}
M3_BUILDS = {"-Os": ["-Os"], "-O2": ["-O2"], "-O2, table": ["-O2", "-DZG_CRC_TABLE=8"],
             "-O2 -flto, table": ["-O2", "-flto", "-DZG_CRC_TABLE=8"],
             "-O3 -flto, table": ["-O3", "-flto", "-DZG_CRC_TABLE=8"]}


def main():
    build = pathlib.Path(sys.argv[1]).resolve()
    code = build / "bench/boards/duplex"
    flash = {target: sizes(target, code) for target in TARGETS}
    parts = list(next(iter(flash.values())))
    table("Bytes of each part, -flto", {part: [flash[target][part] for target in TARGETS] for part in parts}, TARGETS)
    services = {target: service_sizes(build, target) for target in ("AVR -Os", "Cortex-M0+ -Os")}
    rows = list(next(iter(services.values())))
    table("Services: what each adds, flash and RAM in bytes (a definition without it pays nothing)",
          {row: [" ".join(map(str, services[target][row])) for target in services] for row in rows}, services)
    texts = {target: text_sizes(build, target) for target in TARGETS}
    rows = list(next(iter(texts.values())))
    table("Texts, bytes of flash", {row: [texts[target][row] for target in TARGETS] for row in rows}, TARGETS)
    loom = {"loom on AVR": sections("avr", build / "bench/boards/loom_avr.elf"),
            "loom on Cortex-M3": sections("arm-none-eabi", build / "bench/boards/loom_cortex_m3.elf")}
    table("The whole device, -Os -flto, bytes", loom, ("flash", "RAM"))
    with tempfile.TemporaryDirectory() as folder:
        avr = {name: measure_avr(build, folder, *options) for name, options in AVR_BUILDS.items()}
        m3 = {name: measure_m3(build, folder, *options) for name, options in M3_BUILDS.items()}
    columns = ("cycles a byte", "baud", "receive isr", "transmit isr", "poll a byte", "send a byte", "longest poll",
               "stack", "flash")
    rows = {name: [m["cycles_a_byte"], m["baud"], m["receive_interrupt"]["most"], m["transmit_interrupt"]["most"],
                   m["poll_a_byte"], m["send_a_byte"], m["poll"]["most"], m["stack"], m["flash"]]
            for name, m in avr.items()}
    table("ATmega328P at 16 MHz, continuous 32-byte payloads both ways, COBS, CRC-16: shortest lossless byte, cycles",
          rows, columns)
    columns = ("poll a byte", "send a byte", "receive isr", "transmit isr", "longest poll")
    rows = {name: [m["poll_a_byte"], m["send_a_byte"], m["receive_isr_a_byte"], m["transmit_isr_a_byte"],
                   m["longest_poll"]] for name, m in m3.items()}
    table("Cortex-M3, the same frames, instructions", rows, columns)
    result = {"sizes": flash, "services": services, "texts": texts, "device": {name: dict(zip(("flash", "ram"), size)) for name, size in loom.items()},
              "avr": avr, "cortex_m3": m3}
    path = build / "bench-boards.json"
    path.write_text(json.dumps(result, indent=2) + "\n", encoding="utf-8")
    print(f"\nwritten: {path}")


if __name__ == "__main__":
    main()
