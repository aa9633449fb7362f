# SPDX-License-Identifier: MIT
"""The generated Python host in the scene of query.c: query.py FOLDER_OF_THE_MODULE < SCENE."""
import sys

sys.path.insert(0, sys.argv[1])
import bench  # noqa: E402

ms = 0
host = bench.Host(lambda data: print("> " + data.decode().strip("\n")), lambda: ms / 1000, 1)
KINDS = {"ask_level": bench.AskLevel, "ask_log": bench.AskLog, "ask_name": bench.AskName}
for kind, text in ((bench.Level, "level {0.mm}"), (bench.Name, "name {0.text}"), (bench.Entry, "entry {0.number} {0.mm}"),
                   (bench.Done, "done"), (bench.Failed, "failed {0.code}")):
    host.on(kind, lambda message, frame, text=text: print(text.format(message)))
for line in sys.stdin:
    verb, rest = line[0], line[2:].rstrip("\n")
    if verb == "S":
        host.send(KINDS[rest](), done=lambda ended, rest=rest: print("%s: %s" % (rest, ended.settled)))
    elif verb == "R":
        host.feed(line[2:].encode())
    for _ in range(int(rest) if verb == "T" else 1):
        ms += 1
        host.poll()
print("late %(late)d, resent %(resent)d, given up %(given_up)d" % host.counters)
