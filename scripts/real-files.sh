#!/usr/bin/env bash
# Round trips on pairs of real files of this machine: create, apply, compare; prints a table. Pairs are files that are
# alike (a library and its sibling, two editions of a document) or not at all: the tool has to be right on both.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/build.sh release hotstitch_tool make_demo
PATH=$PWD/build/release:$PATH
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT

round_trip() {  # round_trip FORMAT SOURCE TARGET
    local size_s size_t size_p
    size_s=$(stat -Lc %s "$2") size_t=$(stat -Lc %s "$3")
    rm -f "$folder"/*
    if ! hotstitch create "$2" "$3" -o "$folder/p.ips" --format "$1" -q >"$folder/log" 2>&1; then
        printf '%-6s %-34s %-34s %12d %12d  %s\n' "$1" "${2##*/}" "${3##*/}" "$size_s" "$size_t" "refused: $(head -n 1 "$folder/log")"
        return
    fi
    hotstitch apply "$2" "$folder/p.ips" -o "$folder/out" -q >/dev/null
    cmp "$folder/out" "$3"
    size_p=$(stat -c %s "$folder/p.ips")
    printf '%-6s %-34s %-34s %12d %12d %12d  same\n' "$1" "${2##*/}" "${3##*/}" "$size_s" "$size_t" "$size_p"
}

# Files of a size range, largest first, without links.
files() { find /usr/bin /usr/lib /usr/share -xdev -type f -size +"$1" -size -"$2" \( "${@:3}" \) -printf '%s %p\n' 2>/dev/null | sort -rn | cut -d' ' -f2- | head -n 200; }

printf '%-6s %-34s %-34s %12s %12s %12s\n' format source target 'source size' 'target size' 'patch size'
pairs() {  # pairs FORMAT COUNT < list: neighbours in the list
    local previous='' done=0
    while IFS= read -r file && [ "$done" -lt "$2" ]; do
        if [ -n "$previous" ]; then
            round_trip "$1" "$previous" "$file"
            done=$((done + 1)) previous=''
        else
            previous=$file
        fi
    done
}
files 400k 15M -name '*.so*' | pairs ips 4
files 200k 15M -path '/usr/bin/*' | pairs ips 4
files 100k 15M -name '*.txt' -o -name '*.h' -o -name '*.py' | pairs ips 4
files 17M 200M -name '*.so*' -o -path '/usr/bin/*' -o -name '*.a' | pairs ips32 5
