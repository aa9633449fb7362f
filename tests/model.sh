#!/bin/sh
# Checks the models of docs/model exhaustively, and that each check sees a fault that was made on purpose. The largest of
# them where ZEUGMA_TEST_ROUNDS is above 1.
set -eu
models=$1/docs/model
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
cd "$out"

check() { # what is expected (0 errors or 1), model, options
    expected=$1
    model=$2
    shift 2
    spin -a "$@" "$models/$model.pml" >log 2>&1 || { cat log; exit 1; }
    cc -O1 -DSAFETY -DMEMLIM=2000 -w pan.c -o pan
    ./pan -m1000000 >log
    found=$(sed -n 's/.*errors: \([0-9]*\).*/\1/p' log)
    states=$(sed -n 's/^ *\([0-9.e+]*\) states, stored.*/\1/p' log)
    if [ "$found" != "$expected" ] || grep -q 'max search depth too small\|out of memory\|VECTORSZ' log; then
        echo "$model $*: $found errors, expected $expected"
        cat log
        exit 1
    fi
    echo "$model $*: $states states, $found errors"
}

check 0 delivery -DW=1 -DN=6
if [ "${ZEUGMA_TEST_ROUNDS:-1}" -gt 1 ]; then
    check 0 delivery -DW=2 -DN=4 -DKEPT
    check 0 delivery -DW=1 -DN=4 -DFAULTS=3 -DRETRIES=1
    check 0 hello -DN=2 -DLOSSES=1
    check 1 hello -DN=2 -DSWEPT
    check 1 hello -DN=2 -DEAGER
fi
check 0 delivery -DW=2 -DN=4
check 1 delivery -DW=2 -DN=4 -DFORGETFUL
check 1 delivery -DW=2 -DN=4 -DFAULTS=3 -DRETRIES=0 -DSTALE
check 1 hello -DN=2 -DDEAF
