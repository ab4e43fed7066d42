#!/usr/bin/env bash
# Installs what is missing of the Debian packages that building and testing need. Asks the network only when
# something is missing. Sourced or run; extra package names may be given.
set -euo pipefail

packages=(cmake ninja-build g++ gcc-mingw-w64-i686-win32 gcc-mingw-w64-x86-64-win32 osslsigncode openssl binutils clang libclang-rt-14-dev pkg-config libcli11-dev libfmt-dev nlohmann-json3-dev
          libdeflate-dev libssl-dev liblzma-dev libarchive-dev libarchive-tools genisoimage xorriso zlib1g-dev libbz2-dev libzstd-dev liblz4-dev libtomlplusplus-dev libgtest-dev libbenchmark-dev "$@")
missing=()
for package in "${packages[@]}"; do
    dpkg-query -W -f '${db:Status-Status}' "$package" 2>/dev/null | grep -qx installed || missing+=("$package")
done
[ ${#missing[@]} -eq 0 ] && exit 0

as_root=()
if [ "$(id -u)" -ne 0 ]; then as_root=(sudo); fi
echo "Installing: ${missing[*]}"
log=$(mktemp)
trap 'rm -f "$log"' EXIT
if ! { "${as_root[@]}" apt-get update && "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive \
    apt-get install -y --no-install-recommends "${missing[@]}"; } >"$log" 2>&1; then
    tail -n 20 "$log" >&2
    echo "The packages above could not be installed." >&2
    exit 1
fi
