# SPDX-License-Identifier: MIT
"""The generated Python host against the C device: meet.py FOLDER_OF_THE_MODULE DEVICE ROUNDS
[SCENARIO]. In virtual time, on lines that lose,
flip and double bytes; the device and the host restart on the way. A module of half duplex is tried on a line where those who
speak at the same time are not understood."""
import random
import subprocess
import sys

sys.path.insert(0, sys.argv[1])
import loom  # noqa: E402


class Line:
    """The device as a process, a turn each STEP us; one seed is always the same run."""

    STEP = 500

    def __init__(self, seed, drop=0.0, flip=0.0, twice=0.0):
        self.process = subprocess.Popen([sys.argv[2]], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        self.random, self.drop, self.flip, self.twice = random.Random(seed), drop, flip, twice
        self.us, self.told, self.to_device, self.boots = 0, [], b"", 0
        self.heard = {}
        self.start_host()

    def start_host(self):
        self.boots += 1
        self.host = loom.Host(self.write, lambda: self.us / 1e6, self.boots)
        for kind in (loom.Stopped, loom.Pick, loom.RowTaken, loom.VariableTargetTension, "console", "link"):
            self.heard.setdefault(kind, [])
            self.host.on(kind, lambda message, frame=None, kind=kind: self.heard[kind].append(frame if kind == "link" else message))

    def write(self, data):
        self.to_device += data

    def damage(self, data):
        result = bytearray()
        for byte in data:
            if self.random.random() < self.drop:
                continue
            if self.random.random() < self.flip:
                byte ^= 1 << self.random.randrange(8)
            result.append(byte)
            if self.random.random() < self.twice:
                result.append(byte)
        return bytes(result)

    def turn(self, act=""):
        self.us += self.STEP
        sent, self.to_device = self.damage(self.to_device), b""
        self.process.stdin.write("%d %s %s\n" % ((2**32 - 300000 + self.us) % 2**32, sent.hex() or "-", act))
        self.process.stdin.flush()
        back, *told = self.process.stdout.readline().split()
        self.told += told
        self.arrive(self.damage(bytes.fromhex(back.strip("-"))))
        self.host.poll()

    def arrive(self, data):
        if data:
            self.host.feed(data)

    def run(self, ms, act=""):
        self.turn(act)
        for _ in range(1000 * ms // self.STEP - 1):
            self.turn()

    def device(self, what):
        return [int(word.split("=")[1]) for word in self.told if word.startswith(what + "=")]

    def end(self):
        self.process.stdin.close()
        self.process.wait()


def clean():
    line = Line(1)
    line.run(60)
    host, peer = line.host, line.host.peers[0]
    assert peer.known and peer.up and line.heard["link"] == ["up", "met"], line.heard["link"]
    assert peer.match() == "both ends were built from the same definition", peer.match()
    done = []
    speed = host.send(loom.SetSpeed(picks_per_min=321), done=done.append)
    row = host.send(loom.LoadRow(row=7, lifts=[1, 2, 3]))
    line.run(10)
    assert speed.settled == row.settled == "delivered" and done == [speed] and line.device("speed") == [321]
    assert row.reply.row == 7 and row.reply.room == 3 and line.heard[loom.RowTaken] == [row.reply]
    line.run(10, "pick 5")
    line.run(10, "stop 9")
    line.run(10, "print shed")
    assert [m.number for m in line.heard[loom.Pick]] == [5] and [m.pick for m in line.heard[loom.Stopped]] == [9]
    assert line.device("stopped") == [0] and line.heard["console"] == [b"shed"]
    host.send(loom.Console(text=b"help\n"))
    write = host.send(loom.VariableWrite(index=0, value=loom.VariableTargetTension(value=12.34).pack()))
    over = host.send(loom.VariableWrite(index=0, value=(25001).to_bytes(2, "little")))
    missing = host.send(loom.VariableRead(index=99))
    line.run(10)
    assert line.device("console") == [5] and line.device("tension")[-1] == 1234 and line.device("written") == [0]
    assert write.settled == "delivered" and (over.settled, over.reason, missing.reason) == ("refused", 3, 6)
    line.run(10, "tension 500")
    stream = host.send(loom.VariableStream(index=0, period=20))
    line.run(101)
    assert stream.settled == "delivered" and line.heard[loom.VariableTargetTension][-1].value == 5.0
    assert 5 <= len(line.heard[loom.VariableTargetTension]) - 1 <= 7
    assert host.counters["resent"] == host.counters["lost"] == 0
    line.end()


def damaged(seed):
    line = Line(seed, drop=0.003, flip=0.002, twice=0.002)
    line.run(1000)
    speeds = [line.host.send(loom.SetSpeed(picks_per_min=i)) for i in range(60)]
    winds = [line.host.send(loom.Wind(turn=i)) for i in range(60)]
    rows = [line.host.send(loom.LoadRow(row=i, lifts=[])) for i in range(60)]
    for i in range(60):
        line.run(120, "stop %d" % i)
    line.run(3000)
    assert all(d.settled == "delivered" for d in speeds + winds + rows), [d.settled for d in speeds + winds + rows]
    assert sorted(line.device("speed")) == list(range(60)) and line.device("wind") == list(range(60))
    assert sorted(line.device("row")) == list(range(60)) and line.host.counters["resent"] > 5
    stops = [m.pick for m in line.heard[loom.Stopped]]
    assert stops == sorted(set(stops)) and len(stops) >= 58 and line.device("stopped").count(0) <= len(stops)
    line.end()


def restarts(seed):
    line = Line(seed, drop=0.001)
    line.run(1000)
    sent, number = [], 0
    for i in range(20):
        for _ in range(5):
            sent.append(line.host.send(loom.SetSpeed(picks_per_min=number)))
            number += 1
        for _ in range(line.random.randrange(1, 4)):
            line.turn()
        line.turn("restart" if i % 4 == 1 else "")
        if i % 4 == 3:
            line.start_host()
        line.run(300)
    taken = line.device("speed")
    assert len(taken) == len(set(taken)), taken
    for i, delivery in enumerate(sent):
        assert delivery.settled != "delivered" or i in taken, i
    assert "restart" in [d.settled for d in sent] and "restarted" in line.heard["link"]
    last = line.host.send(loom.SetSpeed(picks_per_min=900))
    line.run(300)
    assert line.host.peers[0].known and last.settled == "delivered"
    line.end()


def stale():
    line = Line(3)
    line.run(60)
    hello = line.host.peers[0].hello
    for change, word in (({"minor": 3}, "what is new in the device"), ({"minor": 1}, "what is new in the host"),
                         ({"major": 2}, "the host is outdated"), ({"major": 0}, "the device is outdated"),
                         ({"fingerprint": 1}, "another definition")):
        line.host.peers[0].hello = loom.Hello(**{**hello.__dict__, **change})
        assert word in line.host.peers[0].match(), line.host.peers[0].match()
    line.end()


def slow():
    """A host that comes late finds what waited in its system whole; only silence that it listened to gives a frame up."""
    line = Line(4)
    line.run(60)
    host, picks = line.host, line.heard[loom.Pick]
    for number, (late, rest) in enumerate(((True, True), (False, True), (True, False))):
        frame = loom.encode(loom.Pick(number=number), host.peers[0]._sequence + 1 & 255)
        host.feed(frame[:7])
        if not late:
            host.poll()
        line.us += 10_000_000
        if late:
            host.poll()
        host.feed(frame[7:] if rest else b"")
        host.poll()
    assert [m.number for m in picks] == [0, 1] and host.receiver.counters["timed_out"] == 1, host.receiver.counters
    line.end()


class Pair(Line):
    """Bytes take their time, at 500 kbaud five in a turn, and collide."""

    STEP = 100

    def __init__(self, seed, **damage):
        self.from_host, self.from_device, self.colliding, self.collisions = b"", b"", False, 0
        super().__init__(seed, **damage)

    def write(self, data):
        self.from_host += data

    def arrive(self, data):
        self.from_device += data
        out, back = self.from_host[:5], self.from_device[:5]
        self.from_host, self.from_device = self.from_host[5:], self.from_device[5:]
        self.collisions += bool(out and back and not self.colliding)
        self.colliding = bool(out and back)
        if self.colliding:
            return
        self.to_device += out
        if back:
            self.host.feed(back)


def half_duplex(seed, drop):
    line = Pair(seed, drop=drop)
    line.run(500)
    host, echoes, counters = line.host, [], []
    host.on(loom.EchoReply, lambda message, frame: echoes.append(message.data))
    host.on(loom.Counters, lambda message, frame: counters.append(message.values))
    for i in range(8):
        speed, row = host.send(loom.SetSpeed(picks_per_min=i)), host.send(loom.LoadRow(row=i, lifts=[i]))
        line.run(30, "stop %d" % i if i % 4 == 0 else "")  # both begin at once, now and then
        line.run(60, "stop %d" % i if i % 4 else "")
        host.send(loom.EchoRequest(data=bytes([i] * 5 * i)))
        line.run(10)
        host.send(loom.CountersRequest(first=2 * i % 7, clear=False))
        line.run(100)
        assert speed.settled == row.settled == "delivered", (i, speed.settled, row.settled)
    line.run(300)
    assert line.device("speed") == line.device("row") == list(range(8)), line.told
    assert [m.pick for m in line.heard[loom.Stopped]] == list(range(8))
    assert line.collisions <= 3, line.collisions
    if not drop:
        assert echoes == [bytes([i] * 5 * i) for i in range(8)] and len(counters) == 8, (echoes, len(counters))
    line.end()


class Played(Line):
    """Keeps, as text, what the host and the device's application saw, as the host of test_services.c does."""

    def __init__(self):
        self.seen = []
        super().__init__(1)
        host = self.host
        host.on(loom.EchoReply, lambda m, frame: self.seen.append("echo of %d bytes, the last %d" % (len(m.data), m.data[-1] if m.data else 0)))
        host.on(loom.Counters, lambda m, frame: self.seen.append(" ".join(map(str, ["counters from %d:" % m.first, *m.values]))))
        host.on(loom.VariableValue, lambda m, frame: self.seen.append("variable %d of %d bytes:%s" % (
            m.index, len(m.value), "".join(" %02x" % byte for byte in m.value))))

        host.on(loom.TrafficReport, self.note_report)

    def note_report(self, m, frame):
        here = self.host.traffic.counts
        self.seen.append("report of %d: taken %d of %d, wrong %d, repeated %d, skipped %d, sent %d, refused %d" % (
            m.seed, m.taken, m.expected, m.wrong, m.repeated, m.skipped, m.sent, m.refused))
        self.seen.append("here: taken %(taken)d of %(expected)d, wrong %(wrong)d, repeated %(repeated)d, skipped %(skipped)d" % here)

    def arrive(self, data):
        self.seen += [word.replace("=", " ") for word in self.told if word.startswith("written=")]
        self.told = []
        super().arrive(data)

    def ask(self, what, message):
        self.host.send(message, done=lambda ended: self.seen.append("%s %d: %s" % (what, message.index, self.SETTLED[ended.reason])))

    SETTLED = {0: "delivered", 2: "refused: its length does not fit the other end's definition", 3: "refused: a value is outside its range",
               4: "refused: the other end has no place for it at present", 5: "refused: not allowed",
               6: "refused: no variable has this index"}

    def step(self, verb, first, second="0", *more):
        first = int(first)
        if verb == "echo":
            self.host.send(loom.EchoRequest(data=bytes([first] * first)))
        elif verb == "counters":
            self.host.send(loom.CountersRequest(first=first, clear=second == "1"))
        elif verb == "read":
            self.ask(verb, loom.VariableRead(index=first))
        elif verb == "write":
            self.ask(verb, loom.VariableWrite(index=first, value=bytes.fromhex(second)))
        elif verb == "stream":
            self.ask(verb, loom.VariableStream(index=first, period=int(second)))
        elif verb == "traffic":
            self.host.begin_traffic(loom.TrafficRequest(first, int(second), *map(int, more)))
        elif verb == "hold":
            self.us += first * 1000
        else:
            self.STEP = int(second) * 1000
            for _ in range(0, first, int(second)):
                self.host.poll()
                self.turn()


def play(path):
    line = Played()
    line.turn("tension 1234")
    line.step("run", "50", "1")
    line.seen = []
    for words in map(str.split, open(path)):
        line.step(*words)
    print("\n".join(line.seen))
    line.end()


if len(sys.argv) > 4:
    play(sys.argv[4])
    sys.exit()
if loom._TURN:
    for number in range(1 + int(sys.argv[3])):
        half_duplex(number, 0.0 if number == 0 else 0.002)
    print("well")
    sys.exit()
clean()
slow()
for number in range(int(sys.argv[3])):
    damaged(number)
    restarts(number)
stale()
print("well")
