#!/usr/bin/env bash
# Takes one picture of each main command's output, on the demo data, in an xterm of about 1280x800 under Xvfb:
# docs/screenshots/NAME.png. Give names to take only those; OUT=FOLDER puts them elsewhere.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh xterm xvfb xauth imagemagick fonts-dejavu-core
scripts/build.sh release hotstitch_tool make_demo harbour

out=${OUT:-$PWD/docs/screenshots}
mkdir -p "$out"
out=$(cd "$out" && pwd)
export PATH=$PWD/build/release:$PATH
# A neutral place, so that the paths in the pictures are nobody's.
folder=/home/player/games
mkdir -p "$folder" 2>/dev/null && [ -z "$(ls -A "$folder")" ] || { echo "needs an empty or new $folder" >&2; exit 1; }
make_demo "$folder" && cd "$folder"
mv "Kelp Harbour (Europe, revision 1).sfc" "Kelp Harbour.sfc"
mv "Kelp Harbour (Europe, revision 0).sfc" "Kelp Harbour (revision 0).sfc"

display=:$((RANDOM % 400 + 99))
Xvfb "$display" -screen 0 1280x800x24 >/dev/null 2>&1 &
server=$!
trap 'kill $server 2>/dev/null; rm -rf "$folder"; rmdir --ignore-fail-on-non-empty "$(dirname "$folder")"' EXIT
export DISPLAY=$display
sleep 1

