#!/usr/bin/env bash
# Installs what is missing, builds with gcc as released and runs all tests. `test.sh sanitizers`: the same with clang,
# AddressSanitizer and UndefinedBehaviorSanitizer. Closes with the counts CTest prints.
set -euo pipefail
cd "$(dirname "$0")/.."

preset=release title="gcc, release"
case ${1:-} in
    "") ;;
    sanitizers) preset=asan title="clang, address and undefined-behaviour sanitizers" ;;
    *) echo "usage: test.sh [sanitizers]" >&2; exit 2 ;;
esac
scripts/setup.sh
log=$(mktemp)
trap 'rm -f "$log"' EXIT
scripts/build.sh "$preset" -D HOTSTITCH_WERROR=ON
# Every file that is written is flushed; where there is memory for the tests' files, they need not wait for a disk.
# (scripts/faults.sh waits.)
if [ "$(df --output=avail -k /dev/shm 2>/dev/null | tail -n 1)" -gt 4000000 ] 2>/dev/null; then
    export TMPDIR=/dev/shm
fi
if ! ctest --preset "$preset" -j "$(nproc)" >"$log" 2>&1; then
    grep -vE '(Passed|Start +[0-9]+:)' "$log" | cut -c1-300
    echo "The tests failed ($title)."
    exit 1
fi
echo "$title:"
grep -E 'tests passed|Total Test time' "$log"
