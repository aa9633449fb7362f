#!/bin/sh
# The loom example from its definition to a soak. $1: the folder with the built programs.
set -eu
bin=$1
definition=examples/loom/loom.yaml
folder=build/demo

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

show "$bin/zeugma" check $definition
show "$bin/zeugma" layout $definition
show "$bin/zeugma" generate $definition -o $folder --target c,python,docs,vectors --force
printf '\n# a draft of the next version, with two mistakes'
show "$bin/zeugma" compare $definition examples/loom/draft.yaml || test $? = 1
show "$bin/zeugma" encode $definition load_row '{"row": 7, "lift": 21845}' --header '{"sequence": 12}'
printf '\n# the same frame whole, with a bit flipped, and cut short'
show "$bin/zeugma" decode $definition --hex '04410c07045555bc0100 04410c07045554bc0100 04410c07'
printf '\n# device and host programs, made of the generated code and the runtime, on one simulated line'
show "$bin/loom_sim"
show "$bin/zeugma" soak $definition sim: --for 10min --faults ber=1e-5,drop=1e-6 --seed 7 \
    --require 'lost <= 1e-2' --require 'damaged accepted <= 1e-4'
