#!/usr/bin/env bash
# The Debian package: built, judged by lintian, installed, tried and removed again (as root or with sudo).
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh lintian dpkg-dev
scripts/build.sh release hotstitch_tool
(cd build/release && cpack -G DEB -B packages >/dev/null)
package=$(ls -t build/release/packages/hotstitch_*.deb | head -1)
lintian --fail-on error --tag-display-limit 0 "$package"
as_root=()
if [ "$(id -u)" -ne 0 ]; then as_root=(sudo); fi
"${as_root[@]}" dpkg -i "$package" >/dev/null
hotstitch --version
man -w hotstitch 2>/dev/null || true
dpkg -L hotstitch | grep -q completions/hotstitch
"${as_root[@]}" dpkg -r hotstitch >/dev/null
! dpkg -L hotstitch 2>/dev/null | grep -q .
echo "package: $package builds, passes lintian, installs, runs and goes again"
