#!/bin/sh
# Every public header alone, the runtime and generated code of all types, for small and large targets, as C and as C++.
# $1: the project, $2: the zeugma command.
set -eu
project=$1
zeugma=$2
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
generated=$out/generated
for definition in examples/loom/loom.yaml tests/data/codec/fields.yaml tests/data/definitions/sound.yaml \
    tests/data/definitions/behaviour.yaml tests/data/codec/weigher.yaml tests/data/codec/readings.yaml tests/data/codec/asked.yaml; do
    name=$(basename "$definition" .yaml)
    sed "s/^protocol: .*/protocol: $name/" "$project/$definition" >"$out/$name.yaml"
    "$zeugma" generate "$out/$name.yaml" -o "$generated" >/dev/null 2>"$out/log" || { cat "$out/log"; exit 1; }
done
mast=$project/tests/data/cli/tide_mast.yaml
frame() { # protocol, framing: the mast's definition in another framing
    sed -e "s/^protocol: .*/protocol: $1/" -e "s/^  framing: .*/  framing: $2/" "$mast" >"$out/$1.yaml"
    "$zeugma" generate "$out/$1.yaml" -o "$generated" >/dev/null 2>"$out/log" || { cat "$out/log"; exit 1; }
}
frame counted '{ kind: length, sync: [0xA5, 0x5A] }'
frame marked '{ kind: marks, start: [2], end: [3], escape: 0x1B }'
frame filled '{ kind: fixed, size: 12 }'
frame silent gap
sed -e 's/^protocol: .*/protocol: roles/' -e '/max_frame:/d' \
    -e 's/^  header: .*/  header: [length: u8, destination: u8, source: u8, id: u5, version: u8, reserved: u3]/' \
    "$mast" >"$out/roles.yaml"
"$zeugma" generate "$out/roles.yaml" -o "$generated" >/dev/null 2>"$out/log" || { cat "$out/log"; exit 1; }
warnings='-Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror'
checked=0

compile() { # compiler and options, then the source
    # shellcheck disable=SC2086
    $1 $warnings -I"$project/include" -I"$project/ports" -I"$generated" -c "$2" -o "$out/object.o" || { echo "failed: $1 $2"; exit 1; }
    checked=$((checked + 1))
}

# What only an optimizer sees on the two larger targets is looked for where ZEUGMA_TEST_ROUNDS is above 1.
large='-O3'
[ "${ZEUGMA_TEST_ROUNDS:-1}" -gt 1 ] || large=-fsyntax-only
for target in 'avr-gcc -mmcu=atmega328p -Os' "arm-none-eabi-gcc -mcpu=cortex-m3 $large" \
    "riscv64-unknown-elf-gcc --specs=picolibc.specs -march=rv64imac -mabi=lp64 -mcmodel=medany $large" 'clang -fsyntax-only'; do
    wide='-DZG_CHECK_BITS=32 -DZG_RING_INDEX_BITS=16 -DZG_HEADER_NUMBER_BITS=32'
    for source in "$generated"/*.c; do
        case $source in */readings*) long=-DZG_SPELL_BITS=64 ;; *) long= ;; esac
        compile "$target -std=c11 -ffreestanding $wide $long" "$source"
    done
    for source in spell spell_float spell_json; do
        compile "$target -std=c11 -ffreestanding $wide -DZG_SPELL_BITS=64" "$project/runtime/$source.c"
    done
    case $target in avr*) wide= ;; esac # the runtime as it is there
    for source in "$project"/runtime/*.c "$project"/ports/soft_uart/*.c "$project"/ports/clocked/*.c; do
        compile "$target -std=c11 -ffreestanding $wide" "$source"
    done
done
for header in "$project"/include/zeugma/*.h "$project"/ports/soft_uart/*.h "$project"/ports/clocked/*.h "$generated"/*.h; do
    for language in 'gcc -fsyntax-only -x c -std=c11' 'g++ -fsyntax-only -x c++ -std=c++17'; do
        printf '#include "%s"\nint only_so_that_it_is_not_empty;\n' "$header" >"$out/alone.c"
        compile "$language" "$out/alone.c"
    done
done
for source in "$generated"/*.c; do
    compile 'g++ -fsyntax-only -x c++ -std=c++17' "$source"
done
# What has no floats, scaled values included, needs no floating point until a physical value is asked for.
sed -e '/sag:/d' -e 's/^protocol: .*/protocol: plain/' "$project/examples/loom/loom.yaml" >"$out/plain.yaml"
"$zeugma" generate "$out/plain.yaml" -o "$generated" >/dev/null
for source in "$generated"/plain.c "$generated"/plain_device.c; do
    compile 'avr-gcc -mmcu=atmega328p -Os -std=c11' "$source"
    if avr-nm -u "$out/object.o" | grep -E 'sf|scale'; then echo "$source needs floating point"; exit 1; fi
done
compile 'avr-gcc -mmcu=atmega328p -Os -std=c11' "$generated/plain_physical.c"
avr-nm -u "$out/object.o" | grep -q scale || { echo "the check for floating point finds none where it is"; exit 1; }
[ "$checked" -gt 100 ] || { echo "only $checked compilations: sources are missing"; exit 1; }
echo "$checked compilations without a warning"
