#!/bin/sh
# Runs a fuzz target, $1, from the seeds of its subject, $2, for FUZZ_RUNS runs (or FUZZ_SECONDS), from a fixed seed.
set -eu
here=$(cd "$(dirname "$0")" && pwd)
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir "$work/seeds" "$work/found"
case $2 in
definition) cp "$here"/../data/definitions/*.yaml "$here"/../data/codec/*.yaml "$work/seeds" ;;
*) [ -d "$here/seeds/$2" ] && cp "$here/seeds/$2"/* "$work/seeds" ;;
esac
cd "$work"
runs=${FUZZ_RUNS:-$((5000 * ${ZEUGMA_TEST_ROUNDS:-1}))}
if [ -n "${FUZZ_SECONDS:-}" ]; then limit=-max_total_time=$FUZZ_SECONDS; else limit=-runs=$runs; fi
"$1" "$limit" -seed=1 -max_len=4096 -timeout=10 -rss_limit_mb=1024 -print_final_stats=1 found seeds 2>log || {
    tail -40 log
    for case in crash-* oom-* timeout-*; do [ -f "$case" ] && { echo "$case:"; head -c 4000 "$case" | base64; }; done
    exit 1
}
grep -E 'stat::number_of_executed_units|cov:' log | tail -2