wanted=("$@")
shot() {  # shot NAME COMMAND
    local name=$1 command=$2
    if [ ${#wanted[@]} -gt 0 ] && ! printf '%s\n' "${wanted[@]}" | grep -qx "$name"; then
        bash -c "$command" >/dev/null 2>&1 || true  # later pictures build on what it makes
        return 0
    fi
    local ready=$out/.ready
    rm -f "$ready"
    # shellcheck disable=SC2016
    COMMAND=$command READY=$ready xterm -fa 'DejaVu Sans Mono' -fs 11 -geometry 140x43+0+0 -bg '#16181d' -fg '#d8dee9' -b 12 +sb -xrm 'XTerm*color1: #e06c75' -xrm 'XTerm*color2: #8fc379' -xrm 'XTerm*color3: #e5c07b' \
        -xrm 'XTerm*color9: #e06c75' -xrm 'XTerm*color10: #98c379' -xrm 'XTerm*color11: #e5c07b' \
        -e bash -c 'printf "\033[?25l\033[1m$\033[0m %s\n" "$COMMAND"; bash -c "$COMMAND"; sleep 0.2; touch "$READY"; sleep 20' &
    local terminal=$!
    for _ in $(seq 100); do [ -e "$ready" ] && break; sleep 0.1; done
    sleep 0.4
    import -window root "$out/$name.png"
    kill $terminal 2>/dev/null || true
    wait $terminal 2>/dev/null || true
    rm -f "$ready"
}

shot create 'hotstitch create "Kelp Harbour.sfc" "Night Tides.sfc"'
shot describe 'hotstitch describe "Night Tides.bps" --source "Kelp Harbour.sfc"'
hotstitch create "Kelp Harbour.sfc" "Fog Signals.sfc" -q >/dev/null
rm "Night Tides.sfc" "Fog Signals.sfc"
printf 'Night Tides 1.2\n\nKelp Harbour by night: new lamps, a new song in the ferry.\nFor revision 1, Europe.\n' >readme.txt
bsdtar --format=zip -cf "Night Tides.zip" "Night Tides.bps" readme.txt "Harbour Master.exe" && rm readme.txt
shot heap 'hotstitch "Night Tides.zip" "Kelp Harbour (copier header).smc" "Kelp Harbour (revision 0).sfc" "Kelp Harbour.sfc" --plan'
shot heap-open 'hotstitch "Kelp Harbour (revision 0).sfc" "Night Tides.bps"'
rm "Night Tides.zip"
shot apply 'hotstitch apply "Kelp Harbour.sfc" "Night Tides.bps"'
shot verify 'hotstitch verify "Night Tides.bps" "Kelp Harbour (revision 0).sfc" "Kelp Harbour.sfc" "Kelp Harbour (copier header).smc" "Night Tides.sfc"'
shot apply-refused 'hotstitch apply "Kelp Harbour (revision 0).sfc" "Night Tides.bps" -o "Night Tides (r0).sfc"'
hotstitch recast "Kelp Harbour.sfc" "Night Tides.bps" --format ups -q >/dev/null
shot renew 'hotstitch renew "Night Tides.sfc.receipt.json" "Fog Signals.bps"'
shot undo 'hotstitch undo "Night Tides.sfc"'
shot describe-rom 'hotstitch describe "Kelp Harbour (copier header).smc" --at 00:FFC0 --at 80:8000'
hotstitch mend "Kelp Harbour.sfc" region=Americas --no-mend -o "Kelp Harbour (Americas).sfc" -q >/dev/null 2>&1
shot mend 'hotstitch mend "Kelp Harbour (Americas).sfc" checksum title="KELP HARBOR" --in-place'
shot header-strip 'hotstitch header strip "Kelp Harbour (copier header).smc" --keep "copier header.bin" -o "Kelp Harbour (plain).sfc"'
mkdir -p mods && cp "Night Tides.bps" mods/ && bsdtar --format=zip -cf shelf.zip mods "Kelp Harbour.gb" "Kelp Harbour (copier header).smc"
mv "Kelp Harbour (disc, revision 1).iso" kelp.iso
shot parts 'hotstitch parts shelf.zip --deep "*.gb*" "*header"; hotstitch parts "Kelp Harbour (disc, revision 1).cue"'
shot describe-disc 'hotstitch describe "Kelp Harbour (disc, revision 1).cue"'
hotstitch take kelp.iso:DATA/BERTHS.BIN -o berths.bin -q >/dev/null
printf '\x30' | dd of=berths.bin bs=1 seek=14 conv=notrunc status=none
hotstitch put kelp.iso DATA/BERTHS.BIN=berths.bin --patch berths.bps -q >/dev/null
shot put 'hotstitch put kelp.iso DATA/BERTHS.BIN=berths.bin VOICES/FERRY.BIN=kelp.iso:FILMS/TIDE.BIN -o mods/; hotstitch apply "Kelp Harbour (disc, revision 1).bin" berths.bps -o mods/ --with-sheet --keep-representation'
shot fields 'hotstitch fields "Kelp Harbour (Europe).dat" "berth[0-9]"; hotstitch fields "Kelp Harbour (Europe).dat" "berth[Old Pier].depth=14" "berth[Ferry Stage].weather=calm" -o mods/deeper.dat'
hotstitch apply "Kelp Harbour.sfc" "Night Tides.bps" -o "mods/Night Tides.sfc" -q >/dev/null
shot chart 'hotstitch chart "Kelp Harbour.sfc" "mods/Night Tides.sfc" --hex 2'
mkdir fog && echo "Put the disc in, and listen." >fog/README.md && head -c 300000 foghorn.wav >fog/title.bin
cp berths.bin berths-new.bin && printf '\x44' | dd of=berths-new.bin bs=1 seek=30 conv=notrunc status=none
hotstitch take kelp.iso:DATA/BERTHS.BIN -o plain-berths.bin -q >/dev/null && hotstitch create plain-berths.bin berths-new.bin -o fog/berths.bps -q >/dev/null
cat >fog/kit.toml <<'KIT'
hotstitch-kit = 1
name = "Fog Signals"
version = "1.2"
author = "the harbour master"
readme = "README.md"
[[base]]
id = "game"
title = "Kelp Harbour, the disc"
any = [{name = "revision-0", size = 1032192, crc32 = "00719be3"}, {name = "revision-1", size = 1636352, crc32 = "450a74ac"}]
[[step]]
put = "title.bin"
into = "game:DATA/TITLE.BIN"
[[step]]
apply = "berths.bps"
to = "game:DATA/BERTHS.BIN"
only = ["revision-1"]
note = "longer berths for the fog"
[[output]]
from = "game"
name = "games/{name}/game.iso"
[[output]]
from = "README.md"
name = "games/{name}/read me.txt"
KIT
shot kit 'hotstitch kit pack fog; hotstitch describe fog.kit; hotstitch apply kelp.iso fog.kit'
cp "Kelp Harbour.sfc" game.sfc
shot shelf 'hotstitch shelf game.sfc --keep "Night Tides.bps" "Longer Berths.sfc"; hotstitch shelf game.sfc --use "Night Tides"; hotstitch shelf game.sfc --use original -q'
