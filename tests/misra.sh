#!/bin/sh
# What docs/deviations.md says is what a checker reports of the loom's code and the runtime; gcc's analyzer finds nothing
# in the loom's code, and where ZEUGMA_TEST_ROUNDS is above 1 in the runtime.
# $1: the project, $2: the zeugma command.
set -eu
project=$1
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
cd "$out"
"$2" generate "$project/examples/loom/loom.yaml" -o . >log
analyzed=
[ "${ZEUGMA_TEST_ROUNDS:-1}" -eq 1 ] || analyzed=$(ls "$project"/runtime/*.c)
for source in *.c $analyzed; do
    gcc -std=c11 -O1 -fanalyzer -Wall -Wextra -Werror -I"$project/include" -c "$source" -o object.o
done
cppcheck -j2 --max-configs=1 --addon=misra -I "$project/include" -I . --std=c11 --enable=style -q \
    --template='{file}:{line}: {id}' *.c "$project"/runtime/*.c >said 2>&1
grep -o -E 'misra-c2012-[0-9]+\.[0-9]+' said | sed 's/misra-c2012-//' | sort -u >reported
sed -n -E 's/^\| ([0-9]+\.[0-9]+) \|.*/\1/p' "$project/docs/deviations.md" | sort -u >documented
[ "$(wc -l <reported)" -gt 20 ] || { echo "too few rules: did the checker run?"; cat said; exit 1; }
diff documented reported || { echo "docs/deviations.md (<) and the checker (>) do not agree"; exit 1; }
if grep -v misra said | grep -E ': (error|uninit|nullPointer|arrayIndex|memleak|resourceLeak|ctu|bufferAccess)'; then
    echo "the checker found more than style"
    exit 1
fi
