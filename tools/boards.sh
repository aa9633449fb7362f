#!/bin/sh
# On each emulated board runs the port test, whose device is then soaked with echoes and streams; then boots the
# loom's device and soaks its UART with echoes, first as it is, then with bytes damaged on the way: boards.sh
# BUILD_FOLDER. The boards' time is that of their own instructions, so that a busy machine stops their clocks, too.
set -eu
build=$(cd "$1" && pwd)
project=$(cd "$(dirname "$0")/.." && pwd)
work=$(mktemp -d)
emulator=
stop() {
    [ -z "$emulator" ] || kill "$emulator" 2>/dev/null || true
    [ -z "$emulator" ] || wait "$emulator" 2>/dev/null || true
    emulator=
}
trap 'stop; rm -rf "$work"' EXIT

boot() { # example, board
    elf=$build/bench/boards/$1_$2.elf
    rm -f "$work/uart"
    case $2 in
    cortex_m3) qemu-system-arm -M mps2-an385 -kernel "$elf" -display none -monitor none \
        -icount shift=0 -serial "unix:$work/uart,server=on" >"$work/log" 2>&1 & ;;
    avr) "$build/bench/boards/run_avr" "$elf" "$work/uart" 500000 >"$work/log" 2>&1 & ;;
    esac
    emulator=$!
    tries=0
    until [ -S "$work/uart" ]; do
        tries=$((tries + 1))
        [ $tries -le 100 ] || { echo "$2 did not boot:"; cat "$work/log"; exit 1; }
        sleep 0.05
    done
}

# What a run must show: all is accounted for, every byte arrived at the other end; without damage nothing is lost, late
# ones aside; with it, no damage is accepted and frames go on arriving. 2: too little passed to show it, or the emulator
# stood still and then handed over at once what had come meanwhile, faster than any line: the ring was full.
judge='
import json, sys
faulty = sys.argv[2] == "damaged"
r = json.load(open(sys.argv[1]))
sent, arrived, bytes_, rates = r["sent"], r["arrived"], r["device_bytes"], r["rates"]
problems = []
def hold(condition, text):
    if not condition: problems.append(text)
hold(r["adds_up"], "the ledger does not add up")
hold(bytes_["written"] == bytes_["taken"], "bytes are missing on the way out")
hold(bytes_["sent"] == bytes_["read"], "bytes are missing on the way back")
hold(rates["damaged_accepted"]["count"] == 0 and rates["unexpected"]["count"] == 0, "damage was accepted")
lost = rates["lost"]["count"]
detected = r["arrived"]["device"]["damaged_detected"] + r["arrived"]["host"]["damaged_detected"]
dropped = r["counters"]["device"]["bytes_dropped"]
if faulty:
    hold(lost < sent["echo_out"]["sent"] / 2, "the receiver did not recover")
else:
    hold(dropped > 0 or lost == 0 and detected == 0, "frames were lost or damaged")
trip = r["round_trip_seconds"]
streams = [sent[way]["sent"] for way in ("stream_out", "stream_back")]
if r["protocol"] == "port_test":
    hold(min(streams) > 15, "hardly any frame of a stream passed")
print("  %-9s %5d echoes, %d lost, %d damaged pieces found, %d damaged accepted; %d bytes out, %d dropped, %d back; "
      "half back within %.1f ms; streams of %d and %d frames" % ("damaged" if faulty else "clean", sent["echo_out"]["sent"], lost, detected,
      rates["damaged_accepted"]["count"], bytes_["written"], dropped, bytes_["read"], trip["p50"] * 1e3, *streams))
for text in problems: print("  FAILED: " + text)
enough = sent["echo_out"]["sent"] > 100 and r["own_frames"] > 2 and (detected > 10 and lost > 0 if faulty else dropped == 0)
sys.exit(1 if problems else 0 if enough else 2)
'

soak() { # example, board, clean or damaged, options
    example=$1
    board=$2
    what=$3
    shift 3
    for try in "3 0.4" "15 0.2" "20 0.05"; do # seconds and load: on a slow machine little passes in the first three
        seconds=${try% *}
        boot "$example" "$board"
        "$build/bin/zeugma" soak "$project/examples/$example/$example.yaml" "unix:$work/uart" --for ${seconds}s --load "${try#* }" \
            --open 1 --json "$@" >"$work/result.json" || { cat "$work/result.json" "$work/log"; exit 1; }
        stop
        verdict=0
        python3 -c "$judge" "$work/result.json" "$what" || verdict=$?
        [ $verdict = 2 ] || return $verdict
        echo "  these $seconds s show too little"
    done
    return 1
}

# Whether the device's clock took more than eight seconds for one.
is_slow() {
    awk '/its clock takes/ && $4 > 8 { found = 1 } END { exit !found }' "$work/port"
}

port_test() { # board, program
    boot "$2" "$1"
    passed=0
    "$build/bin/port_test" "$work/uart" >"$work/port" || passed=$?
    cat "$work/port"
    stop
    [ $passed = 0 ]
}

for board in cortex_m3 avr; do
    echo "port test on ports/$board"
    port_test $board port_test
    [ $board = cortex_m3 ] || port_test $board port_test_own
    if is_slow; then # its ring overflows at any load
        echo "  the emulator is far slower than its board here: nothing is soaked on it"
        continue
    fi
    soak port_test $board clean --slow 1s
    soak port_test $board damaged --slow 50ms --faults ber=1e-4,drop=1e-4
    echo "loom on ports/$board, 500000 baud"
    soak loom $board clean --slow 1s
    soak loom $board damaged --slow 50ms --faults ber=1e-4,drop=1e-4
done
