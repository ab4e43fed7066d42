#!/usr/bin/env bash
# The whole story on made-up data: describe, create, apply, verify, compare. Installs what is missing and builds.
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/setup.sh
scripts/build.sh release hotstitch_tool make_demo harbour
PATH=$PWD/build/release:$PATH
folder=build/demo
rm -rf "$folder"
make_demo "$folder"
mkdir "$folder/player"
cd "$folder"

say() { printf '\n\033[1m%s\033[0m\n' "$*"; }
show() {  # prints the call, then runs it
    printf '$ hotstitch'
    for word in "$@"; do case $word in *[\ \(\)]*) printf ' "%s"' "$word" ;; *) printf ' %s' "$word" ;; esac; done
    printf '\n'
    hotstitch "$@"
}
[ -t 1 ] || say() { printf '\n%s\n' "$*"; }
original="Kelp Harbour (Europe, revision 1).sfc"

say "1. A maker has an original and a modified copy. What are they?"
show describe "$original" "Night Tides.sfc"

say "2. Only the difference is published."
show create "$original" "Night Tides.sfc"
mv "Night Tides.bps" player/
cp "$original" player/

say "3. A player looks at the patch, then applies it to the original."
cd player
show describe "Night Tides.bps"
show apply "$original" "Night Tides.bps"

say "4. Did it take? Would it fit the other editions?"
show verify "Night Tides.bps" "$original" --target "Night Tides.sfc"
show verify "Night Tides.bps" "../Kelp Harbour (Europe, revision 0).sfc" "$original" "Night Tides.sfc"

say "5. The wrong revision is refused before anything is written."
show apply "../Kelp Harbour (Europe, revision 0).sfc" "Night Tides.bps" -o wrong.sfc || echo "(exit $?)"

say "6. A copy with a copier's header in front is understood."
show apply "../Kelp Harbour (copier header).smc" "Night Tides.bps" -o "Night Tides (from a headered copy).sfc"

say "7. There is a way back."
show undo "Night Tides (from a headered copy).sfc"

say "8. The player's copy and the maker's are the same, byte for byte."
cmp "Night Tides.sfc" "../Night Tides.sfc" && echo "cmp: no difference"

say "9. ROMs of other consoles are known too, whatever their order of bytes."
cd ..
show describe "Kelp Harbour.smd"
show mend "Kelp Harbour.v64" byte-order -o player/
cmp player/"Kelp Harbour.v64" "Kelp Harbour.z64" && echo "cmp: no difference"

say "10. A maker makes another edition; the mends come in the right order, and the checksum last."
show mend "$original" checksum region=Americas -o player/"Kelp Harbour (Americas).sfc"
show describe player/"Kelp Harbour (Americas).sfc" --at 00:FFD9

say "11. What is inside: a header taken out of a ROM in an archive, a bank of one ROM put into another, checksum and all."
(cd player && bsdtar --format=zip -cf ../shelf.zip "Night Tides.bps" "Night Tides.sfc")
show parts shelf.zip --deep "*.bps" "*header" "*bank ?"
show take "shelf.zip:night tides.SFC:header" -o player/header.bin
show put "$original" "bank 2=shelf.zip:Night Tides.sfc:bank 2" -o player/"One bank of the night.sfc"
show parts "$original" --compare player/"One bank of the night.sfc" || echo "(exit $?)"

say "12. The same change as a patch, without matching anything; and it is that change."
show put "$original" "bank 2=shelf.zip:Night Tides.sfc:bank 2" --patch player/"One bank.bps"
show verify player/"One bank.bps" "$original" --target player/"One bank of the night.sfc"

say "13. A maker's day: a number in a table that lies packed beside a program. Take it out, change it, put it back, try."
show describe berths.lz
show take berths.lz:content -o player/berths.bin
echo "(the depth of the first berth becomes 48 in player/berths.bin)"
printf '\x30' | dd of=player/berths.bin bs=1 seek=14 conv=notrunc status=none
show put berths.lz content=player/berths.bin -o player/berths.lz --then "harbour {}"

