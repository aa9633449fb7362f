#!/bin/sh
# The names that are compiled anew for each end are all given an end's own, and all of them taken back.
# $1: the project.
set -eu
cd "$1/include/zeugma/detail"
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
{
    cat ./*_body.h specialise.h | sed -n -E 's/^static [^=;{]*[ *](zgi_[a-z0-9_]+)(\(|\[).*/\1/p; s/^typedef .* (zgi_[a-z0-9_]+);/\1/p'
    grep -h -o -E '^static inline [^(]*[ *]zgi_[a-z_]+\(' specialise.h | grep -o -E 'zgi_[a-z_]+'
    printf 'zgi_%s\n' deliver settled protocol variable_access variable_get variable_set variable_written
} | sort -u >"$out/compiled"
sed -n -E 's/^#define (zgi_[a-z0-9_]+) ZGI_NAME\(.*/\1/p' specialise.h | sort >"$out/named"
sed -n -E 's/^#undef (zgi_[a-z0-9_]+)$/\1/p' specialised.h | sort >"$out/unnamed"
[ "$(wc -l <"$out/compiled")" -gt 90 ] || { echo "only $(wc -l <"$out/compiled") names were found"; exit 1; }
diff "$out/compiled" "$out/named" || { echo "specialise.h does not name what the bodies define (<)"; exit 1; }
diff "$out/named" "$out/unnamed" || { echo "specialised.h does not take back what specialise.h names (<)"; exit 1; }
# The same for its macros.
sed -n -E 's/^#define (ZGI_[A-Z_]+).*/\1/p' specialise.h | sort -u >"$out/macros"
sed -n -E 's/^#undef (ZGI_[A-Z_]+)$/\1/p' specialised.h | sort >"$out/unmade"
comm -23 "$out/macros" "$out/unmade" | { ! grep .; } || { echo "specialised.h leaves these macros behind"; exit 1; }
