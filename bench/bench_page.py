# SPDX-License-Identifier: MIT
"""The live page's cost and speed: bench_page.py ZEUGMA PROJECT.

What share of a core `watch --page` takes at 3 Mbaud of frames with a browser open (chromium's own share is not in it);
how long after its address is opened the page has drawn a plot; how many pictures a second it draws while 50,000 points
are zoomed and moved."""
import os
import sys
import time

sys.path.insert(0, os.path.join(sys.argv[2], "tests", "page"))
import live_page  # noqa: E402

CLOCK = os.sysconf("SC_CLK_TCK")


def cpu_seconds(process):
    fields = open(f"/proc/{process.pid}/stat", encoding="ascii").read().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / CLOCK


def stream(device, frames, per_second, seconds):
    """Frames at an even pace, in lumps of 5 ms."""
    begin, sent = time.monotonic(), 0
    while (passed := time.monotonic() - begin) < seconds:
        due = int(passed * per_second)
        if due > sent:
            device.send(b"".join(frames[i % len(frames)] for i in range(sent, due)))
            sent = due
        time.sleep(0.005)
    return sent


def frames():
    return [live_page.encode("level", n=1000 + (n * n) % 700) for n in range(100)]


def look():
    """A device that this program is, its watch and a browser."""
    device = live_page.Device()
    watch = live_page.Watch(live_page.HOSTILE, device.link)
    driver = live_page.browser()
    device.send(frames()[0])
    driver.get(watch.address)
    live_page.text_becomes(driver, "state", "link up")
    return device, watch, driver


def at_full_line(seconds=15):
    device, watch, driver = look()
    all_frames = frames()
    per_second = int(300000 / (sum(map(len, all_frames)) / len(all_frames)))  # 3 Mbaud, 10 bits a byte
    before = cpu_seconds(watch.process)
    sent = stream(device, all_frames, per_second, seconds)
    used = cpu_seconds(watch.process) - before
    driver.quit()
    print(f"3 Mbaud, {per_second} frames/s of {len(all_frames[0])} bytes, a browser open: {used / seconds:.2f} of a core")
    assert f" {sent + 1} frames" in watch.end()


def first_picture():
    watch = live_page.Watch(live_page.LOOM, "sim:")
    driver = live_page.browser()
    time.sleep(3)
    delays = []
    for _ in range(5):
        driver.get("about:blank")
        driver.get(watch.address)
        delays.append(driver.execute_async_script("""const done = arguments[0], look = () => {
            const canvas = document.querySelector('.panel canvas');
            if (canvas && Chart.getChart(canvas).data.datasets[0].data.length > 5) done(performance.now());
            else requestAnimationFrame(look); }; look();"""))
    driver.quit()
    watch.end()
    print("first picture after", ", ".join(f"{delay:.0f}" for delay in delays), "ms")


def many_points(count=50000):
    device, watch, driver = look()
    stream(device, frames(), 1000, count / 1000)
    driver.find_element("css selector", "#span option[value='0']").click()
    drawn, most, all_values = driver.execute_async_script("""const done = arguments[0], canvas = document.querySelector('.panel canvas');
        const root = document.documentElement.dataset, before = Number(root.draws), begin = performance.now();
        const box = canvas.getBoundingClientRect(), all = document.querySelector('#rows .quiet').textContent;
        let step = 0, most = 0;
        const turn = () => {
            if (performance.now() - begin > 4000) return done([(Number(root.draws) - before) / 4, most, all]);
            most = Math.max(most, Chart.getChart(canvas).data.datasets[0].data.length);
            canvas.dispatchEvent(new WheelEvent('wheel', { deltaY: step % 8 < 4 ? -100 : 100, shiftKey: step % 16 >= 8,
                clientX: box.left + box.width / 2, clientY: box.top + 50, bubbles: true, cancelable: true }));
            step++;
            requestAnimationFrame(turn);
        };
        turn();""")
    driver.quit()
    watch.end()
    print(f"{all_values.split()[0]} values, zoomed and moved: {drawn:.0f} pictures/s of up to {most} points")


first_picture()
at_full_line()
many_points()
