#!/bin/sh
# An example from its definition to its run on a simulated line. $1: the folder with the built programs, $2: the example.
set -eu
bin=$1
definition=examples/$2/$2.yaml
folder=build/demo/$2

show() {
    printf '\n$'
    for word in "$@"; do
        case $word in
        *[!A-Za-z0-9_./:=,-]*) printf " '%s'" "$word" ;;
        *) printf ' %s' "${word#"$bin"/}" ;;
        esac
    done
    printf '\n'
    "$@"
}

loom() {
    show "$bin/zeugma" check $definition
    show "$bin/zeugma" layout $definition
    show "$bin/zeugma" generate $definition -o $folder --target c,python,docs,vectors --force
    printf '\n# a draft of the next version, with two mistakes'
    show "$bin/zeugma" compare $definition examples/loom/draft.yaml || test $? = 1
    show "$bin/zeugma" encode $definition load_row '{"row": 7, "lift": 21845}' --header '{"sequence": 12, "ticket": 3}'
    printf '\n# the same frame whole, with a bit flipped, and cut short'
    show "$bin/zeugma" decode $definition --hex '05410c030705555545db00 05410c030705545545db00 05410c03'
    printf '\n# device and host programs, made of the generated code and the runtime, on one simulated line'
    show "$bin/loom_sim"
    show "$bin/zeugma" soak $definition sim: --for 10min --faults ber=1e-5,drop=1e-6 --seed 7 \
        --require 'lost <= 1e-2' --require 'damaged accepted <= 1e-4'
}

tide_mast() {
    show "$bin/zeugma" check $definition
    printf '\n# a draft with a message that the modem would cut'
    show "$bin/zeugma" check examples/tide_mast/draft.yaml || test $? = 1
    show "$bin/zeugma" layout $definition reading
    printf '\n# mast and station on one radio channel'
    show "$bin/tide_mast_sim"
}

carillon() {
    show "$bin/zeugma" check $definition
    printf '\n# a strike of bell 3, and its acknowledgement'
    show "$bin/zeugma" encode $definition strike '{"force": 60}' --header '{"destination": 3, "ticket": 7}'
    show "$bin/zeugma" encode $definition acknowledge '{"ticket": 7, "earlier": 255}' --header '{"source": 3}'
    printf '\n# console and strikers on one pair'
    show "$bin/carillon_sim"
}

weigher() {
    show "$bin/zeugma" check $definition
    show "$bin/zeugma" layout $definition weight
    show "$bin/zeugma" encode $definition weight '{"gross": 12.5, "net": -3.2, "motion": "steady"}' --explain
    printf '\n# two readings, a batch that a newer weigher sends, and a line that lost a byte'
    mkdir -p build/demo
    printf 'W0012.50-0003.20S\r\nW0012.87-0002.83M\r\nBATCH kg=49.91; no=7; dust=12; sort="oats"\r\nW0013.2-0002.46M\r\n' \
        >$folder.txt
    show "$bin/zeugma" decode $definition $folder.txt || test $? = 1
    show "$bin/zeugma" generate $definition -o $folder --target c,docs,vectors --force
    printf '\n# weigher and PC on a noisy line without a check'
    show "$bin/weigher_sim"
    printf '\n# its other mode: a check in two digits behind `*`, and a query whose answer is a bare number'
    show "$bin/zeugma" check examples/weigher/checked.yaml
    show "$bin/zeugma" encode examples/weigher/checked.yaml weight '{"gross": 12.5, "net": -3.2, "motion": "steady"}' --explain
    show "$bin/zeugma" send examples/weigher/checked.yaml sim: ask_serial
    show "$bin/checked_weigher_sim"
}

dosing() {
    show "$bin/zeugma" check $definition
    show "$bin/zeugma" layout $definition write_registers
    printf '\n# a request, its answer and a refusal, as a listener on the bus sees them'
    show "$bin/zeugma" encode $definition read_registers '{"first": 107, "count": 3}' --header '{"node": 17}'
    show "$bin/zeugma" decode $definition --hex '1103006b00037687'
    show "$bin/zeugma" decode $definition --hex '110306022b00000064c8ba'
    show "$bin/zeugma" encode $definition registers '{"values": [555, 0, 100]}' --header '{"node": 17}' --explain
    show "$bin/zeugma" generate $definition -o $folder --target c,python,docs,vectors --force
    printf '\n# the PC and three pumps on one noisy pair of wires'
    show "$bin/dosing_sim"
}

