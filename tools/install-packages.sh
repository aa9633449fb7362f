#!/bin/sh
# Installs those of the listed Debian packages that are missing; does nothing, and needs no network, when none is.
set -eu
list=$(dirname "$0")/packages.txt
missing=
for package in $(grep -v '^#' "$list"); do
    state=$(dpkg-query -W -f '${db:Status-Status}' "$package" 2>/dev/null || true)
    [ "$state" = installed ] || missing="$missing $package"
done
[ -n "$missing" ] || exit 0
echo "Installing:$missing"
as_root=
[ "$(id -u)" -eq 0 ] || as_root=sudo
$as_root env DEBIAN_FRONTEND=noninteractive apt-get update -q
# shellcheck disable=SC2086
$as_root env DEBIAN_FRONTEND=noninteractive apt-get install -q -y --no-install-recommends $missing
