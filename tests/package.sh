#!/bin/sh
# Outside projects use this one: installed, by CMake and by pkg-config; as a folder of theirs; its runtime alone, without GLib.
# Where ZEUGMA_TEST_ROUNDS is above 1, fetched, too, and as a Debian package.
# $1: the project, $2: a release build of it.
set -eu
project=$1
build=$2
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
fail() {
    echo "package: $1"
    cat "$out/log"
    exit 1
}
quietly() {
    what=$1
    shift
    "$@" >"$out/log" 2>&1 || fail "$what"
}
data=$project/tests/data/package

quietly "install" cmake --install "$build" --prefix "$out/usr"
for file in bin/zeugma share/zeugma/runtime/link.c share/zeugma/ports/posix/serial.c share/zeugma/definition.schema.json \
    include/zeugma/link.h share/doc/zeugma/commands.md; do
    [ -e "$out/usr/$file" ] || fail "$file is not installed"
done

# Man pages that roff reads without a warning, and completion in the shells themselves.
for page in "$out"/usr/share/man/man1/*.1.gz "$out"/usr/share/man/man5/*.5.gz; do
    zcat "$page" | groff -man -Tutf8 -ww 2>&1 >/dev/null | tee "$out/log" | grep -q . && fail "$(basename "$page") is not clean"
done
zcat "$out/usr/share/man/man1/zeugma-watch.1.gz" | groff -man -Tascii -P-c | col -b >"$out/log"
grep -q -- '--depth=DEPTH' "$out/log" || fail "the man page of watch lacks an option"
zcat "$out/usr/share/man/man5/zeugma-definition.5.gz" | groff -man -Tascii -P-c | col -b >"$out/log"
grep -q 'byte_timeout: time' "$out/log" || fail "the man page of the language lacks a key"
loom=$project/examples/loom/loom.yaml
completed() { # the line so far, what must be offered
    PATH=$out/usr/bin:$PATH bash -c 'source "$0"; COMP_LINE=$1; COMP_POINT=${#COMP_LINE}; _zeugma
        printf "%s\n" "${COMPREPLY[@]}"' "$out/usr/share/bash-completion/completions/zeugma" "$1" >"$out/log"
    grep -q -x -e "$2" "$out/log" || fail "bash does not complete \"$1\" to $2"
    PATH=$out/usr/bin:$PATH HOME=$out fish -c 'source $argv[1]; complete -C $argv[2]' \
        "$out/usr/share/fish/vendor_completions.d/zeugma.fish" "$1" >"$out/log"
    grep -q -e "$2" "$out/log" || fail "fish does not complete \"$1\" to $2"
}
completed "zeugma wa" watch
completed "zeugma watch $loom --de" --depth
completed "zeugma encode $loom load" load_row
completed "zeugma watch $loom sim: --show pick.te" pick.tension
completed "zeugma crc crc16/mod" crc16/modbus
zsh -n "$out/usr/share/zsh/vendor-completions/_zeugma" || fail "zsh does not read its completion"

mv "$out/usr" "$out/moved" # nothing may depend on where it was

quietly "find_package" cmake -S "$data/found" -B "$out/found" -DCMAKE_PREFIX_PATH="$out/moved"
quietly "find_package: build" cmake --build "$out/found"
quietly "find_package: run" "$out/found/valve"
quietly "zeugma::host" "$out/found/reader" "$data/valve.yaml"
[ -e "$out/found/valve_protocol/valve.py" ] || fail "PYTHON made no module"

quietly "generate" "$out/moved/bin/zeugma" generate "$data/valve.yaml" -o "$out/generated"
PKG_CONFIG_PATH=$(dirname "$(find "$out/moved" -name zeugma.pc)")
export PKG_CONFIG_PATH
# shellcheck disable=SC2046
quietly "pkg-config" cc -std=c11 -Wall -Wextra -Werror -I"$out/generated" "$data/valve.c" "$out"/generated/*.c \
    $(pkg-config --cflags --libs zeugma) -o "$out/valve"
quietly "pkg-config: run" "$out/valve"

quietly "runtime alone" cmake -S "$project" -B "$out/runtime" -DZEUGMA_HOST=OFF -DZEUGMA_EXAMPLES=OFF -DZEUGMA_BENCH=OFF \
    -DZEUGMA_TESTS=OFF -DPKG_CONFIG_EXECUTABLE=/nonexistent
quietly "runtime alone: build" cmake --build "$out/runtime" -j2
quietly "runtime alone: install" cmake --install "$out/runtime" --prefix "$out/small"
[ ! -e "$out/small/bin/zeugma" ] || fail "the runtime alone has a command"

quietly "add_subdirectory" cmake -S "$data/added" -B "$out/added" -DZEUGMA_SOURCE="$project" -G Ninja
[ "${ZEUGMA_TEST_ROUNDS:-1}" -gt 1 ] || exit 0
quietly "FetchContent" cmake -S "$data/added" -B "$out/fetched" -DZEUGMA_SOURCE="$project" -DFETCH=ON -G Ninja
quietly "FetchContent: build" cmake --build "$out/fetched" --target valve # which does the same as add_subdirectory()
quietly "FetchContent: run" "$out/fetched/valve"

quietly "cpack" cpack --config "$build/CPackConfig.cmake" -G DEB -B "$out/deb"
quietly "lintian" lintian --allow-root --fail-on error "$out"/deb/*.deb
dpkg-deb -x "$out"/deb/*.deb "$out/unpacked"
quietly "packaged command" "$out/unpacked/usr/bin/zeugma" check "$loom"
