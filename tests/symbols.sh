#!/bin/sh
# The libraries' global symbols all begin with zg_ (public) or zgi_ (shared inside).
set -eu
names=$(nm --defined-only --extern-only "$@" | awk 'NF == 3 { print $3 }' | grep -v -e '^__asan' -e '^__odr_asan' -e '^__ubsan')
[ "$(echo "$names" | wc -l)" -gt 100 ] || { echo "too few symbols: were the libraries given?"; exit 1; }
foreign=$(echo "$names" | grep -v -E '^zgi?_' || true)
[ -z "$foreign" ] || { echo "not named zg_ or zgi_:"; echo "$foreign"; exit 1; }
