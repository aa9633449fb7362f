#!/bin/sh
# Installs those Debian packages of the given sections of packages.txt that are missing: install-packages.sh SECTION...
# Does nothing, and needs no network, when none is.
set -eu
list=$(dirname "$0")/packages.txt
missing=
for section in "$@"; do
    packages=$(awk -v wanted="[$section]" '/^\[/ { here = $1 == wanted; found += here; next }
        here && !/^#/ { print $1 } END { exit found ? 0 : 1 }' "$list") || {
        echo "$list has no section [$section]" >&2
        exit 2
    }
    for package in $packages; do
        state=$(dpkg-query -W -f '${db:Status-Status}' "$package" 2>/dev/null || true)
        [ "$state" = installed ] || missing="$missing $package"
    done
done
[ -n "$missing" ] || exit 0
echo "Installing:$missing"
as_root=
[ "$(id -u)" -eq 0 ] || as_root=sudo
$as_root env DEBIAN_FRONTEND=noninteractive apt-get update -q
# shellcheck disable=SC2086
$as_root env DEBIAN_FRONTEND=noninteractive apt-get install -q -y --no-install-recommends $missing
