#!/usr/bin/env bash
# Builds one preset, quietly: build.sh PRESET [CMAKE OPTIONS…]. Prints the compiler's words only when it fails.
set -euo pipefail
cd "$(dirname "$0")/.."
preset=$1
shift
log=$(mktemp)
trap 'rm -f "$log"' EXIT
if ! { cmake --preset "$preset" "$@" && cmake --build --preset "$preset"; } >"$log" 2>&1; then
    grep -E -A 12 'error|Error|FAILED' "$log" >&2 || tail -n 40 "$log" >&2
    echo "The $preset build failed." >&2
    exit 1
fi
