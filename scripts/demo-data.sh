#!/usr/bin/env bash
# Makes the committed demo patches in demo/data/ anew. The tests compare with them: they change only on purpose.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/build.sh release hotstitch_tool make_demo
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
build/release/make_demo "$folder"
for mod in "Night Tides" "Longer Berths" "Fog Signals"; do
    for format in ips ups bps vcdiff; do
        # This mod doubles the cartridge, which UPS can only spell out: a megabyte that nobody would publish.
        if [ "$mod.$format" = "Longer Berths.ups" ]; then continue; fi
        more=() extension=$format
        if [ "$format" = ips ]; then more=(--checks); fi
        # Plain, because compressed bytes hang on the version of the compressing library.
        if [ "$format" = vcdiff ]; then more=(--plain) extension=xdelta; fi
        build/release/hotstitch create "$folder/Kelp Harbour (Europe, revision 1).sfc" "$folder/$mod.sfc" \
            --format "$format" -o "demo/data/$mod.$extension" --replace --no-backup -q "${more[@]}"
    done
done
