# SPDX-License-Identifier: MIT
"""The live page in a real browser, and its server against those who mean harm: live_page.py ZEUGMA PROJECT SCENARIO."""
import atexit
import base64
import json
import os
import re
import socket
import subprocess
import sys
import tempfile
import threading
import time

ZEUGMA, PROJECT = sys.argv[1:3]
LOOM = os.path.join(PROJECT, "examples/loom/loom.yaml")
HOSTILE = os.path.join(PROJECT, "tests/data/page/hostile.yaml")
LEAST_WAIT = 40  # s, for what comes at once on a machine that is not busy


class Watch:
    """A watch that serves a page."""

    def __init__(self, *arguments):
        self.process = subprocess.Popen([ZEUGMA, "watch", *arguments, "--page"], stdout=subprocess.PIPE,
                                        stderr=subprocess.STDOUT, text=True)
        atexit.register(self.process.kill)  # if a test fails
        for line in self.process.stdout:
            found = re.search(r'page: (http://[^\s"]+)', line)
            if found:
                break
        else:
            raise SystemExit("no page was served")
        self.address = found[1]
        self.port, self.token = re.match(r"http://127\.0\.0\.1:(\d+)/(\w{32})/$", self.address).groups()
        self.port = int(self.port)

    def end(self):
        """Ends it with Ctrl-C; returns what it printed."""
        self.process.send_signal(2)
        said = self.process.communicate(timeout=LEAST_WAIT)[0]
        assert self.process.returncode == 0, said
        return said


def browser(width=1280, height=800, dark=False):
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for each in ["headless=new", "no-sandbox", "disable-gpu", "disable-quic", "no-first-run", "disable-background-networking",
                 "disable-component-update", "disable-sync"] + ["blink-settings=preferredColorScheme=0"] * dark:
        options.add_argument("--" + each)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(service=Service("/usr/bin/chromedriver"), options=options)
    resize(driver, width, height)
    return driver


def resize(driver, width, height):
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride",
                           {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False})


def until(what, *arguments):
    """Waits for something to be true; returns it."""
    limit = time.monotonic() + LEAST_WAIT
    while not (found := what(*arguments)):
        assert time.monotonic() < limit, f"{what.__name__} {arguments}: it never came"
        time.sleep(0.02)
    return found


def fits(driver, width):
    """Nothing is beyond the right edge, once the charts have been drawn anew."""
    until(lambda: driver.execute_script("return document.documentElement.scrollWidth") <= width)


def by_id(driver, name):
    return driver.find_element("id", name)


def text_becomes(driver, name, wanted):
    def text_is():
        return wanted in by_id(driver, name).text
    until(text_is)


def plot_range(driver):
    return driver.execute_script("const x = Chart.getChart(document.querySelector('.panel canvas')).scales.x; return [x.min, x.max]")


# --- what a user does

