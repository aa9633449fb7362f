#!/bin/sh
# Builds a program for a board: build-board.sh PORT ELF OPTIONS AND SOURCES. The port's folder says by which compiler; its
# board.c and the runtime are added, of which only what is used is linked.
set -eu
project=$(cd "$(dirname "$0")/.." && pwd)
port=$project/ports/$1
elf=$2
shift 2
# shellcheck disable=SC2046
exec $(sed "s#board.ld#$port/board.ld#" "$port/flags") -std=c11 -ffunction-sections -fdata-sections -Wl,--gc-sections \
    -Wall -Wextra -Werror -I"$port" -I"$project/include" "$port/board.c" "$@" "$project"/runtime/*.c -o "$elf"
