#!/usr/bin/env bash
# Builds one preset, quietly: build.sh PRESET [TARGET…] [-D NAME=VALUE…]; all of it when no target is named. Prints the
# compiler's words only when it fails.
set -euo pipefail
cd "$(dirname "$0")/.."
preset=$1
shift
options=() targets=()
while [ $# -gt 0 ]; do
    case $1 in
        -D) options+=("$1" "$2"); shift 2 ;;
        -D*) options+=("$1"); shift ;;
        *) targets+=("$1"); shift ;;
    esac
done
[ ${#targets[@]} -eq 0 ] || targets=(--target "${targets[@]}")
log=$(mktemp)
trap 'rm -f "$log"' EXIT
if ! { cmake --preset "$preset" "${options[@]}" && cmake --build --preset "$preset" "${targets[@]}"; } >"$log" 2>&1; then
    grep -E -A 12 'error|Error|FAILED' "$log" >&2 || tail -n 40 "$log" >&2
    echo "The $preset build failed." >&2
    exit 1
fi
