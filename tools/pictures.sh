#!/bin/bash
# The pictures of commands in docs/screenshots, made from the examples. $1: a program that runs a command in a terminal
# and writes a picture, SHOT OUT.png -g COLSxROWS -w SECONDS -- COMMAND; then the names of pictures, or none: all.
# PAGE_SHOT in the environment: one for pages, OUT.png FILE WIDTHxHEIGHT.
# Look at each before it is committed.
set -eu
shot=$1
shift
work=$(mktemp -d)
trap 'kill $(jobs -p) 2>/dev/null; rm -rf "$work"' EXIT
export PATH=$PWD/build/release/bin:$PATH
loom=examples/loom/loom.yaml
wanted=" $* "

is_wanted() {
    [ "$wanted" = "  " ] || [ "${wanted#* "$1" }" != "$wanted" ]
}

# picture NAME COLSxROWS SECONDS COMMAND...: each COMMAND is a line for the shell, shown before its output
picture() {
    name=$1 size=$2 seconds=$3
    shift 3
    is_wanted "$name" || return 0
    printf '%s\n' "$@" | while IFS= read -r line; do
        printf "printf '%%s\\\\n' %q\n%s\n" "\$ $line" "$line"
        [ $# = 1 ] || echo echo
    done >"$work/script"
    "$shot" "docs/screenshots/$name.png" -g "$size" -w "$seconds" -- bash "$work/script"
}

# A device on a pseudo-terminal, as it is found on a serial port, until the next one is started.
device=
served() {
    [ -z "$device" ] || { kill "$device"; wait "$device" || true; }
    zeugma sim $loom --on "pty:/tmp/loom" "$@" >"$work/log" 2>&1 &
    device=$!
    until [ -e /tmp/loom ]; do sleep 0.1; done
}

sed -e 's/framing: cobs/framing: cobbs/' -e 's/sequence/seqence/' -e 's/ibm-3740/ibm-374/' -e 's/from: device/from: devcie/' \
    -e 's/80 ms/80/' -e 's/u16/u65/' -e 's/f32/float/' -e 's/scale: 0.01/scale: 0/' $loom >/tmp/loom_draft.yaml

rm -rf /tmp/gauge
picture start 110x36 14 "cd /tmp && zeugma start gauge && cd gauge && make run SECONDS=5"
picture check 132x30 2 "zeugma check $loom" "zeugma check examples/tide_mast/draft.yaml" "zeugma check /tmp/loom_draft.yaml"
picture compare 120x24 2 "zeugma compare $loom examples/loom/draft.yaml"
picture crc 120x24 3 "zeugma crc crc16/modbus" "zeugma crc crc16/arc --hex '01 03 00 00 00 0A' --find C5CD"
picture encode 130x44 2 "zeugma encode $loom load_row '{\"row\": 7, \"lift\": 21845}' --header '{\"sequence\": 12, \"ticket\": 3}'" \
    "zeugma encode $loom load_row '{\"row\": 7, \"lift\": 21845}' --explain" \
    "zeugma encode $loom set_speed '{\"picks_per_min\": 9000}'" \
    "zeugma encode examples/carillon/carillon.yaml strike '{\"force\": 60}' --header '{\"destination\": 3, \"ticket\": 7}' --explain" \
    "zeugma decode $loom --hex '05410c030705555545db00 05410c030705545545db00 0102 00'"
if is_wanted wave; then
    zeugma wave $loom load_row '{"row": 7, "lift": 21845}' --other 42000 --png docs/screenshots/wave.png
fi
zeugma wave $loom load_row '{"row": 7, "lift": 21845}' --csv /tmp/row.csv
sed 's/,1$/,2/; s/,0$/,1/; s/,2$/,0/' /tmp/row.csv >/tmp/inverted.csv
picture wave-read 110x44 2 "zeugma wave $loom --hex 'a5 07' --other 60000" "zeugma wave $loom --read /tmp/row.csv" \
    "zeugma wave $loom --read /tmp/inverted.csv --errors 1"
picture layout 100x46 2 "zeugma layout $loom | head -42"
picture examples 120x32 8 loom_sim tide_mast_sim carillon_sim
picture soak-ledger 132x54 8 "zeugma soak $loom sim: --for 10min --faults ber=1e-5,drop=1e-6 --seed 7 | head -50"
# A night with three causes, an earlier one of half an hour with fewer errors to hold it against, and both as a page.
if is_wanted report; then
    rm -f /tmp/night.store
    faults='fifo=2,mask=0.004/2ms out:hum=50/1ms/1e-6 back:burst=0.005/20ms/0.01'
    zeugma soak $loom sim: --for 30min --seed 2 --faults 'back:burst=0.002/20ms/0.01' \
        --store /tmp/night.store >/dev/null 2>&1
    zeugma soak $loom sim: --for 8h --faults "$faults" --require 'lost <= 1e-4' --require 'unexpected = 0' \
        --store /tmp/night.store --html docs/soak_report.html >/dev/null 2>&1
    zeugma report /tmp/night.store --against 1 --anyway --html "$work/against.html" >/dev/null || true
    {
        echo '<style>body { margin: 0 }'
        echo 'iframe { display: block; border: 0; width: 1280px; height: 800px; border-bottom: 3px solid #888 }</style>'
        for page in "$PWD/docs/soak_report.html" "$PWD/docs/soak_report.html#damages" "$work/against.html"; do
            echo "<iframe src=\"file://$page\"></iframe>"
        done
    } >"$work/parts.html"
    "${PAGE_SHOT:?a program that pictures a page: OUT.png FILE WIDTHxHEIGHT}" docs/screenshots/report.png \
        "$work/parts.html" 1280x2409
fi
if is_wanted plot; then
    zeugma plot $loom sim: tension sag,drive_temp --for 8s --size 1280x800 -o docs/screenshots/plot.png
fi
picture watch-table 110x40 14 \
    "zeugma watch $loom sim: --plot tension --plot sag,drive_temp --span 12s --answer --mark 'tension > 200'"
served --faults ber=6e-4 --seed 4
sleep 2
picture watch-lines 132x40 5 "zeugma watch $loom serial:/tmp/loom --mark 'tension > 200' --for 1s" \
    "zeugma watch $loom serial:/tmp/loom --depth frames --show pick --for 350ms" \
    "zeugma watch $loom serial:/tmp/loom --depth raw --for 230ms"
if is_wanted live-page; then
    /usr/bin/python3 tools/page_picture.py $loom,examples/tide_mast/tide_mast.yaml docs/screenshots/live-page.png
fi
served
picture send-vars 132x24 5 "zeugma send $loom serial:/tmp/loom load_row '{\"row\": 7, \"lift\": 21}'" \
    "zeugma send $loom serial:/tmp/loom echo_request '{\"data\": \"0102\"}' --wait 300ms" \
    "zeugma vars $loom serial:/tmp/loom target_tension=120.5" "zeugma vars $loom serial:/tmp/loom"
served --restart 4s
picture soak-real 132x54 10 "zeugma soak $loom serial:/tmp/loom --for 6s | head -51"
served --faults "ber=2e-5,blackout=0.1/400ms"
picture soak-running 110x28 45 "zeugma soak $loom serial:/tmp/loom --for 60s --load 0.2 --mark 'door open' --store /tmp/running.store"
