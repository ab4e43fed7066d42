#!/usr/bin/env bash
# Installs what is missing, builds with two compilers and runs all tests: gcc as released, then clang with
# AddressSanitizer and UndefinedBehaviorSanitizer. Closes with the counts CTest prints.
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/setup.sh
log=$(mktemp)
trap 'rm -f "$log"' EXIT

run() {  # run PRESET TITLE
    scripts/build.sh "$1" -D HOTSTITCH_WERROR=ON
    if ! ctest --preset "$1" -j "$(nproc)" >"$log" 2>&1; then
        grep -vE '(Passed|Start +[0-9]+:)' "$log" | cut -c1-300
        echo "The tests failed ($2)."
        exit 1
    fi
    echo "$2:"
    grep -E 'tests passed|Total Test time' "$log"
}
run release "gcc, release"
run asan "clang, address and undefined-behaviour sanitizers"