def luminance(colour):
    parts = [int(colour[i:i + 2], 16) / 255 for i in (1, 3, 5)]
    parts = [part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def contrast(one, other):
    """WCAG 2.1, 1.4.3."""
    low, high = sorted([luminance(one), luminance(other)])
    return (high + 0.05) / (low + 0.05)


def check_colours(driver):
    colours = driver.execute_script("""const style = getComputedStyle(document.documentElement);
        return Object.fromEntries(["paper", "band", "ink", "quiet", "good", "bad", "curve", "limit", "edge"]
            .map(name => [name, style.getPropertyValue("--" + name).trim()]))""")
    for name, colour in colours.items():
        for behind in ("paper", "band"):
            if name not in ("paper", "band"):
                least = 3 if name in ("edge", "curve") and behind == "band" or name == "edge" else 4.5
                assert contrast(colour, colours[behind]) >= least, (name, colour, behind)
    return colours["paper"]


def use(driver):
    from selenium.webdriver.common.action_chains import ActionChains
    from selenium.webdriver.common.keys import Keys
    from selenium.webdriver.support.ui import Select
    text_becomes(driver, "state", "link up")
    until(lambda: driver.find_elements("css selector", ".panel canvas"))
    until(lambda: driver.execute_script("return Chart.getChart(document.querySelector('.panel canvas')).data.datasets[0].data.length") > 5)

    # A plot is zoomed by its button, the wheel and a key, moved, and follows the link again.
    by_id(driver, "zoom-in").click()
    begin, end = until(lambda: (seen := plot_range(driver))[1] - seen[0] < 29 and seen)
    by_id(driver, "zoom-in").click()
    until(lambda: (seen := plot_range(driver))[1] - seen[0] < (end - begin) * 0.6)
    before = plot_range(driver)
    driver.execute_script("""document.querySelector('.panel canvas').dispatchEvent(
        new WheelEvent('wheel', { deltaY: 100, offsetX: 300, bubbles: true, cancelable: true }))""")
    until(lambda: (seen := plot_range(driver))[1] - seen[0] > (before[1] - before[0]) * 1.1)
    canvas = driver.find_element("css selector", ".panel canvas")
    driver.execute_script("arguments[0].focus()", canvas)
    before = plot_range(driver)
    ActionChains(driver).key_down(Keys.SHIFT).send_keys(Keys.ARROW_LEFT).key_up(Keys.SHIFT).perform()
    until(lambda: plot_range(driver)[0] < before[0])
    ActionChains(driver).send_keys(Keys.END, Keys.ARROW_LEFT, Keys.ARROW_LEFT).perform()
    until(lambda: " s: " in driver.find_element("css selector", ".panel .read").text)
    held = plot_range(driver)
    until(lambda: plot_range(driver)[1] > held[1])
    driver.find_element("css selector", ".panel summary").click()
    until(lambda: len(driver.find_elements("css selector", ".panel tbody tr")) > 3)

    # By the keyboard alone: to the tabs, along them, into the form, and a message goes out.
    driver.execute_script("document.getElementById('hold').focus()")
    def at_tabs():
        ActionChains(driver).send_keys(Keys.TAB).perform()
        return driver.switch_to.active_element.get_attribute("id") == "tab-traffic"
    until(at_tabs)
    ActionChains(driver).send_keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT, Keys.TAB, Keys.TAB).perform()
    assert driver.switch_to.active_element.get_attribute("id") == "field-row", driver.switch_to.active_element.get_attribute("id")
    ActionChains(driver).key_down(Keys.CONTROL).send_keys("a").key_up(Keys.CONTROL).send_keys("7", Keys.ENTER).perform()
    text_becomes(driver, "send-result", "load_row: delivered")
    # What does not fit is said with its limits, and is not sent.
    row = by_id(driver, "field-row")
    row.clear()
    row.send_keys("70000")
    row.submit()
    text_becomes(driver, "send-result", "65535")
    row.clear()
    row.send_keys('1, "lift": [[')
    row.submit()
    text_becomes(driver, "send-result", "not JSON")

    # A variable is changed, and read back.
    by_id(driver, "tab-variables").click()
    field = by_id(driver, "variable-target_tension")
    field.clear()
    field.send_keys("123.5")
    driver.find_element("css selector", "[aria-label='Write target_tension']").click()
    until(lambda: "123.5" in [cell.text for cell in driver.find_elements("css selector", "#variable-rows td")])
    field.clear()
    field.send_keys("-1")
    driver.find_element("css selector", "[aria-label='Write target_tension']").click()
    until(lambda: by_id(driver, "variable-result").get_attribute("class") == "bad")

    # A line for the device's console, and the traffic in its three forms.
    by_id(driver, "tab-console").click()
    by_id(driver, "console-line").send_keys("status", Keys.ENTER)
    until(lambda: [part for part in driver.find_elements("css selector", "#console-log .out") if "status" in part.text])
    by_id(driver, "tab-traffic").click()
    for depth, wanted in (("frame", "seq "), ("raw", "\u2190"), ("values", "tension=")):
        Select(by_id(driver, "depth")).select_by_value(depth)
        text_becomes(driver, "log", wanted)