say "14. Programs: what one says of itself, and a flag set with the checksum kept right."
show describe "Harbour Master.exe" --at 0x401010
show mend "Harbour Master.exe" large-address-aware -o player/
show mend "Harbour Master (signed).exe" large-address-aware -o player/ || echo "(exit $?)"

say "15. Code added to a console's program at an address of its own, where it then begins."
printf '\x08\x00\x40\x00\x00\x00\x00\x00' >fog.bin
show mend "Harbour Master.elf" add-segment=fog.bin@0x480000 entry=0x480000 -o player/

disc="Kelp Harbour (disc, revision 1)"
say "16. A day with a disc: what it is, what is on it, what the newer edition has changed."
show describe "$disc.cue"
show parts "Kelp Harbour (disc, revision 0).iso" --compare "$disc.iso" || echo "(exit $?)"

say "17. A table is taken out, changed, and put back into the image with whole sectors: nothing else moves, all codes are right."
show take "$disc.cue:DATA/BERTHS.BIN" -o player/berths.bin --replace
echo "(two berths get deeper in player/berths.bin)"
printf '\x30\x31' | dd of=player/berths.bin bs=1 seek=64 conv=notrunc status=none
show put "$disc.cue" DATA/BERTHS.BIN=player/berths.bin -o "player/Longer Berths.cue"
show put "$disc.iso" DATA/BERTHS.BIN=player/berths.bin --patch "player/Longer Berths.bps"

say "18. A player has the other form of the image, or only this file of another disc; a film that outgrows its place goes behind all others."
show apply "$disc.bin" "player/Longer Berths.bps" -o player/ --keep-representation
show put "$disc.iso" VOICES/FERRY.BIN="$disc.iso:FILMS/TIDE.BIN" "DATA/TEXTS.BIN=Kelp Harbour (disc, revision 0).iso:DATA/TEXTS.BIN" -o player/

say "19. Discs of consoles: a table of files, and the same in a partition that only your own key opens. What is touched is encrypted and hashed anew."
show parts "Kelp Harbour (table, revision 0).gcm" --compare "Kelp Harbour (table).gcm" || echo "(exit $?)"
show describe "Kelp Harbour (partition).iso"
show put "Kelp Harbour (partition).iso" "partition 0/files/data/messages.txt=Kelp Harbour (table, revision 0).gcm:files/data/messages.txt" --keys keys.txt --as "player/{title} [{serial}]/game.iso"

say "20. A compressed copy stands for its disc: a patch for the plain image is applied to it, of several the one for this edition."
mkdir -p patches
for revision in "" ", revision 0"; do
    show take "Kelp Harbour (table$revision).gcm:" -o "tree$revision/"
    echo "The harbour master is away." >>"tree$revision/files/data/messages.txt"
    show put "Kelp Harbour (table$revision).gcm" "files/=tree$revision/files" --patch "patches/Away${revision:-, revision 1}.bps"
done
show verify patches "Kelp Harbour (compressed).cso"
show apply "Kelp Harbour (compressed).cso" patches -o player/Away.gcm
show put "tree" --room rebuild -o player/rebuilt.gcm

say "21. Files on a cartridge, and a chunk of a sound."
show put "Kelp Harbour (files).nds" data/messages.txt=tree/files/opening.bin -o player/
show parts foghorn.wav

say "22. A table of a data file, by its map: one number is set, and the file's own checksum follows."
show fields "Kelp Harbour (Europe).dat" "berth[0-4]" tide
show fields "Kelp Harbour (Europe).dat" "berth[Old Pier].depth=14" "tide[March].low=-2" -o player/deeper.dat
show fields "Kelp Harbour (Europe).dat" --compare player/deeper.dat --save player/deeper.edits || echo "(exit $?)"
cat player/deeper.edits

