#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""The command on a real kernel's serial drivers, in a virtual machine: a 16550 (ttyS0, ttyS1) and a USB adapter (ttyUSB0),
whose other ends are simulated devices. tests/kernel/kernel.py PROJECT BUILD [SECONDS]: SECONDS is how long the long soaks
last, 20 by default. Needs what tools/install-packages.sh installs for `kernel`."""

import json
import os
import queue
import re
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time

PROJECT, BUILD = os.path.abspath(sys.argv[1]), os.path.abspath(sys.argv[2])
SECONDS = int(sys.argv[3]) if len(sys.argv) > 3 else 20
ZEUGMA = os.path.join(BUILD, "bin/zeugma")
WORK = os.path.join(BUILD, "kernel")
DEF = os.path.join(PROJECT, "tests/kernel/gauge.yaml")
MODULES = ["usb-common", "usbcore", "xhci-hcd", "xhci-pci", "usbserial", "ftdi_sio"]
failures = []


def run(*command, **options):
    return subprocess.run(command, check=True, stdout=subprocess.PIPE, **options).stdout.decode()


def fetch_kernel():
    """The distribution's kernel, unpacked but not installed."""
    unpacked = os.path.join(WORK, "unpacked")
    if not os.path.isdir(unpacked):
        depends = run("apt-cache", "depends", "linux-image-amd64")
        package = re.search(r"Depends: (linux-image-\S+)", depends).group(1)
        run("apt-get", "download", package, cwd=WORK, stderr=subprocess.DEVNULL)
        archive = next(name for name in os.listdir(WORK) if name.startswith(package) and name.endswith(".deb"))
        run("dpkg", "-x", os.path.join(WORK, archive), unpacked)
    return unpacked


def make_initramfs(unpacked):
    root = os.path.join(WORK, "root")
    shutil.rmtree(root, ignore_errors=True)
    for folder in ("bin", "proc", "sys", "dev", "modules"):
        os.makedirs(os.path.join(root, folder))
    shutil.copy("/bin/busybox", os.path.join(root, "bin/busybox"))
    for applet in run("/bin/busybox", "--list").split():
        if applet != "busybox":
            os.symlink("busybox", os.path.join(root, "bin", applet))
    shutil.copy(ZEUGMA, os.path.join(root, "bin/zeugma"))
    for library in re.findall(r"(/\S+)", run("ldd", ZEUGMA)):
        os.makedirs(root + os.path.dirname(library), exist_ok=True)
        shutil.copy(library, root + library)
    for module in MODULES:
        shutil.copy(run("find", unpacked, "-name", module + ".ko").split()[0], os.path.join(root, "modules"))
    shutil.copy(os.path.join(PROJECT, "tests/kernel/init"), os.path.join(root, "init"))
    os.chmod(os.path.join(root, "init"), 0o755)
    shutil.copy(DEF, os.path.join(root, "gauge.yaml"))
    image = os.path.join(WORK, "initramfs.gz")
    subprocess.run("find . | cpio -o -H newc --quiet | gzip -1 >" + image, shell=True, check=True, cwd=root)
    return image