def sees_and_sends():
    watch = Watch(LOOM, "sim:", "--answer", "--mark", "tension > 200")
    driver = browser()
    driver.get(watch.address)
    use(driver)
    light = check_colours(driver)
    for width in (400, 1280):
        resize(driver, width, 800)
        fits(driver, width)
    asked = driver.execute_script("return performance.getEntriesByType('resource').map(each => each.name)")
    assert asked and all(each.startswith(watch.address) for each in asked), asked
    assert not [each for each in driver.get_log("browser") if each["level"] == "SEVERE"]
    driver.quit()
    dark = browser(dark=True)
    dark.get(watch.address)
    text_becomes(dark, "state", "link up")
    assert check_colours(dark) != light
    dark.quit()
    assert " 0 lost" in watch.end()


def two_devices():
    """Two on one page: told apart in the head, the table, a plot and traffic; a message and a line reach the one that is chosen."""
    from selenium.webdriver.support.ui import Select
    watch = Watch(LOOM, "sim:", LOOM, "sim:", "--answer")
    driver = browser()
    driver.get(watch.address)
    text_becomes(driver, "state", "link up")
    assert [each.text for each in driver.find_elements("css selector", "header h1, header h2")] == ["loom 1.0", "loom-2 1.0"]
    until(lambda: driver.find_element("css selector", ".device .state").text.endswith("link up"))
    until(lambda: driver.find_elements("css selector", "[aria-label='Plot loom-2: pick.sag']"))[0].click()
    until(lambda: driver.execute_script("""return [...document.querySelectorAll('.panel canvas')].map(Chart.getChart)
        .filter(chart => chart && chart.data.datasets[0].data.length > 5).length""") == 2)
    text_becomes(driver, "log", " loom-2 ")
    assert driver.find_element("id", "device-label").is_displayed()
    Select(by_id(driver, "device")).select_by_visible_text("loom-2")
    by_id(driver, "tab-console").click()
    by_id(driver, "console-line").send_keys("help")
    driver.find_element("css selector", "#console-form button").click()
    text_becomes(driver, "console-result", "sent")
    by_id(driver, "tab-send").click()
    Select(by_id(driver, "send-message")).select_by_visible_text("load_row")
    driver.find_element("css selector", "#send-form button").click()
    text_becomes(driver, "send-result", "delivered")
    by_id(driver, "tab-traffic").click()

    def lines_of(name):
        return [line for line in by_id(driver, "log").text.split("\n") if f" {name} " in line and "\u2192 load_row" in line]
    until(lines_of, "loom-2")
    assert not lines_of("loom  "), lines_of("loom  ")
    resize(driver, 400, 800)
    fits(driver, 400)
    driver.quit()
    said = watch.end()
    assert "loom-2: " in said, said


