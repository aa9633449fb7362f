#!/bin/sh
# Kills a soak at random moments while it stores, and sees each time that the store opens, adds up and goes on. $1: the
# project; $2: its build; $3: how often, 200 by default. Not part of the tests, which do this a few times (test_store).
set -eu
zeugma=$2/bin/zeugma loom=$1/examples/loom/loom.yaml times=${3:-200}
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"
classes="delivered + late + out_of_order + lost_out + lost_back + lost_either + lost_restart + unanswered + cut_off"
failed=0 round=0
while [ "$round" -lt "$times" ]; do
    round=$((round + 1))
    [ $((round % 4)) -ne 1 ] || rm -f run.store*
    more=
    [ ! -e run.store ] || more=--continue
    "$zeugma" soak "$loom" sim: --for 2400h --faults ber=1e-5,drop=1e-5 --store run.store $more >/dev/null 2>&1 &
    soak=$!
    sleep "$(awk -v seed="$round$$" 'BEGIN { srand(seed); printf "%.3f", 0.05 + 1.5 * rand() }')"
    kill -9 $soak
    wait $soak 2>/dev/null || true
    # Killed before its tables were made it has none, and the next one makes them.
    tables=$(sqlite3 run.store "SELECT count(*) FROM sqlite_schema" 2>&1 || true)
    [ "$tables" != 0 ] || { rm -f run.store*; continue; }
    intact=$(sqlite3 run.store "PRAGMA integrity_check" 2>&1 || true)
    twice=$(sqlite3 run.store "SELECT count(*) FROM second WHERE flow != 'any' AND sent < $classes" 2>&1 || true)
    missing=$(sqlite3 run.store "SELECT count(*) FROM second WHERE flow != 'any' AND sent != $classes
        AND at < (SELECT max(at) FROM second) - 2" 2>&1 || true)
    torn=$(sqlite3 run.store "SELECT (SELECT sum(damages) FROM second) - (SELECT count(*) FROM stretch)" 2>&1 || true)
    "$zeugma" report run.store >/dev/null 2>errors || [ ! -s errors ] || { cat errors; intact=unreadable; }
    if [ "$intact $twice $missing $torn" != "ok 0 0 0" ] && [ "$intact $twice $missing $torn" != "ok 0 0 " ]; then
        echo "round $round: $intact, $twice too many, $missing missing, $torn stretches apart"
        failed=$((failed + 1))
    fi
done
echo "$((times - failed)) of $times kills left a store that is whole"
[ "$failed" -eq 0 ]