say "23. Longer Berths, a mod as a list that people read: one for both editions, each by its own map."
show describe "Longer Berths.edits" --source "Kelp Harbour (Europe).dat"
show apply "Kelp Harbour (Europe).dat" "Longer Berths.edits" -o player/europe.dat
show apply "Kelp Harbour (Americas).dat" "Longer Berths.edits" -o player/americas.dat
show recast "Kelp Harbour (Europe).dat" "Longer Berths.edits" --format bps -o player/berths.bps

say "24. An archive that only this game uses opens by the same map; a longer sound goes behind all others."
show parts "Kelp Harbour (Europe).dat" --map kelp-europe.map.toml
show put "Kelp Harbour (Europe).dat" sounds/HORN=foghorn.wav --map kelp-europe.map.toml -o player/louder.dat

say "25. Where does a change lie?"
show chart "$original" "player/Night Tides.bps" --svg player/night-tides.svg --hex 2
show chart "Kelp Harbour (disc, revision 0).iso" "$disc.iso"
show chart "Kelp Harbour (Europe).dat" player/europe.dat --map kelp-europe.map.toml

say "26. Fog Signals as a kit for both editions of the disc: the film of the foghorn in place of the title, a ferry that answers, and a cover."
mkdir -p fog-signals/patches
head -c 300000 foghorn.wav >fog-signals/title.bin
echo "Fog Signals for Kelp Harbour. Put the disc in, and listen." >fog-signals/README.md
hexdump -n 64 foghorn.wav >fog-signals/cover.txt
for revision in 0 1; do
    show take "Kelp Harbour (disc, revision $revision).iso:VOICES/FERRY.BIN" -o player/ferry.bin --replace --no-backup -q
    cp player/ferry.bin player/ferry-answers.bin
    printf 'TOOT' | dd of=player/ferry-answers.bin bs=1 seek=4000 conv=notrunc status=none
    show create player/ferry.bin player/ferry-answers.bin -o "fog-signals/patches/revision-$revision.bps" -q
done
cat >fog-signals/kit.toml <<'KIT'
hotstitch-kit = 1
name = "Fog Signals"
version = "1.2"
author = "the harbour master"
readme = "README.md"

[[base]]
id = "game"
title = "Kelp Harbour, the disc"
any = [
  {name = "revision-0", size = 1032192, crc32 = "00719be3"},
  {name = "revision-1", size = 1636352, crc32 = "450a74ac"},
]

[[step]]
put = "title.bin"
into = "game:DATA/TITLE.BIN"

[[step]]
note = "the ferry answers the foghorn"
apply = "patches/{game}.bps"
to = "game:VOICES/FERRY.BIN"

[[output]]
from = "game"
name = "games/{name}/game.iso"

[[output]]
from = "cover.txt"
name = "games/{name}/cover.txt"
KIT
show kit check fog-signals "$disc.iso"
show kit pack fog-signals -o "Fog Signals.kit"
show describe "Fog Signals.kit"
show verify "Fog Signals.kit" "$disc.iso"
show apply "$disc.iso" "Fog Signals.kit" -o player/
show verify --receipt "player/games/Fog Signals/game.iso"
show apply "$original" "Fog Signals.kit" -o player/ || echo "(exit $?)"

say "27. The same mod for the program's folder, made from a modified copy; in place, and back."
mkdir -p program/data program/saves modded
cp "Harbour Master.exe" program/ && cp "Kelp Harbour (Europe).dat" program/data/kelp.dat && cp foghorn.wav program/data/
cp -a program/. modded/
printf '\x0e' | dd of=modded/data/kelp.dat bs=1 seek=$((0x200 + 32 + 16)) conv=notrunc status=none
mv modded/data/foghorn.wav modded/data/horn.wav && echo "Fog." >modded/fog.txt
show create program modded --format kit --title "Fog Signals for the program" -o fog-program/
cat fog-program/kit.toml
show apply program fog-program --in-place
show verify --receipt program
show undo program

say "28. A shelf: two mods of one game by turns in its place, and the original back."
cp "$original" player/game.sfc
show shelf player/game.sfc --keep "player/Night Tides.bps" "Longer Berths.sfc"
show shelf player/game.sfc --use "Night Tides"
show shelf player/game.sfc --use original
