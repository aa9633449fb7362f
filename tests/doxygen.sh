#!/bin/sh
# The pages of the public headers are made without a warning, and say what the headers say.
# $1: the project.
set -eu
cd "$1"
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
{ cat Doxyfile; echo "OUTPUT_DIRECTORY = $out"; } | doxygen - >"$out/log" 2>&1
[ ! -s "$out/log" ] || { cat "$out/log"; exit 1; }
grep -q 'Receive interrupt; constant time' "$out/html/link_8h.html" || { echo "zg_link_receive_isr() lost its description"; exit 1; }
grep -q 'counters' "$out/html/structzg__link.html" || { echo "what may be read is not shown"; exit 1; }
! grep -q 'flagged_seen' "$out/html/structzg__link.html" || { echo "private members are shown"; exit 1; }
