#!/bin/sh
# The loom example from its definition to a soak. $1: the folder with the built programs.
set -eu
bin=$1
definition=examples/loom/loom.yaml
folder=build/demo

show() {
    printf '\n$ %s\n' "$*" | sed "s|$bin/||"
    "$@"
}

show "$bin/zeugma" check $definition
show "$bin/zeugma" layout $definition
show "$bin/zeugma" generate $definition -o $folder
show "$bin/zeugma" encode $definition load_row '{"row": 7, "lift": 21845}' --header '{"sequence": 12}'
show "$bin/zeugma" decode $definition --hex '04410c0705555513bb00 040907ffff 04410c0705555513bb00'
show "$bin/loom_sim"
show "$bin/zeugma" soak $definition sim: --for 10min --faults ber=1e-5,drop=1e-6 --seed 7 --require 'lost <= 1e-2' \
    --require 'damaged accepted <= 1e-4'
