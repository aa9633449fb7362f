#!/bin/sh
# Includes go the way that docs/architecture.md draws, and no files call each other in a circle.
# $1: the project, $2: the build's folder.
set -eu
cd "$1"
build=$2
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
failed=0

# The folders of host/, in the order of the page's table: each includes those before it, and itself.
sed -n -E 's/^\| `host\/([a-z]+)\/` .*/\1/p' docs/architecture.md >"$out/order"
ls -d host/*/ | sed 's#host/\(.*\)/#\1#' | sort >"$out/folders"
sort "$out/order" | diff - "$out/folders" || { echo "docs/architecture.md does not list the folders of host/ (>)"; exit 1; }
allowed=
while read -r folder; do
    allowed="$allowed|$folder"
    grep -rn --include='*.[ch]' '#include "' "host/$folder" | grep -v -E "#include \"(zeugma|posix|sim|soft_uart$allowed)/" >"$out/strays" || true
    if [ -s "$out/strays" ]; then
        echo "host/$folder includes what stands after it:"
        cat "$out/strays"
        failed=1
    fi
done <"$out/order"
stray() { # a folder, what it may include
    if grep -rn '#include "' $1 | grep -v -E "$2"; then
        echo "$1 may include no more than $2"
        failed=1
    fi
}
stray 'runtime' '"(zeugma/|stuffing\.h"|window\.h"|characters\.h")'
stray 'include' '"zeugma/'
stray 'ports' '"(zeugma/|posix/|sim/|soft_uart/|clocked/|board\.h"|fast_uart\.h")'
if grep -rn 'zeugma/detail/' cli examples ports; then
    echo "zeugma/detail/ is private"
    failed=1
fi

# A line for each object and one that it calls into.
for source in $(find host cli runtime ports -name '*.c'); do
    nm -A "$build"/CMakeFiles/*.dir/"$source".o 2>/dev/null || true # a board's is not built here
done | sed -E 's#^[^:]*\.dir/([^:]*)\.c\.o:#\1 #' | awk '
    NF == 4 && $3 ~ /[TDRBCV]/ { home[$4] = $1 }
    NF == 3 && $2 == "U" { calls[++n] = $1 " " $3 }
    END { for (i = 1; i <= n; i++) { split(calls[i], c, " "); if (c[2] in home && home[c[2]] != c[1]) print c[1], home[c[2]] } }
' | sort -u >"$out/calls"
[ "$(wc -l <"$out/calls")" -gt 100 ] || { echo "too few calls: were the libraries given?"; exit 1; }
if ! tsort "$out/calls" >"$out/sorted" 2>"$out/circles"; then
    echo "these files call each other in a circle:"
    sed 's/^tsort: //' "$out/circles"
    failed=1
fi
exit $failed