class Device:
    """A simulated device on a socket."""

    def __init__(self, name, *options):
        self.path = os.path.join(WORK, name)
        if os.path.exists(self.path):
            os.unlink(self.path)
        self.process = subprocess.Popen([ZEUGMA, "sim", DEF, "--on", "unix:" + self.path, *options],
                                        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        while not os.path.exists(self.path):
            time.sleep(0.05)

    def end(self):
        self.process.send_signal(signal.SIGINT)
        self.process.wait()


class Guest:
    """The virtual machine: commands go in by its console, answers come back."""

    def __init__(self, kernel, image, ports):
        command = ["qemu-system-x86_64", "-M", "pc", "-m", "512", "-display", "none", "-no-reboot",
                   "-kernel", kernel, "-initrd", image, "-append", "console=ttyS2 quiet panic=-1"]
        for index, device in enumerate(ports[:2]):
            command += ["-chardev", f"socket,id=line{index},path={device.path}", "-serial", f"chardev:line{index}"]
        self.monitor_path = os.path.join(WORK, "monitor")
        command += ["-serial", "stdio", "-device", "qemu-xhci,id=xhci",
                    "-chardev", f"socket,id=adapter,path={ports[2].path}",
                    "-device", "usb-serial,id=usb,chardev=adapter,bus=xhci.0",
                    "-monitor", f"unix:{self.monitor_path},server=on,wait=off"]
        self.process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        self.lines = queue.Queue()
        threading.Thread(target=self._read, daemon=True).start()
        self._until("guest is ready", 180)

    def _read(self):
        for line in self.process.stdout:
            self.lines.put(line.decode(errors="replace").rstrip("\r\n"))
        self.lines.put(None)

    def _until(self, wanted, timeout):
        text, end = [], time.monotonic() + timeout
        while True:
            line = self.lines.get(timeout=max(0.1, end - time.monotonic()))
            if line is None:
                raise RuntimeError("the virtual machine ended:\n" + "\n".join(text))
            if wanted in line:
                return line, "\n".join(text)
            text.append(line)

    def start(self, command):
        self.process.stdin.write((command + "\n").encode())
        self.process.stdin.flush()

    def finish(self, timeout=60):
        line, text = self._until("guest says ", timeout)
        return int(line.rsplit(" ", 1)[1]), text

    def run(self, command, timeout=60):
        self.start(command)
        return self.finish(timeout)

    def monitor(self, command):
        with socket.socket(socket.AF_UNIX) as channel:
            channel.connect(self.monitor_path)
            channel.settimeout(5)
            channel.recv(4096)
            channel.sendall((command + "\n").encode())
            time.sleep(0.3)
            return channel.recv(4096).decode(errors="replace")

    def end(self):
        self.process.stdin.close()
        try:
            self.process.wait(20)
        except subprocess.TimeoutExpired:
            self.process.kill()


def check(name, fine, detail):
    print(("ok    " if fine else "FAILED") + "  " + name, flush=True)
    if not fine:
        failures.append(name)
        print("        " + detail.replace("\n", "\n        "), flush=True)


def soak(guest, port, more, seconds, load=0.9):
    status, text = guest.run(f"zeugma soak /gauge.yaml serial:/dev/{port} --for {seconds}s --load {load} --json {more}",
                             seconds * 3 + 120)
    start = text.find("{")
    try:
        return status, json.loads(text[start:text.rfind("}") + 1]), text
    except ValueError:
        return status, None, text


def check_soak(guest, name, port, more="", seconds=8, load=0.9):
    status, report, text = soak(guest, port, more, seconds, load)
    fine = status == 0 and report is not None and report["adds_up"] and report["rates"]["lost"]["count"] == 0
    check(name, fine, text[-1500:])
    if report:
        sent = report["rates"]["lost"]["of"]
        trip = report.get("round_trip_seconds", {})
        print(f"        {sent} frames, {report['rates']['lost']['count']} lost, round trip at most "
              f"{trip.get('most', 0) * 1000:.1f} ms; line errors here: "
              f"{ {k: v for k, v in report['counters']['host'].items() if k.startswith('line_') and v} }")


def check_ports(guest):
    status, text = guest.run("zeugma ports --json")
    try:
        ports = {port["path"]: port for port in json.loads(text[text.find("["):])}
    except ValueError:
        ports = {}
    check("ports lists the 16550 and the adapter", status == 0 and "/dev/ttyS0" in ports and "/dev/ttyUSB0" in ports, text)
    adapter = ports.get("/dev/ttyUSB0", {})
    check("the adapter has a name, ids and a driver",
          bool(adapter.get("product")) and bool(adapter.get("usb_id")) and adapter.get("driver") == "ftdi_sio", text)


def check_settings(guest):
    for port in ("ttyS0", "ttyUSB0"):
        for speed in (9600, 57600):
            guest.start(f"zeugma watch /gauge.yaml 'serial:/dev/{port}?baud={speed}' --for 4s >/dev/null 2>/tmp/e & "
                        f"sleep 2; stty -F /dev/{port}; wait; cat /tmp/e")
            _, text = guest.finish(60)
            check(f"{port} runs at {speed}", f"speed {speed}" in text, text)
    _, text = guest.run("zeugma watch /gauge.yaml 'serial:/dev/ttyS0?baud=100000' --for 1s")
    check("a speed that the 16550 cannot produce is refused", "100000" in text and "115200" in text, text)
    _, text = guest.run("zeugma watch /gauge.yaml 'serial:/dev/ttyUSB0?baud=250000' --for 1s >/dev/null")
    check("an odd speed that the adapter can produce is taken", "250000" not in text, text)
    guest.start("zeugma watch /gauge.yaml serial:/dev/ttyS0 --for 4s >/dev/null 2>&1 & sleep 2; "
                "zeugma watch /gauge.yaml serial:/dev/ttyS0 --for 1s; s=$?; wait; echo status $s")
    _, text = guest.finish(60)
    check("a port that another program uses is refused, with its name", "status 3" in text and "zeugma" in text, text)


def check_lines(guest):
    """Levels that the definition's options ask for, as the driver shows them; the low-latency flag; the counters."""
    guest.start("zeugma watch /gauge.yaml 'serial:/dev/ttyS0?dtr=on&rts=off' --for 4s >/tmp/o 2>&1 & sleep 2; "
                "cat /proc/tty/driver/serial; wait; tail -n 1 /tmp/o")
    _, text = guest.finish(60)
    line = next((part for part in text.splitlines() if part.startswith("0:")), "")
    check("DTR is on and RTS is off as asked", "DTR" in line and "RTS" not in line, text)
    check("the driver's error counters are read", "line errors: framing 0" in text, text)
    guest.start("zeugma watch /gauge.yaml 'serial:/dev/ttyS0?flow=rts_cts' --for 4s >/dev/null 2>&1 & sleep 2; "
                "stty -a -F /dev/ttyS0; wait")
    _, text = guest.finish(60)
    check("RTS/CTS flow control is set", " crtscts" in text, text)
    check("the line is raw, eight bits, without parity", "-icanon" in text and "cs8" in text and "-parenb" in text, text)
    guest.start("zeugma watch /gauge.yaml serial:/dev/ttyUSB0 --for 4s >/dev/null 2>&1 & sleep 2; "
                "cat /sys/class/tty/ttyUSB0/device/latency_timer; wait")
    _, text = guest.finish(60)
    check("the adapter passes bytes on as they come", text.strip().splitlines()[-1:] == ["1"], text)


def check_unplugging(guest):
    guest.start("zeugma watch /gauge.yaml serial:/dev/ttyUSB0 --for 25s >/tmp/w 2>&1; tail -n 3 /tmp/w; grep -c pascal /tmp/w; "
                "grep -v pascal /tmp/w | head -n 8")
    time.sleep(6)
    guest.monitor("device_del usb")
    time.sleep(4)
    guest.monitor("device_add usb-serial,id=usb,chardev=adapter,bus=xhci.0")
    _, text = guest.finish(90)
    counted = re.findall(r"^\d+$", text, re.M)
    check("watch goes on after the adapter was unplugged and plugged in",
          bool(counted) and int(counted[0]) > 100 and "gone" in text, text)
    guest.start("zeugma soak /gauge.yaml serial:/dev/ttyUSB0 --for 60s; echo status $?")
    time.sleep(8)
    guest.monitor("device_del usb")
    _, text = guest.finish(120)
    check("a soak keeps what it measured when the adapter is unplugged",
          "status 3" in text and "frames sent" in text and "ended early" in text, text[-1500:])
    guest.monitor("device_add usb-serial,id=usb,chardev=adapter,bus=xhci.0")
    time.sleep(2)


def main():
    os.makedirs(WORK, exist_ok=True)
    unpacked = fetch_kernel()
    image = make_initramfs(unpacked)
    kernel = run("find", os.path.join(unpacked, "boot"), "-name", "vmlinuz*").split()[0]
    devices = [Device("line0"), Device("line1"), Device("adapter")]
    guest = Guest(kernel, image, devices)
    try:
        _, version = guest.run("uname -r")
        print("kernel " + version.strip())
        check_ports(guest)
        check_settings(guest)
        check_lines(guest)
        check_soak(guest, "a soak of the 16550 loses nothing", "ttyS0")
        check_soak(guest, "with parity", "ttyS1?format=8E1", "", 4)
        check_soak(guest, "a soak of the USB adapter loses nothing", "ttyUSB0")
        check_unplugging(guest)
        check_soak(guest, f"{SECONDS} s at the greatest rate on the 16550", "ttyS0", "--traffic both", SECONDS, 0.85)
        check_soak(guest, f"{SECONDS} s at the greatest rate on the adapter", "ttyUSB0", "--traffic both", SECONDS, 0.85)
    finally:
        guest.end()
        for device in devices:
            device.end()
    print(f"{len(failures)} failed" if failures else "all passed")
    sys.exit(1 if failures else 0)


if __name__ == "__main__":
    main()