sluice() {
    show "$bin/zeugma" check $definition
    show "$bin/zeugma" layout $definition
    show "$bin/zeugma" encode $definition state \
        '{"gate": 1250, "upper": 3.12, "lower": 1.48, "motion": "opening", "faults": ["ice", "on_battery"]}' --explain
    printf '\n# what a simulated sluice prints'
    show "$bin/zeugma" watch $definition sim: --for 7s
    show "$bin/zeugma" generate $definition -o $folder --target c,python,docs,vectors --force
    printf '\n# sluice and PC on a noisy line; the check is a sum of one byte'
    show "$bin/sluice_sim"
}

panel() {
    show "$bin/zeugma" check $definition
    show "$bin/zeugma" layout $definition number
    printf '\n# a number that is nothing but the byte of the end mark'
    show "$bin/zeugma" encode $definition number '{"value": 4278124286}' --explain
    show "$bin/zeugma" decode $definition --hex '746f7563683ffefe01fefefefefefe0247656461636b742038fefe7f03fefe'
    printf '\n# a simulated desk answers'
    show "$bin/zeugma" send $definition sim: read_stop '{"stop": 7}'
    show "$bin/zeugma" generate $definition -o $folder --target c,python,docs,vectors --force
    printf '\n# desk and PC on a line that loses bytes'
    show "$bin/panel_sim"
}

beacon() {
    show "$bin/zeugma" check $definition
    state='{"lamp": "flashing", "faults": ["panel_dirty"], "battery": 12.8, "lens": 19}'
    show "$bin/zeugma" encode $definition state "$state" --explain
    show "$bin/zeugma" timing $definition
    printf '\n# as light, and as the shore takes it'
    show "$bin/zeugma" wave $definition state "$state" | head -16
    show "$bin/zeugma" wave $definition state "$state" --vcd $folder.vcd
    show "$bin/zeugma" wave $definition --read $folder.vcd --signal demodulated
    printf '\n# beacon and shore by the bit, the beacon a percent fast, with glints'
    show "$bin/zeugma" soak $definition sim: --line bits --for 10min --faults ppm=10000,glitch=0.2/2ms
    show "$bin/zeugma" generate $definition -o $folder --target c,python,docs,vectors --force
    printf '\n# both without a UART, with masts, glints and banks of fog'
    show "$bin/beacon_sim"
}

buoy() {
    show "$bin/zeugma" check $definition
    show "$bin/zeugma" layout $definition sea
    sea='{"water": 11.35, "salinity": 34.92, "waves": 1.2, "period": 6.5, "battery": 12.4}'
    show "$bin/zeugma" encode $definition sea "$sea" --explain
    printf '\n# the same as JSON, in the draft of the next version'
    show "$bin/zeugma" check examples/buoy/draft.yaml
    show "$bin/zeugma" encode examples/buoy/draft.yaml sea "$sea" --payload --binary
    printf '\n\n# a simulated buoy on UDP, which loses, repeats and overtakes packets'
    "$bin/zeugma" sim $definition --on udp:127.0.0.1:17017 --for 14s --faults drop=0.02,double=0.02,reorder=0.02 2>/dev/null &
    sleep 0.5
    show "$bin/zeugma" send $definition udp:127.0.0.1:17017 pace '{"seconds": 2}'
    show "$bin/zeugma" soak $definition udp:127.0.0.1:17017 --for 5s
    wait
    printf '\n# and its draft'
    show "$bin/zeugma" watch examples/buoy/draft.yaml sim: --for 6s
    show "$bin/zeugma" generate $definition -o $folder --target c,python,docs,vectors --force
    printf '\n# buoy and harbour over a simulated radio'
    show "$bin/buoy_sim"
}

"$2"
