#!/usr/bin/env bash
# Files past 4 GiB, sparse so that they take little space: created, applied and compared in every format that can hold
# them, refused by those that cannot. Takes some minutes and, while it compares, some GB of disk.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh >/dev/null
scripts/build.sh release hotstitch_tool make_demo
PATH=$PWD/build/release:$PATH
folder=build/large-files
rm -rf "$folder" && mkdir -p "$folder"
trap 'rm -rf "$folder"' EXIT
cd "$folder"

gib=$((1 << 30))
put() { printf '%s' "$3" | dd of="$1" bs=1 seek="$2" conv=notrunc status=none; }
truncate -s $((5 * gib)) source.img
for place in 0 $((3 * gib)) $((4 * gib - 10)) $((5 * gib - 100)); do put source.img "$place" "The ferry waits at berth seven, $place."; done
cp --sparse=always source.img target.img
put target.img $((2 * gib)) "Low water at dawn."
put target.img $((4 * gib - 4)) "Across the four gibibyte line."
put target.img $((5 * gib - 60)) "The last berth of all."
truncate -s $((5 * gib + 4096)) target.img

for format in ups bps vcdiff; do
    begin=$SECONDS
    hotstitch create source.img target.img --format "$format" -o "p.$format" -q >/dev/null
    made=$((SECONDS - begin))
    hotstitch apply source.img "p.$format" -o made.img -q --no-receipt >/dev/null
    cmp made.img target.img
    printf '%-7s %12s bytes of patch, made in %3d s, applied in %3d s: same\n' "$format" "$(stat -c %s "p.$format")" "$made" \
        $((SECONDS - begin - made))
    rm -f made.img
done
hotstitch apply target.img p.ups -o back.img -q --no-receipt >/dev/null
cmp back.img source.img && echo "ups     backwards: same"
rm -f back.img
for format in ips ips32; do
    code=0
    answer=$(hotstitch create source.img target.img --format "$format" -o "p.$format" 2>&1) || code=$?
    [ "$code" -eq 2 ] && [ ! -e "p.$format" ] || { echo "$format: not refused ($code)"; exit 1; }
    printf '%-7s refused: %s\n' "$format" "$(head -n 1 <<<"$answer")"
done
