#!/bin/sh
# Every public header alone, the runtime and generated code of all types, for small and large targets, as C and as C++.
# $1: the project, $2: the zeugma command.
set -eu
project=$1
zeugma=$2
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
generated=$out/generated
for definition in examples/loom/loom.yaml tests/data/codec/fields.yaml tests/data/definitions/sound.yaml; do
    name=$(basename "$definition" .yaml)
    sed "s/^protocol: .*/protocol: $name/" "$project/$definition" >"$out/$name.yaml"
    "$zeugma" generate "$out/$name.yaml" -o "$generated" >/dev/null 2>"$out/log" || { cat "$out/log"; exit 1; }
done
warnings='-Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror'
checked=0

compile() { # compiler and options, then the source
    # shellcheck disable=SC2086
    $1 $warnings -I"$project/include" -I"$generated" -c "$2" -o "$out/object.o" || { echo "failed: $1 $2"; exit 1; }
    checked=$((checked + 1))
}

for target in 'avr-gcc -mmcu=atmega328p -Os' 'arm-none-eabi-gcc -mcpu=cortex-m0plus -Os' 'gcc -O2' 'clang -O2'; do
    for source in "$project"/runtime/*.c "$generated"/*.c; do
        compile "$target -std=c11 -ffreestanding -DZG_CHECK_BITS=32 -DZG_RING_INDEX_BITS=16" "$source"
    done
done
for header in "$project"/include/zeugma/*.h "$generated"/*.h; do
    for language in 'gcc -x c -std=c11' 'clang -x c -std=c11' 'g++ -x c++ -std=c++17'; do
        printf '#include "%s"\nint only_so_that_it_is_not_empty;\n' "$header" >"$out/alone.c"
        compile "$language" "$out/alone.c"
    done
done
for source in "$generated"/*.c; do
    compile 'g++ -x c++ -std=c++17' "$source"
done
[ "$checked" -gt 100 ] || { echo "only $checked compilations: sources are missing"; exit 1; }
echo "$checked compilations without a warning"
