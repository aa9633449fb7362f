#!/bin/sh
# Runs a command; shows its output only if it fails.
log=$(mktemp)
"$@" >"$log" 2>&1
status=$?
[ $status -eq 0 ] || cat "$log"
rm -f "$log"
exit $status
