#!/usr/bin/env bash
# Hands small files that ask for much to the tool, and prints how soon and in how much memory each is answered.
# Anonymous memory: peak, sampled from /proc. Patches that are to be refused have to be; patches of a few bytes that make
# a gibibyte are made; archives of up to 1 MB are refused or looked through in at most 2 seconds and 256 MiB.
# Executables and packed files that claim too much are refused in a second and 64 MiB.
# Fails when one is not answered so.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh libdivsufsort-dev >/dev/null
scripts/build.sh bench
PATH=$PWD/build/bench:$PWD/build/bench/bench:$PATH
folder=build/hostile
rm -rf "$folder" && mkdir -p "$folder"
trap 'rm -rf "$folder"' EXIT
make_hostile_files "$folder"
cd "$folder"
printf 'Kelp Harbour%.0s' {1..5000} > source
head -c 60000 /dev/zero | tr "\0" "\1" > other  # of no kind, so that it may be meant
failed=0

answer() {  # answer NAME CALL…: sets code, milliseconds, peak; prints the row
    local name=$1 begin=$EPOCHREALTIME now
    shift
    peak=0 code=0
    hotstitch "$@" -q >answer 2>&1 &
    while now=$(awk '/^RssAnon/ {print $2}' /proc/$!/status 2>/dev/null) && [ -n "$now" ]; do
        [ "$now" -gt "$peak" ] && peak=$now
    done
    wait $! || code=$?
    milliseconds=$(( (${EPOCHREALTIME/[.,]/} - ${begin/[.,]/}) / 1000 ))
    awk -v n="$name" -v t="$milliseconds" -v k="$peak" -v c="$code" -v a="$(tail -n 1 answer)" \
        'BEGIN { printf "%-52s exit %d  %6.2f s  %6.1f MiB  %s\n", n, c, t/1e3, k/1024, substr(a, 1, 90) }'
    rm -f answer
}

echo "Patches to be refused"
for patch in refused/*; do
    answer "${patch#*/}" apply other "$patch" -o made
    [ "$code" -eq 3 ] && [ ! -e made ] || failed=1
    rm -f made
done
echo "Patches of a few bytes that make a gibibyte (cp of it: $(
    head -c 1G /dev/zero > zeros; begin=$EPOCHREALTIME; cp --reflink=never zeros copy && sync copy
    echo $(( (${EPOCHREALTIME/[.,]/} - ${begin/[.,]/}) / 1000 )) ms; rm -f zeros copy))"
for patch in large/*; do
    answer "describe ${patch#*/}" describe "$patch" --source source
    answer "verify ${patch#*/}" verify "$patch" source
    answer "apply ${patch#*/}" apply source "$patch" -o made --allow source
    [ "$code" -eq 0 ] && [ "$(stat -c %s made)" -gt 1000000000 ] || failed=1
    rm -f made*
done
echo "Archives"
for archive in archives/*; do
    for call in "describe" "apply source" "verify large/one* "; do
        # shellcheck disable=SC2086 # several words, one of them a pattern
        answer "${call%% *} ${archive#*/}" $call "$archive"
        [ "$milliseconds" -le 2000 ] && [ "$peak" -le 262144 ] || failed=1
    done
done
echo "Executables and packed files to be refused"
for file in inside/*; do
    for call in "parts" "take :content" "mend entry=0x401000 -o made"; do
        # shellcheck disable=SC2086 # several words
        set -- $call
        case $1 in take) answer "take ${file#*/}" take "$file:content" -o made ;; *) answer "$1 ${file#*/}" "$1" "$file" "${@:2}" ;; esac
        [ "$code" -ge 2 ] && [ ! -e made ] && [ "$milliseconds" -le 1000 ] && [ "$peak" -le 65536 ] || { failed=1; echo "  NOT REFUSED SO"; }
        rm -f made
    done
done
echo "Discs, copies and chunk files that lie: what is right in them is read"
truncate -s 70M discs/a.bin
for file in discs/*.iso discs/*.cue consoles/*; do
    for call in parts describe "put A/B.BIN=source --patch made.bps"; do
        # shellcheck disable=SC2086 # several words
        set -- $call
        answer "$1 ${file#*/}" "$1" "$file" "${@:2}"
        [ "$milliseconds" -le 2000 ] && [ "$peak" -le 262144 ] || { failed=1; echo "  TOO MUCH"; }
        rm -f made*
    done
done
echo "Maps and edit lists to be refused"
head -c 16M /dev/zero >zeros
for file in maps/* edits/*; do
    case $file in
        maps/*members*) answer "parts ${file#*/}" parts zeros --map "$file" ;;
        maps/*) answer "fields ${file#*/}" fields zeros --map "$file" ;;
        *) answer "apply ${file#*/}" apply zeros "$file" -o made --allow source ;;
    esac
    [ "$code" -ge 1 ] && [ ! -e made ] && [ "$milliseconds" -le 1000 ] && [ "$peak" -le 65536 ] || { failed=1; echo "  NOT REFUSED SO"; }
    rm -f made
done
echo "Kits of many steps, outputs and names"
kit() {  # kit NAME: the text comes from standard input, behind what all have
    mkdir "$1" && echo "read me" >"$1/README.md" && { printf 'hotstitch-kit = 1\nname = "Fog"\nreadme = "README.md"\n' && cat; } >"$1/kit.toml"
}
base="[[base]]"$'\n'"id = \"game\""$'\n'"any = [{crc32 = \"$(gzip -c other | tail -c 8 | od -An -tx4 -N4 | tr -d ' ')\"}]"
output="[[output]]"$'\n'"from = \"game\""$'\n'"name = \"a\""
steps() { seq 20000 | sed "s|.*|[[step]]\nput = \"README.md\"\ninto = \"game:$1\"|"; }
{ echo "$base" && steps A && echo "$output"; } | kit steps
{ echo "$base" && steps 'A&' && echo "$output"; } | kit others
{ echo "$base" && seq 1000 | sed 's|.*|[[output]]\nfrom = "game"\nname = "a&"|'; } | kit outputs
editions=$(for e in $(seq 100); do printf '{name = "e%s", crc32 = "%08x"}, ' "$e" "$e"; done)
{ for b in $(seq 90); do printf '[[base]]\nid = "b%s"\nany = [%s]\n' "$b" "$editions"; done
    printf '[[step]]\napply = "%s"\nto = "b1"\n[[output]]\nfrom = "b1"\nname = "a"\n' "$(seq 90 | sed 's|.*|{b&}|' | tr -d '\n')"; } | kit names
for call in "kit check steps" "kit check outputs" "kit check names" "apply other steps others --plan" "apply other steps steps --plan"; do
    # shellcheck disable=SC2086 # several words
    answer "$call" $call
    [ "$milliseconds" -le 2000 ] && [ "$peak" -le 131072 ] || { failed=1; echo "  TOO MUCH"; }
done
exit $failed
