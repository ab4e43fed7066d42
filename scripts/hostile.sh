#!/usr/bin/env bash
# Hands small patches that ask for much to the tool, and prints how soon and in how much memory each is refused.
# Anonymous memory: peak, sampled from /proc. Fails when one is not refused.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh libdivsufsort-dev >/dev/null
scripts/build.sh bench
PATH=$PWD/build/bench:$PWD/build/bench/bench:$PATH
folder=build/hostile
rm -rf "$folder" && mkdir -p "$folder"
trap 'rm -rf "$folder"' EXIT
make_hostile_patches "$folder"
cd "$folder"
printf 'Kelp Harbour%.0s' {1..5000} > source
failed=0
for patch in *; do
    [ "$patch" = source ] && continue
    begin=$EPOCHREALTIME peak=0
    hotstitch apply source "$patch" -o made -q >answer 2>&1 &
    while now=$(awk '/^RssAnon/ {print $2}' /proc/$!/status 2>/dev/null) && [ -n "$now" ]; do
        [ "$now" -gt "$peak" ] && peak=$now
    done
    code=0
    wait $! || code=$?
    end=$EPOCHREALTIME
    awk -v n="$patch" -v t=$(( ${end/[.,]/} - ${begin/[.,]/} )) -v k="$peak" -v c="$code" -v a="$(tail -n 1 answer)" \
        'BEGIN { printf "%-34s exit %d  %5.2f s  %6.1f MiB  %s\n", n, c, t/1e6, k/1024, a }'
    [ "$code" -eq 3 ] && [ ! -e made ] || failed=1
    rm -f made answer
done
exit $failed