def soak_is_seen():
    """A soak on a real link: its numbers rise, a mark set on the page is in its report, and its end is told."""
    folder = tempfile.mkdtemp()
    link, store = "unix:" + os.path.join(folder, "device"), os.path.join(folder, "store")
    device = subprocess.Popen([ZEUGMA, "sim", LOOM, "--on", link, "--faults", "drop=2e-4"], stderr=subprocess.PIPE, text=True)
    atexit.register(device.kill)
    device.stderr.readline()
    soak = subprocess.Popen([ZEUGMA, "soak", LOOM, link, "--for", "1h", "--load", "0.1", "--require", "lost = 0", "--store", store, "--page"],
                            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    atexit.register(soak.kill)
    address = re.search(r"page: (http\S+)", soak.stderr.readline())[1]
    driver = browser()
    driver.get(address)
    text_becomes(driver, "title", "soak of loom 1.0")

    def came():
        return driver.execute_script("return Number(document.querySelector('#flows tr:first-child td:nth-child(3)')?.textContent ?? 0)")
    before = until(came)
    until(lambda: came() > before + 100)
    until(lambda: driver.execute_script("const chart = Chart.getChart('times'); return chart && chart.data.datasets[0].data.length > 3"))
    assert "lost = 0" in by_id(driver, "rules").text
    assert [each.text for each in driver.find_elements("css selector", "#rates th")][:2] == ["lost", "damages"]
    by_id(driver, "mark").send_keys("<b>door</b> opened")
    driver.find_element("css selector", "#mark-form button").click()
    text_becomes(driver, "mark-result", "set")
    text_becomes(driver, "events", "<b>door</b> opened")
    resize(driver, 400, 800)
    fits(driver, 400)
    severe = [entry for entry in driver.get_log("browser") if entry["level"] == "SEVERE"]
    assert not severe, severe
    soak.send_signal(2)
    text_becomes(driver, "state", "ended: stopped before its planned end")
    text_becomes(driver, "away", "The soak has ended.")
    said = soak.communicate(timeout=LEAST_WAIT)[0]
    assert "every frame and byte is accounted for" in said, said
    stored = subprocess.run([ZEUGMA, "report", store, "--json"], stdout=subprocess.PIPE, text=True, check=False).stdout
    assert "<b>door</b> opened" in stored, stored
    driver.quit()
    for arguments in ["--page --repeat 2", "--page 256.1.1.1:80"]:
        assert subprocess.run([ZEUGMA, "soak", LOOM, "sim:", *arguments.split()], capture_output=True, check=False).returncode == 2


# --- a device that this program is

class Device:
    """Waits for a watch on a TCP port, and then sends it bytes."""

    def __init__(self):
        self.listener = socket.create_server(("127.0.0.1", 0))
        self.link = f"tcp:127.0.0.1:{self.listener.getsockname()[1]}"

    def send(self, data):
        if not hasattr(self, "line"):
            self.line = self.listener.accept()[0]
        self.line.sendall(data)


def encode(message, **fields):
    return bytes.fromhex(subprocess.check_output([ZEUGMA, "encode", HOSTILE, message, json.dumps(fields)], text=True))


def values_arrive_soon():
    device = Device()
    watch = Watch(HOSTILE, device.link)
    driver = browser()
    driver.get(watch.address)
    frames = [encode("level", n=n) for n in range(21)]
    device.send(frames[0])
    text_becomes(driver, "state", "link up")
    driver.execute_script("""window.seen = {};
        new MutationObserver(() => {
            for (const cell of document.querySelectorAll(".message td:nth-child(2)")) window.seen[cell.textContent] ??= Date.now();
        }).observe(document.getElementById("rows"), { subtree: true, childList: true, characterData: true });""")
    sent = {}
    for n in range(1, 21):
        sent[n] = time.time() * 1000
        device.send(frames[n])
        time.sleep(0.23)
    seen = driver.execute_script("return window.seen")
    delays = sorted(seen[str(n)] - sent[n] for n in sent)
    assert delays[10] < 200, delays
    driver.quit()
    watch.end()


def markup_does_no_harm():
    device = Device()
    watch = Watch(HOSTILE, device.link)
    driver = browser()
    driver.get(watch.address)
    bad = ["</script><img src=x onerror=document.title='taken'>", "<b>bold</b>", "\x1b[31mred\x1b[0m", "&quot;\u202e\u0000\ud7ff", "'\"`${1}"]
    for text in bad:
        device.send(encode("said", text=text))
    device.send(b"\xff\xfe\xc0\x80<script>document.title='taken'</script>" * 50 + b"\0")
    device.send(b"x" * 65536 + b"\0")
    device.send(encode("said", text="the last one"))
    text_becomes(driver, "rows", "the last one")
    until(lambda: "<img src=x" in by_id(driver, "log").text)
    assert "taken" not in driver.title
    assert driver.execute_script("return document.querySelectorAll('img, b:not(.head b), script').length") == 3  # its own scripts
    fits(driver, 1280)
    assert not [each for each in driver.get_log("browser") if each["level"] == "SEVERE"]
    assert not by_id(driver, "tab-send").is_displayed()  # the host sends nothing there
    driver.quit()
    watch.end()


# --- requests that no browser makes

def request(port, path, headers="", method="GET"):
    """The status, and the socket after its answer's head."""
    line = socket.create_connection(("127.0.0.1", port), timeout=LEAST_WAIT)
    line.sendall(f"{method} {path} HTTP/1.1\r\n{headers}\r\n".encode())
    head = b""
    while b"\r\n\r\n" not in head:
        more = line.recv(1)
        assert more, head
        head += more
    return int(head.split()[1]), line


def socket_headers(watch, host=None, origin=None):
    host = host or f"127.0.0.1:{watch.port}"
    return (f"Host: {host}\r\nOrigin: {origin or 'http://' + host}\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n"
            f"Sec-WebSocket-Version: 13\r\nSec-WebSocket-Key: {base64.b64encode(os.urandom(16)).decode()}\r\n")


def join(watch):
    """A viewer without a browser."""
    status, line = request(watch.port, f"/{watch.token}/link", socket_headers(watch))
    assert status == 101, status
    return line


def say(line, text, code=0x81):
    """A text as a client's frame (RFC 6455, 5.2)."""
    data = text.encode() if isinstance(text, str) else text
    length = bytes([0x80 | len(data)]) if len(data) < 126 else bytes([0xFE]) + len(data).to_bytes(2, "big") \
        if len(data) < 65536 else bytes([0xFF]) + len(data).to_bytes(8, "big")
    line.sendall(bytes([code]) + length + bytes(4) + data)


def hear(line):
    """The next text; None: it was closed."""
    def exactly(count):
        data = b""
        while len(data) < count:
            try:
                more = line.recv(count - len(data))
            except ConnectionResetError:
                return None
            if not more:
                return None
            data += more
        return data
    head = exactly(2)
    if head is None or head[0] & 15 == 8:
        return None
    length = head[1] & 127
    if length >= 126:
        length = int.from_bytes(exactly(2 if length == 126 else 8), "big")
    data = exactly(length)
    return hear(line) if head[0] & 15 > 2 else json.loads(data)


def strangers_are_refused():
    watch = Watch(LOOM, "sim:")
    own = f"Host: 127.0.0.1:{watch.port}\r\n"
    page = f"/{watch.token}/"
    for path, headers, wanted in [
            (page, own, 200), (page + "live.js", own, 200), (page + "nothing", own, 404),
            ("/", own, 403), ("/" + "0" * 32 + "/", own, 403), (f"/{watch.token[:-1]}/", own, 403), (f"/{watch.token}0/", own, 403),
            (page, f"Host: evil.example:{watch.port}\r\n", 403), (page, "Host: 127.0.0.1:1\r\n", 403),
            (page, own + "Origin: http://evil.example\r\n", 403), (page, f"Host: localhost:{watch.port}\r\n", 200),
            (page + "link", socket_headers(watch, origin="http://evil.example"), 403),
            (page + "link", socket_headers(watch, origin="null"), 403),
            (page + "link", socket_headers(watch, host=f"evil.example:{watch.port}"), 403),
            ("/" + "0" * 32 + "/link", socket_headers(watch), 403), (page + "other", socket_headers(watch), 404)]:
        status, line = request(watch.port, path, headers)
        line.close()
        assert status == wanted, (path, headers, status)
    assert request(watch.port, page, own + "Content-Length: 0\r\n", "POST")[0] == 405
    no_host, _ = request(watch.port, page, "")
    assert no_host in (400, 403), no_host
    viewer = join(watch)
    assert hear(viewer)["kind"] in ("about", "update")

    def answers(what, wanted):
        say(viewer, what)
        while (told := hear(viewer))["kind"] != "answer":
            say(viewer, '{"seen":1}')
        assert wanted in told["text"] and not told["good"], told
    answers('{"ask":"send","message":"load_row","fields":"{}"}', "without --answer")
    answers('{"ask":"console","text":"x"}', "without --answer")
    answers('{"ask":"nothing"}', "nothing of that kind")
    answers("[" * 60000, "not a JSON object")
    answers('{"ask":{"a":1},"number":"x"}', "nothing of that kind")
    say(viewer, "x" * 70000)  # longer than anything that is asked
    while hear(viewer):
        pass
    viewer = join(watch)
    say(viewer, os.urandom(100), 0x82)
    while hear(viewer):
        pass
    viewer = join(watch)  # asks, and does not say what it has seen
    for _ in range(100):
        try:
            say(viewer, '{"ask":"series","name":"pick.tension"}')
        except OSError:
            break
    while hear(viewer):
        pass

    # One that is behind gets no more; once it has caught up, it gets all anew.
    viewer, told = join(watch), []
    viewer.settimeout(1)
    try:
        while len(told) < 100:
            told.append(hear(viewer))
    except TimeoutError:
        pass
    kinds = [each["kind"] for each in told]
    assert kinds.count("about") == 1 and 6 <= kinds.count("update") <= 8, kinds
    viewer.settimeout(LEAST_WAIT)
    for _ in told:
        say(viewer, '{"seen":1}')
    while hear(viewer)["kind"] != "about":
        pass
    everything = hear(viewer)
    assert everything["all"] and everything["rows"], everything
    watch.end()
    for _ in range(20):  # a link that is not there: it ends before the server has begun
        ended = subprocess.run([ZEUGMA, "watch", LOOM, "serial:/nowhere", "--page"], capture_output=True, timeout=LEAST_WAIT, check=False)
        assert ended.returncode == 3, ended


def many_look():
    """200 viewers, some that read nothing and some that vanish: nothing of the link is lost."""
    device = Device()
    watch = Watch(HOSTILE, device.link, "--json")
    frame, count = encode("level", n=1), 4000
    viewers = [join(watch) for _ in range(200)]
    heard = [0] * len(viewers)

    def listen(index):
        try:
            while (told := hear(viewers[index])) is not None:
                say(viewers[index], '{"seen":1}')
                heard[index] = max(heard[index], told.get("states", [{}])[0].get("frames", 0))
        except (OSError, ValueError, TypeError):
            pass
    for index in range(20, 200):  # the first 20 read nothing
        threading.Thread(target=listen, args=(index,), daemon=True).start()
    output = []
    reader = threading.Thread(target=lambda: output.append(watch.process.stdout.read()), daemon=True)
    reader.start()
    for i in range(count // 40):
        device.send(frame * 40)
        if i == 50:
            for viewer in viewers[20:40]:
                viewer.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, b"\1\0\0\0\0\0\0\0")  # as if it had crashed
                viewer.close()
        time.sleep(0.01)

    def all_heard():
        return min(heard[40:]) == count
    until(all_heard)
    memory = int(re.search(r"VmRSS:\s+(\d+)", open(f"/proc/{watch.process.pid}/status", encoding="utf-8").read())[1])
    assert memory < 300000 or "sanitizers" in ZEUGMA, memory  # kB
    watch.process.send_signal(2)
    watch.process.wait(LEAST_WAIT)
    reader.join(LEAST_WAIT)
    summary = json.loads(output[0].splitlines()[-1])["summary"]
    assert summary["frames"] == count and summary["bytes"] == count * len(frame), summary


if __name__ == "__main__":
    globals()[sys.argv[3]]()
