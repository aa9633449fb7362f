#!/bin/sh
# Each recipe of docs/recipes.md lists the files that its pattern finds, and no others.
# $1: the project.
set -eu
cd "$1"
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
failed=0

# A file for each recipe: its section of the page.
awk -v out="$out" '/^## / { n++ } n { print > (out "/recipe" n) }' docs/recipes.md
for recipe in "$out"/recipe*; do
    title=$(sed -n '1s/^## //p' "$recipe")
    pattern=$(sed -n 's/.*Search for: `\(.*\)`$/\1/p' "$recipe")
    [ -n "$pattern" ] || { echo "$title: no pattern"; exit 1; }
    sed -n '/^- /,/^$/p' "$recipe" | grep -v '^$' | sed 's/\([^:]*\):.*/\1/; /^ /d' |
        grep -o '`[^`]*`' | tr -d '`' | sort >"$out/listed"
    # Names of files count as well as what is in them.
    { grep -rlE "$pattern" host runtime include cli ports cmake tools bench tests docs examples README.md Makefile CMakeLists.txt
      find host runtime include cli ports tests -type f | grep -E "$pattern" || true
    } | grep -v -E '^docs/(recipes\.md|screenshots/)|\.pyc$|\.ctu-info$|^tests/recipes\.sh$' | sort -u >"$out/found"
    [ "$(wc -l <"$out/found")" -ge 5 ] || { echo "$title: the pattern finds too little"; failed=1; }
    if ! diff "$out/listed" "$out/found" >"$out/differ"; then
        echo "$title: listed and not found (<), found and not listed (>):"
        cat "$out/differ"
        failed=1
    fi
done
[ "$(ls "$out"/recipe* | wc -l)" -eq 7 ] || { echo "docs/recipes.md has another number of recipes"; failed=1; }
exit $failed
